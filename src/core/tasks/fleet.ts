import { createHash } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import pMap from 'p-map';
import { HullError } from '../errors.js';
import type { Finding } from '../finding.js';
import { changesSince, touchedBrands } from '../fleet/changes.js';
import { judgeFleet, type ReadBrand } from '../fleet/check.js';
import { type Brand, brandProject, chosenBrands, type Fleet, readFleet } from '../fleet/fleet.js';
import { namedFiles } from '../fleet/named-files.js';
import { shardOf } from '../fleet/shards.js';
import type { PackageKind } from '../platforms/android/inspect/package-kind.js';
import type { Project } from '../project/project.js';
import { listWebFolder, type WebFile } from '../site/folder.js';
import { fileSha256, replaceFile } from '../util/files.js';
import { isObject } from '../util/json-object.js';
import { VERSION } from '../util/version.js';
import { type PackedProject, type PackOptions, packOpened } from './pack-project.js';

export interface FleetOptions {
  /** Folder of `hull.json` and `fleet.json`. */
  readonly project?: string | undefined;
  /** These brands alone. */
  readonly only?: readonly string[] | undefined;
  /** Those alone that a change since this revision of Git touches. */
  readonly changedSince?: string | undefined;
  /** A part of all brands, for machines that share the work: the first of three is `{ part: 1, of: 3 }`. */
  readonly shard?: { readonly part: number; readonly of: number } | undefined;
}

/** A brand that could be read, or why not. */
export type ListedBrand = {
  readonly name: string;
  readonly groups: readonly string[];
  /** Why a change touches it; `undefined` where that was not asked. */
  readonly because?: readonly string[] | undefined;
} & ({ readonly project: Project } | { readonly error: HullError });

export interface ListedFleet {
  readonly brands: readonly ListedBrand[];
  /** What brands have in common that each should have of its own. */
  readonly findings: readonly Finding[];
}

function readBrand(fleet: Fleet, brand: Brand): ListedBrand {
  const { name, groups } = brand;
  try {
    return { name, groups, project: brandProject(fleet, brand) };
  } catch (error) {
    if (error instanceof HullError) return { name, groups, error };
    throw error;
  }
}

/** The brands that are meant, and why: those named, of these what a change touches, and of these the part. */
async function brandsOf(
  fleet: Fleet,
  { only = [], changedSince, shard }: FleetOptions,
  costs: ReadonlyMap<string, number>,
): Promise<{ readonly brand: Brand; readonly because: readonly string[] | undefined }[]> {
  const touched =
    changedSince === undefined
      ? undefined
      : await touchedBrands(fleet, await changesSince(fleet.project.dir, changedSince));
  const named = chosenBrands(fleet, only).filter(({ name }) => touched === undefined || touched.has(name));
  const chosen =
    shard === undefined
      ? named
      : shardOf(
          named,
          shard.part,
          shard.of,
          ({ name }) => costs.get(name) ?? 1,
          ({ name }) => name,
        );
  return chosen.map((brand) => ({ brand, because: touched?.get(brand.name) }));
}

/**
 * Lists the brands of a project, and what they should not have in common.
 *
 * @throws HullError `fleet.*`, `config.*`
 */
export async function listFleet(options: FleetOptions = {}): Promise<ListedFleet> {
  const fleet = readFleet(options.project ?? '.');
  const all = fleet.brands.map((brand) => ({ brand, read: readBrand(fleet, brand) }));
  const whole = all.flatMap(({ brand, read }): ReadBrand[] =>
    'project' in read ? [{ brand, project: read.project }] : [],
  );
  const chosen = await brandsOf(fleet, options, new Map());
  return {
    brands: chosen.flatMap(({ brand, because }) =>
      all.filter((one) => one.brand === brand).map(({ read }) => ({ ...read, because })),
    ),
    findings: judgeFleet(fleet, whole),
  };
}

/** What became of one brand. */
export type FleetResult = { readonly name: string; readonly milliseconds: number } & (
  | { readonly is: 'packed'; readonly packed: PackedProject }
  /** Its package is there, and nothing that it was made from has changed. */
  | { readonly is: 'unchanged'; readonly file: string; readonly size: number }
  | { readonly is: 'failed'; readonly error: HullError }
  /** It was not begun: the work was ended before. */
  | { readonly is: 'skipped' }
);

export interface FleetPackOptions
  extends FleetOptions,
    Omit<PackOptions, 'project' | 'debugKey' | 'store' | 'record'> {
  readonly kind?: PackageKind | undefined;
  /** Brands that are packed side by side. */
  readonly jobs?: number | undefined;
  /** What brands cost, by name: parts are even by it. It has to be the same on all machines that share the work. */
  readonly costs?: ReadonlyMap<string, number> | undefined;
  /** Called as each brand ends. */
  readonly onBrand?: ((result: FleetResult) => void) | undefined;
}

