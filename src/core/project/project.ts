import { statSync } from 'node:fs';
import { dirname, isAbsolute, join, resolve } from 'node:path';
import satisfies from 'semver/functions/satisfies.js';
import validRange from 'semver/ranges/valid.js';
import { fromSystemError, HullError, type Location, systemErrorCode, task, withTasks } from '../errors.js';
import { isInside, readRegularFile } from '../util/files.js';
import { type LocatedJson, parseLocatedJson, pointerStep } from '../util/json-locations.js';
import { isObject } from '../util/json-object.js';
import { VERSION } from '../util/version.js';
import { CONFIG_FILE, type HullConfig } from './config.js';
import { knownKeys, type SchemaError, validate } from './hull-schema.generated.js';
import { nearest } from './nearest.js';
import { type Origin, originOf, resolveSettings, type Settings } from './settings.js';

/** A project: its `hull.json`, read and checked, and where it stands. */
export interface Project {
  /** Folder of `hull.json`, absolute. */
  readonly dir: string;
  /** Path of `hull.json` as errors show it. */
  readonly file: string;
  /** What it says, with every default applied. */
  readonly settings: Settings;
  readonly json: LocatedJson;
  /** Place of a configuration value by JSON pointer. */
  location(pointer: string): Location;
  /** Where a setting comes from, by JSON pointer. */
  origin(pointer: string): Origin;
  /** A path of the configuration as an absolute one; of a brand, its own file where it has one. Folders are shared. */
  resolve(path: string): string;
  /** The brand that it is read for, with the folder of its own files, and the files beside `hull.json` that describe it. */
  readonly brand:
    | { readonly name: string; readonly dir: string; readonly described: readonly string[] }
    | undefined;
}

/** Whether a folder is one that the brands of a project share: not among the own files of the brand that it is read for. */
export const isShared = ({ brand }: Pick<Project, 'brand'>, folder: string): boolean =>
  brand !== undefined && !isInside(folder, brand.dir);

/** The language of names, pages and texts that no translation replaces (BCP 47). */
export const mainLanguage = ({ settings }: Pick<Project, 'settings'>): string =>
  settings.app.language ?? 'en';

const MAX_BYTES = 1024 * 1024;

function readText(file: string, dir: string): string {
  try {
    const bytes = readRegularFile(file);
    if (bytes.length > MAX_BYTES) {
      throw new HullError(
        'config.syntax',
        'hull.json is larger than 1 MiB; this is not the file that was meant.',
        {
          location: { file },
        },
      );
    }
    return bytes.toString('utf8');
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT') {
      throw new HullError(
        'config.missing',
        `There is no ${CONFIG_FILE} in ${dir === '' ? 'this folder' : dir}.`,
        {
          location: { file },
          fix: withTasks`Make one with ${task('beginProject', '<folder or URL>')}, or name the project’s folder.`,
        },
      );
    }
    throw fromSystemError(error, file);
  }
}

function typeWord(types: unknown): string {
  const words: Readonly<Record<string, string>> = {
    string: 'a text',
    integer: 'a whole number',
    boolean: 'true or false',
    object: 'an object in braces',
    array: 'a list in brackets',
  };
  return words[String(types)] ?? String(types);
}

function fromSchemaError(error: SchemaError, json: LocatedJson): HullError {
  const { instancePath, keyword, params } = error;
  if (keyword === 'additionalProperties') {
    const key = String(params.additionalProperty);
    const known = knownKeys[error.schemaPath.replace(/\/additionalProperties$/, '')] ?? [];
    const near = nearest(key, known);
    return new HullError('config.unknown-key', `There is no key "${key}" here.`, {
      location: json.locationOfKey(`${instancePath}/${pointerStep(key)}`),
      fix: near === undefined ? `Keys known here: ${known.join(', ')}.` : `Did you mean "${near}"?`,
    });
  }
  const location = json.location(instancePath);
  const bad = (message: string, fix: string) => new HullError('config.bad-value', message, { location, fix });
  switch (keyword) {
    case 'required':
      return bad(
        `The key "${String(params.missingProperty)}" is missing here.`,
        'Add it; docs/configuration.md describes every key.',
      );
    case 'type':
      return bad(
        `Expected ${typeWord(params.type)}.`,
        'Change the value; docs/configuration.md describes every key.',
      );
    case 'enum':
      return bad(
        'This is not one of the values known here.',
        `Write one of: ${(params.allowedValues as unknown[]).join(', ')}.`,
      );
    case 'minLength':
      return bad(
        /^\/(web\/insecure|survey\/ignore)\//.test(instancePath)
          ? 'The reason is missing or too short to mean anything.'
          : 'This text may not be empty.',
        `Write at least ${String(params.limit)} characters.`,
      );
    default:
      return bad(
        `This value does not hold: ${error.message ?? keyword}.`,
        'Change the value; docs/configuration.md describes every key.',
      );
  }
}

