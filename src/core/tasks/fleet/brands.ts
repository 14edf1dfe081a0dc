import { HullError } from '../../errors.js';
import type { Finding } from '../../finding.js';
import { changesSince, touchedBrands } from '../../fleet/changes.js';
import { judgeFleet, type ReadBrand } from '../../fleet/check.js';
import { type Brand, brandProject, chosenBrands, type Fleet, readFleet } from '../../fleet/fleet.js';
import { shardOf } from '../../fleet/shards.js';
import type { Project } from '../../project/project.js';

/** Which brands are meant; by default all. */
export interface FleetOptions {
  /** Folder of `hull.json` and `fleet.json`. */
  readonly project?: string | undefined;
  /** These brands alone. */
  readonly only?: readonly string[] | undefined;
  /** Those alone that a change since this revision of Git touches. */
  readonly changedSince?: string | undefined;
  /** A part of all brands, for machines that share the work: the first of three is `{ part: 1, of: 3 }`. */
  readonly shard?: { readonly part: number; readonly of: number } | undefined;
  /** What brands cost, by name: parts are even by it. It has to be the same on all machines that share the work. */
  readonly costs?: ReadonlyMap<string, number> | undefined;
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

/** A brand that is meant, and why a change touches it where that was asked. */
export interface ChosenBrand {
  readonly brand: Brand;
  readonly because: readonly string[] | undefined;
}

function readBrand(fleet: Fleet, brand: Brand): { project: Project } | { error: HullError } {
  try {
    return { project: brandProject(fleet, brand) };
  } catch (error) {
    if (error instanceof HullError) return { error };
    throw error;
  }
}

/**
 * The brands that are meant: those named, of these what a change touches, and of these the part.
 *
 * @throws HullError `fleet.no-brand`, `fleet.no-revision`
 */
export async function brandsOf(
  fleet: Fleet,
  { only = [], changedSince, shard, costs }: FleetOptions,
): Promise<ChosenBrand[]> {
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
          ({ name }) => costs?.get(name) ?? 1,
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
  const all = new Map(fleet.brands.map((brand) => [brand, readBrand(fleet, brand)]));
  const whole = [...all].flatMap(([brand, read]): ReadBrand[] =>
    'project' in read ? [{ brand, project: read.project }] : [],
  );
  const chosen = await brandsOf(fleet, options);
  return {
    brands: chosen.map(({ brand, because }) => ({
      name: brand.name,
      groups: brand.groups,
      because,
      ...(all.get(brand) ?? readBrand(fleet, brand)),
    })),
    findings: judgeFleet(fleet, whole),
  };
}
