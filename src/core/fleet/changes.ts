import { join, relative, resolve } from 'node:path';
import { HullError } from '../errors.js';
import { CONFIG_FILE } from '../project/config.js';
import { type Project, projectFrom } from '../project/project.js';
import { isInside } from '../util/files.js';
import { git } from '../util/git.js';
import { isObject } from '../util/json-object.js';
import { type Brand, brandProject, type Fleet, fleetOf } from './fleet.js';
import { namedFiles } from './named-files.js';

/** What has changed in a repository since a revision, and how texts were then. */
export interface Changes {
  /** Absolute paths of files that were changed, added or removed since, committed or not. */
  readonly files: readonly string[];
  /** A text as it was; `undefined` where there was none. */
  textThen(path: string): Promise<string | undefined>;
}

/**
 * Asks Git what has changed since a revision.
 *
 * @throws HullError `fleet.no-revision` where Git does not know it
 */
export async function changesSince(dir: string, revision: string): Promise<Changes> {
  try {
    // A name of a commit, and never an option of Git's.
    if (revision.startsWith('-')) throw new Error('an option');
    const commit = (await git(dir, 'rev-parse', `${revision}^{commit}`)).trim();
    const root = (await git(dir, 'rev-parse', '--show-toplevel')).trim();
    const changed = await git(root, 'diff', '--name-only', '--no-renames', '-z', commit, '--');
    const added = await git(root, 'ls-files', '--others', '--exclude-standard', '-z');
    const paths = `${changed}${added}`.split('\0').filter((path) => path !== '');
    return {
      files: [...new Set(paths)].map((path) => join(root, path)),
      textThen: (path) =>
        git(root, 'show', `${commit}:${relative(root, path).split('\\').join('/')}`).catch(() => undefined),
    };
  } catch (error) {
    const said = String((error as { stderr?: unknown }).stderr ?? '')
      .trim()
      .split('\n')[0];
    throw new HullError(
      'fleet.no-revision',
      `Git knows no revision "${revision}" here${said ? `: ${said}` : ''}.`,
      {
        location: { option: 'changedSince' },
        fix: 'Name a commit, branch or tag of the repository that the project is in; in CI, fetch enough of its history.',
        cause: error,
      },
    );
  }
}

/** Pointers of the settings that differ, at most so many; those of a list as one. */
function differing(one: unknown, other: unknown, pointer = ''): string[] {
  if (isObject(one) && isObject(other)) {
    return [...new Set([...Object.keys(one), ...Object.keys(other)])].flatMap((key) =>
      differing(one[key], other[key], `${pointer}/${key}`),
    );
  }
  return JSON.stringify(one) === JSON.stringify(other) ? [] : [pointer];
}

/** The fleet as it was; `undefined` where there was none, or none that holds. */
async function fleetThen({ project }: Fleet, changes: Changes): Promise<Fleet | undefined> {
  const path = join(project.dir, CONFIG_FILE);
  const config = await changes.textThen(path);
  if (config === undefined) return undefined;
  // Which texts a fleet needs is known by its own first one.
  const texts = new Map<string, string | undefined>();
  try {
    const then: Project = {
      ...projectFrom(project.file, config),
      dir: project.dir,
      resolve: (of) => resolve(project.dir, of),
    };
    for (;;) {
      const missing: string[] = [];
      try {
        return fleetOf(then, (wanted) => {
          if (!texts.has(wanted)) missing.push(wanted);
          return texts.get(wanted);
        });
      } catch (error) {
        if (missing.length === 0) throw error;
      }
      for (const wanted of missing) texts.set(wanted, await changes.textThen(wanted));
    }
  } catch (error) {
    if (error instanceof HullError) return undefined;
    throw error;
  }
}

/** Whether a package of a brand is made from a file. */
function isMadeFrom(path: string, project: Project, brand: Brand, named: ReadonlySet<string>): boolean {
  if (named.has(path) || isInside(path, brand.dir)) return true;
  const { folder } = project.settings.web;
  return folder !== undefined && isInside(path, project.resolve(folder));
}

/** Reasons that are named of each kind. */
const MOST = 3;

function some(list: readonly string[], what: string): string[] {
  if (list.length <= MOST) return list.map((one) => `${one} ${what}`);
  return [...list.slice(0, MOST).map((one) => `${one} ${what}`), `${list.length - MOST} more ${what}`];
}

/** Which brands a change touches, and why: those whose settings are others now, and those with files that have changed. */
export async function touchedBrands(
  fleet: Fleet,
  changes: Changes,
): Promise<ReadonlyMap<string, readonly string[]>> {
  const then = await fleetThen(fleet, changes);
  const touched = new Map<string, readonly string[]>();
  for (const brand of fleet.brands) {
    const before = then?.brands.find(({ name }) => name === brand.name);
    if (then === undefined || before === undefined) {
      touched.set(brand.name, ['it is new']);
      continue;
    }
    try {
      const project = brandProject(fleet, brand);
      const settings = differing(settingsOf(then, before), project.settings);
      const named = new Set(namedFiles(project));
      const files = changes.files
        .filter((path) => isMadeFrom(path, project, brand, named))
        .map((path) => relative(project.dir, path));
      const because = [...some(settings, 'has changed'), ...some(files, 'has changed')];
      if (because.length > 0) touched.set(brand.name, because);
    } catch (error) {
      if (!(error instanceof HullError)) throw error;
      touched.set(brand.name, ['it cannot be read']);
    }
  }
  return touched;
}

/** The settings of a brand as they were; `undefined` where they did not hold. */
function settingsOf(fleet: Fleet, brand: Brand): unknown {
  try {
    return brandProject(fleet, brand).settings;
  } catch (error) {
    if (error instanceof HullError) return undefined;
    throw error;
  }
}