/**
 * Refuses a web folder that the project itself is in: `hull.json`, keys and packages would be packed with the
 * pages, for everyone to read. Throws `web.holds-project`.
 */
export function checkApart(projectDir: string, webFolder: string, location: Location): void {
  if (!isInside(projectDir, webFolder)) return;
  throw new HullError(
    'web.holds-project',
    'The web folder holds the project itself: hull.json, keys and packages would be packed with the pages.',
    {
      location,
      fix: withTasks`Work in the folder above: cd .. && ${task('beginProject', '<web folder>')}; or name another folder for the project.`,
    },
  );
}

/** Checks parsed JSON against the schema. Throws `config.unknown-key` or `config.bad-value` with the line. */
function checkSchema(json: LocatedJson): HullConfig {
  if (validate(json.value)) return json.value as HullConfig;
  const errors = validate.errors ?? [];
  const unknown = errors.find((error) => error.keyword === 'additionalProperties');
  throw fromSchemaError((unknown ?? errors[0]) as SchemaError, json);
}

/**
 * Reads and checks the project in a folder.
 *
 * @param dir folder of `hull.json`, absolute or relative to the working directory
 * @throws HullError `config.missing`, `config.syntax`, `config.unknown-key`, `config.bad-value`, `config.other-version`
 */
export function readProject(dir: string): Project {
  const file = join(dir, CONFIG_FILE);
  return projectFrom(file, readText(file, dir === '.' ? '' : dir));
}

/** Where a task finds its project: the folder of `hull.json`, or a project that has been read, as that of a brand. */
export type ProjectSource = string | Project;

/** The project of a task. @param source by default the working folder. @throws HullError as {@link readProject} */
export const openProject = (source: ProjectSource = '.'): Project =>
  typeof source === 'string' ? readProject(source) : source;

/** As {@link readProject}, of a text. @param file path of `hull.json`, as errors show it */
export function projectFrom(file: string, text: string): Project {
  const json = parseLocatedJson(file, text, {
    comments: true,
    code: 'config.syntax',
    fix: `Fix ${CONFIG_FILE} here; comments and trailing commas are allowed.`,
  });
  return projectOf(json, resolve(dirname(file)), undefined);
}

const isFile = (path: string): boolean => statSync(path, { throwIfNoEntry: false })?.isFile() ?? false;

/** Refuses a project that is made with other versions of this tool, whatever else it says. */
function checkVersion(json: LocatedJson): void {
  const requires = isObject(json.value) ? json.value.requires : undefined;
  if (typeof requires !== 'string') return;
  const location = json.location('/requires');
  if (validRange(requires) === null) {
    throw new HullError('config.bad-value', `"${requires}" is not a range of versions.`, {
      location,
      fix: 'Write it as npm does: "^1.4.0", "~1.4.2" or ">=1.4.0 <2.0.0".',
    });
  }
  if (satisfies(VERSION, requires, { includePrerelease: true })) return;
  throw new HullError(
    'config.other-version',
    `The project requires Jolly Hull ${requires}, and this is ${VERSION}.`,
    {
      location,
      fix: `Install a version that fits: npm install --save-dev "jolly-hull@${requires}"; or change "requires", and look at what the next package has otherwise.`,
    },
  );
}

/**
 * The project that some JSON describes.
 *
 * @param dir folder of the project, absolute
 * @throws HullError `config.unknown-key`, `config.bad-value`, each with the place where the value was said
 */
export function projectOf(json: LocatedJson, dir: string, brand: Project['brand']): Project {
  checkVersion(json);
  const config = checkSchema(json);
  return {
    dir,
    file: json.file,
    settings: resolveSettings(config),
    json,
    brand,
    origin: (pointer) => originOf(json, pointer),
    location: (pointer) => json.location(pointer),
    resolve: (path) => {
      if (isAbsolute(path)) return path;
      const own = brand && resolve(brand.dir, path);
      return own !== undefined && isFile(own) ? own : resolve(dir, path);
    },
  };
}
