import type { ArtState } from '../../art/make.js';
import { type ArtOptions, makeArt } from '../make-art.js';
import { type BrandRun, type FleetRunOptions, overBrands } from './run.js';

export interface FleetArtOptions extends FleetRunOptions<BrandArt>, Pick<ArtOptions, 'mode'> {
  /** Images of one target; by default of all. */
  readonly target?: ArtOptions['only'];
}

/** The images of a brand, in the folder of its own files. */
export interface BrandArt {
  /** Whether all images are there and as planned. */
  readonly complete: boolean;
  readonly notes: readonly string[];
  /** How many images are in each state. */
  readonly counts: ReadonlyMap<ArtState, number>;
}

/**
 * Makes the images of brands as {@link makeArt} does those of a project.
 *
 * @throws HullError `fleet.*`, `config.*`
 */
export function makeFleetArt(options: FleetArtOptions): Promise<BrandRun<BrandArt>[]> {
  const { target, mode, signal } = options;
  return overBrands(options, async (project) => {
    const { complete, notes, results } = await makeArt({ project, only: target, mode, signal });
    const counts = new Map<ArtState, number>();
    for (const { state } of results) counts.set(state, (counts.get(state) ?? 0) + 1);
    return { complete, notes, counts };
  });
}