/** What is kept of a package that was made: from what, and what it was. */
interface Made {
  readonly inputs: string;
  readonly file: string;
  readonly size: number;
  readonly sha256: string;
}

const STATE = join('.hull', 'fleet.json');

function readMade(dir: string): Map<string, Made> {
  try {
    const kept: unknown = JSON.parse(readFileSync(join(dir, STATE), 'utf8'));
    return new Map(
      isObject(kept) ? (Object.entries(kept).filter(([, one]) => isObject(one)) as [string, Made][]) : [],
    );
  } catch {
    // Without it, everything is made.
    return new Map();
  }
}

/** Digests of folders and files that several brands share; each is read once. */
class Inputs {
  readonly #folders = new Map<string, Promise<string>>();
  readonly #files = new Map<string, Promise<string>>();

  #file(path: string): Promise<string> {
    const known = this.#files.get(path) ?? (existsSync(path) ? fileSha256(path) : Promise.resolve('none'));
    this.#files.set(path, known);
    return known;
  }

  #folder(dir: string): Promise<string> {
    const known = this.#folders.get(dir);
    if (known) return known;
    const digest = listWebFolder(dir, { sourceMaps: true }).then(async ({ files }) => {
      const hash = createHash('sha256');
      for (const { path, file } of files as readonly WebFile[])
        hash.update(`${path}\0${await fileSha256(file)}\n`);
      return hash.digest('hex');
    });
    this.#folders.set(dir, digest);
    return digest;
  }

  /** A digest of everything that a package is made from: settings, pages, icon, key, and this version. */
  async digest(project: Project, kind: PackageKind): Promise<string> {
    const { web } = project.settings;
    const parts = [
      VERSION,
      kind,
      JSON.stringify(project.settings),
      web.folder === undefined ? '' : await this.#folder(project.resolve(web.folder)),
      ...(await Promise.all(namedFiles(project).map((file) => this.#file(file)))),
    ];
    return createHash('sha256').update(parts.join('\n')).digest('hex');
  }
}

/** Whether a package is still the one that was made. */
async function isThere({ file, sha256 }: Made): Promise<boolean> {
  return existsSync(file) && (await fileSha256(file)) === sha256;
}

/**
 * Packs brands, those alone that are not there yet or have changed. What fails is one brand's; the others go on.
 *
 * @throws HullError `fleet.*`, `config.*`
 */
export async function packFleet(options: FleetPackOptions): Promise<FleetResult[]> {
  const {
    kind = 'apk',
    jobs = 1,
    signal,
    onBrand = () => undefined,
    only: _only,
    shard: _shard,
    costs: _costs,
    ...rest
  } = options;
  const fleet = readFleet(options.project ?? '.');
  const { dir } = fleet.project;
  const made = readMade(dir);
  const inputs = new Inputs();
  let writing: Promise<void> = Promise.resolve();
  const keep = (name: string, one: Made) => {
    made.set(`${name} ${kind}`, one);
    // One after the other, each whole: an end in between leaves what was noted before.
    writing = writing.then(() =>
      replaceFile(
        join(dir, STATE),
        new TextEncoder().encode(`${JSON.stringify(Object.fromEntries(made), undefined, 1)}\n`),
      ),
    );
    return writing;
  };
  const packBrand = async (brand: Brand): Promise<FleetResult> => {
    const began = Date.now();
    const { name } = brand;
    const ended = () => Date.now() - began;
    if (signal?.aborted) return { name, milliseconds: 0, is: 'skipped' };
    try {
      const project = brandProject(fleet, brand);
      const digest = await inputs.digest(project, kind);
      const before = made.get(`${name} ${kind}`);
      if (before?.inputs === digest && (await isThere(before)))
        return { name, milliseconds: ended(), is: 'unchanged', file: before.file, size: before.size };
      const packed = await packOpened(project, { ...rest, kind, ...(signal ? { signal } : {}) });
      await keep(name, { inputs: digest, file: packed.file, size: packed.size, sha256: packed.sha256 });
      return { name, milliseconds: ended(), is: 'packed', packed };
    } catch (error) {
      if (signal?.aborted) return { name, milliseconds: ended(), is: 'skipped' };
      if (error instanceof HullError) return { name, milliseconds: ended(), is: 'failed', error };
      throw error;
    }
  };
  return pMap(
    await brandsOf(fleet, options, options.costs ?? new Map()),
    async ({ brand }) => {
      const result = await packBrand(brand);
      onBrand(result);
      return result;
    },
    { concurrency: jobs },
  );
}
