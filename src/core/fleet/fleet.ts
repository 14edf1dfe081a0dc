import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { HullError } from '../errors.js';
import { nearest } from '../project/nearest.js';
import { type Project, projectOf, readProject } from '../project/project.js';
import { readTextFile, shownPath } from '../util/files.js';
import { type LocatedJson, parseLocatedJson } from '../util/json-locations.js';
import { checkJson } from '../util/json-schema.js';
import { validate } from './fleet-schema.generated.js';
import { type Layer, layered, layerOf } from './layers.js';
import { readTable } from './table.js';

export const FLEET_FILE = 'fleet.json';
const FIX = 'docs/fleet.md describes every key.';

interface FleetConfig {
  readonly groups?: Readonly<Record<string, object>>;
  readonly table?: string;
  readonly brands: Readonly<
    Record<string, { readonly groups?: readonly string[]; readonly folder?: string; readonly patch?: object }>
  >;
}

/** A brand: what it says of its own, over what it shares. */
export interface Brand {
  readonly name: string;
  readonly groups: readonly string[];
  /** Folder of its own files, absolute; it may be missing. */
  readonly dir: string;
  /** Of its groups, of the table, and its own. */
  readonly layers: readonly Layer[];
  /** What it alone says: its row, and its own patch. */
  readonly own: readonly Layer[];
}

/** Many brands of one project. */
export interface Fleet {
  readonly project: Project;
  readonly json: LocatedJson;
  /** `fleet.json` and its table, absolute. */
  readonly files: readonly string[];
  /** In the order of the file, then those that only the table has. */
  readonly brands: readonly Brand[];
}

/** Where the texts of a fleet are read: on disk, or as they were at an earlier time. `undefined` where there is none. */
export type FleetTexts = (path: string) => string | undefined;

const onDisk: FleetTexts = (path) => (existsSync(path) ? readTextFile(path) : undefined);

/**
 * Reads `fleet.json` beside `hull.json`, and its table.
 *
 * @param dir folder of the project
 * @throws HullError `fleet.missing`, `fleet.malformed`, `fleet.no-group`, `fleet.bad-table`, `config.*`
 */
export const readFleet = (dir: string): Fleet => fleetOf(readProject(dir), onDisk);

/** As {@link readFleet}, of a project that has been read. @param texts absolute paths to texts */
export function fleetOf(project: Project, texts: FleetTexts): Fleet {
  const path = join(project.dir, FLEET_FILE);
  const file = shownPath(path);
  const text = texts(path);
  if (text === undefined) {
    throw new HullError('fleet.missing', `There is no ${FLEET_FILE} beside hull.json.`, {
      location: { file },
      fix: `Write one that names the brands: { "brands": { "heron-point": { "patch": { "app": { "id": "…" } } } } }; docs/fleet.md describes it.`,
    });
  }
  const json = parseLocatedJson(file, text, { comments: true, code: 'fleet.malformed', fix: FIX });
  checkJson(json, validate, 'fleet.malformed', FIX);
  const config = json.value as FleetConfig;
  const rows = tableOf(project, json, config, texts);
  const names = [
    ...Object.keys(config.brands),
    ...[...rows.keys()].filter((name) => !Object.hasOwn(config.brands, name)),
  ];
  const files = config.table === undefined ? [path] : [path, project.resolve(config.table)];
  const brands = names.map((name) => brandOf(project, json, config, name, rows.get(name)));
  return { project, json, files, brands };
}

function tableOf(
  project: Project,
  json: LocatedJson,
  { table }: FleetConfig,
  texts: FleetTexts,
): ReadonlyMap<string, Layer> {
  if (table === undefined) return new Map();
  const path = project.resolve(table);
  const text = texts(path);
  if (text !== undefined) return readTable(shownPath(path), text);
  throw new HullError('fleet.bad-table', `There is no table ${shownPath(path)}.`, {
    location: json.location('/table'),
    fix: 'Correct the path, or leave "table" out.',
  });
}

function brandOf(
  project: Project,
  json: LocatedJson,
  { brands, groups = {} }: FleetConfig,
  name: string,
  row: Layer | undefined,
): Brand {
  const { groups: wanted = [], folder = `brands/${name}`, patch } = brands[name] ?? {};
  const shared = wanted.map((group, index) => {
    const found = groups[group];
    if (found !== undefined) return layerOf(json, `/groups/${group}`, found);
    const near = nearest(group, Object.keys(groups));
    throw new HullError('fleet.no-group', `There is no group "${group}".`, {
      location: json.location(`/brands/${name}/groups/${index}`),
      fix: near === undefined ? 'Describe it under "groups".' : `Did you mean "${near}"?`,
    });
  });
  const own = [...(row ? [row] : []), ...(patch ? [layerOf(json, `/brands/${name}/patch`, patch)] : [])];
  return { name, groups: wanted, dir: project.resolve(folder), layers: [...shared, ...own], own };
}

/**
 * The project of a brand: its values merged over those of `hull.json`, each with the place where it was said.
 *
 * @throws HullError `config.*`
 */
export function brandProject({ project, files }: Fleet, { name, dir, layers }: Brand): Project {
  return projectOf(layered(project.json, layers), project.dir, { name, dir, described: files });
}

/**
 * Brands by their names; all where none is named.
 *
 * @throws HullError `fleet.no-brand`
 */
export function chosenBrands({ brands }: Fleet, names: readonly string[]): Brand[] {
  if (names.length === 0) return [...brands];
  return names.map((name) => {
    const found = brands.find((one) => one.name === name);
    if (found) return found;
    const near = nearest(
      name,
      brands.map((one) => one.name),
    );
    throw new HullError('fleet.no-brand', `There is no brand "${name}".`, {
      location: { option: 'only' },
      fix: near === undefined ? `${FLEET_FILE} names the brands.` : `Did you mean "${near}"?`,
    });
  });
}
