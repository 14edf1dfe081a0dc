import { existsSync, readdirSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { type Proposal, proposeProject } from '../begin/begin.js';
import { configPath, renderConfig } from '../begin/render.js';
import type { BeginAnswers, BeginKey, Found } from '../begin/values.js';
import { HullError } from '../errors.js';
import { listingFolder } from '../listing/folder.js';
import { CONFIG_FILE } from '../project/config.js';
import { readProject } from '../project/project.js';
import { SCHEMA_COPY, writeSchemaCopy } from '../project/schema-copy.js';
import { listWebFolder } from '../site/folder.js';
import { builtBaseOf, readFolderSite } from '../site/read-folder.js';
import type { Site } from '../site/site.js';
import { FOLDER_ROOT } from '../site/web-source.js';
import { writeNewFile } from '../util/files.js';
import { isSameOwner, parseUrl } from '../util/url-path.js';
import { type WrittenListing, writeListing } from './project-listing.js';
import { readHost, type SiteReading } from './read-site.js';

/** What a new `hull.json` says, each value with where it came from. */
export interface ProjectDraft extends Pick<Proposal, 'permissions' | 'links' | 'entries'> {
  readonly found: ReadonlyMap<BeginKey, Found>;
}

export interface BeginOptions extends SiteReading {
  /** Folder that gets the `hull.json`. */
  readonly project?: string | undefined;
  /** Folder of built web files, or the address of a hosted app. */
  readonly target: string;
  /** Values that are known; they count before what is found. */
  readonly answers?: BeginAnswers | undefined;
  /** Gives what could not be found, and may change the rest; without it, missing values are an error. */
  readonly complete?:
    | ((draft: ProjectDraft, missing: Proposal['missing']) => Promise<ProjectDraft>)
    | undefined;
}

export interface BegunProject {
  /** The new `hull.json`. */
  readonly file: string;
  readonly draft: ProjectDraft;
  /** Things seen that the user should know of. */
  readonly notes: readonly string[];
  /** A first listing for stores; `undefined` where there was one. */
  readonly listing: WrittenListing | undefined;
}

function configExists(file: string): HullError {
  return new HullError('begin.config-exists', `There is a ${CONFIG_FILE} here already; it was not touched.`, {
    location: { file },
    fix: 'Edit it, or begin in another folder.',
  });
}

function iconExists(file: string): HullError {
  return new HullError(
    'begin.config-exists',
    'There is an image already where the hosted icon would be saved; it was not touched.',
    { location: { file }, fix: 'Name it as the icon, or move it away.' },
  );
}

/** What a framework's build leaves for its own server, by the names beside each other in one folder. */
const CACHE_SIGNS = [
  /^cache$/,
  /^server$/,
  /-manifest\.json$/,
  /^(build|prerender|routes)-?\w*\.json$/,
  /^build[-_]?id$/i,
  /\.nft\.json$/,
  /\.tsbuildinfo$/,
];
/** Different ones of these that make a build cache: one or two a folder may have for reasons of its own. */
const MIN_SIGNS = 3;
/** The folder itself, and those above it that are looked at. */
const CACHE_DEPTH = 4;

/** Refuses what a framework's own server works from, and everything inside it. Throws `begin.build-cache`. */
function checkNoCache(target: string): void {
  let dir = resolve(target);
  for (let depth = 0; depth < CACHE_DEPTH; depth += 1) {
    let names: string[];
    try {
      names = readdirSync(dir);
    } catch {
      return; // what cannot be read is reported by who reads it
    }
    // A project's own folder may have a server and a cache of its own.
    if (names.includes('package.json')) return;
    const signs = CACHE_SIGNS.flatMap((sign) => names.find((name) => sign.test(name)) ?? []);
    if (new Set(signs).size >= MIN_SIGNS) {
      throw new HullError(
        'begin.build-cache',
        `This is what a framework’s own server works from (${signs.slice(0, 3).join(', ')}), not a web app that opens without it.`,
        {
          location: { file: target },
          fix: 'Turn on the framework’s static export and give the folder that it writes; or give the address where the app is hosted.',
        },
      );
    }
    if (dirname(dir) === dir) return;
    dir = dirname(dir);
  }
}

async function readTarget(target: string, reading: SiteReading): Promise<Site> {
  if (!/^https?:\/\//i.test(target)) {
    checkNoCache(target);
    const folder = await listWebFolder(target);
    const { onProgress } = reading;
    // Pages that were built for a path find their own files below it alone.
    const base = new URL(builtBaseOf(folder).builtFor ?? '/', FOLDER_ROOT);
    return readFolderSite(folder, { base, ...(onProgress ? { onProgress } : {}) });
  }
  const address = parseUrl(target);
  if (address) {
    const site = await readHost(address, reading);
    checkSameSite(address, site.start);
    return site;
  }
  throw new HullError('survey.bad-target', `"${target}" is not a web address.`, {
    fix: 'Write it in full, as in https://ferry.saltmarsh.example/',
  });
}

/** A sign-in or a parked domain elsewhere is not the app that was meant. */
function checkSameSite(wanted: URL, start: URL): void {
  if (isSameOwner(wanted.hostname, start.hostname)) return;
  throw new HullError(
    'begin.other-site',
    `${wanted.hostname} leads to another site, ${start.hostname}: nothing was written.`,
    {
      location: { url: start.href },
      fix: `If that is the app, give its address; if it is a sign-in, give the header field or the password that gets past it.`,
    },
  );
}

function missingValues(missing: Proposal['missing']): HullError {
  return new HullError(
    'begin.missing-value',
    `Not found, and not given: ${missing.map(({ question }) => question).join('; ')}.`,
    {
      location: { option: missing.map(({ key }) => key).join(', ') },
      fix: `Give ${missing.map(({ key }) => key).join(' and ')}.`,
    },
  );
}

/**
 * Reads a web app and writes the `hull.json` that describes it. An existing one is never changed.
 *
 * @throws HullError `begin.*`, `web.*`, `net.*`, `manifest.*`, `app.*`, `config.bad-value`, `disk.*`
 */
export async function beginProject(options: BeginOptions): Promise<BegunProject> {
  const { target, answers = {}, complete } = options;
  const dir = resolve(options.project ?? '.');
  const file = configPath(dir);
  if (existsSync(file)) throw configExists(file);
  const site = await readTarget(target, options);
  const webDir = site.kind === 'hosted' ? undefined : target;
  const { missing, notes, icon, ...proposed } = proposeProject(site, dir, webDir, answers);
  if (missing.length > 0 && !complete) throw missingValues(missing);
  const draft = complete ? await complete(proposed, missing) : proposed;
  const values = new Map([...draft.found].map(([key, { value }]) => [key, value]));
  const text = renderConfig(values, `./${SCHEMA_COPY}`, draft);
  if (icon !== undefined) {
    const iconFile = resolve(dir, icon.path);
    await writeNewFile(iconFile, icon.bytes, 0o644, () => iconExists(iconFile));
  }
  await writeNewFile(file, new TextEncoder().encode(text), 0o644, () => configExists(file));
  await writeSchemaCopy(dir);
  // A listing that is there is somebody's work.
  const project = readProject(dir);
  const listing = existsSync(listingFolder(project)) ? undefined : await writeListing(project, site);
  return { file, draft, notes, listing };
}
