import pMap from 'p-map';
import { HullError } from '../../errors.js';
import { type Brand, brandProject, readFleet } from '../../fleet/fleet.js';
import type { Project } from '../../project/project.js';
import { brandsOf, type FleetOptions } from './brands.js';

/** What became of one brand. */
export type BrandRun<T> = {
  readonly name: string;
  /** Why a change touches it; `undefined` where that was not asked. */
  readonly because: readonly string[] | undefined;
  /** That it took by itself. */
  readonly milliseconds: number;
} & (
  | { readonly is: 'done'; readonly result: T }
  | { readonly is: 'failed'; readonly error: HullError }
  /** It was not begun or not ended: the work was stopped before. */
  | { readonly is: 'skipped' }
);

/** Options of everything that is done for one brand after the other. */
export interface FleetRunOptions<T> extends FleetOptions {
  /** Brands that are worked on side by side; by default 1. */
  readonly jobs?: number | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Called as each brand ends. */
  readonly onBrand?: ((run: BrandRun<T>) => void) | undefined;
}

/**
 * Does something for each brand. What fails is one brand's; the others go on.
 *
 * @param work is to say how long it waited for other brands: that is no time of its own
 * @throws HullError `fleet.*`, `config.*` of the project itself
 */
export async function overBrands<T>(
  options: FleetRunOptions<T>,
  work: (project: Project, brand: Brand, onWaited: (ms: number) => void) => Promise<T>,
): Promise<BrandRun<T>[]> {
  const { jobs = 1, signal, onBrand } = options;
  const fleet = readFleet(options.project ?? '.');
  return pMap(
    await brandsOf(fleet, options),
    async ({ brand, because }) => {
      const began = Date.now();
      let waited = 0;
      const onWaited = (ms: number) => {
        waited += ms;
      };
      const run = await runOf(signal, () => work(brandProject(fleet, brand), brand, onWaited));
      const ended = { name: brand.name, because, milliseconds: Date.now() - began - waited, ...run };
      onBrand?.(ended);
      return ended;
    },
    { concurrency: jobs },
  );
}

async function runOf<T>(signal: AbortSignal | undefined, work: () => Promise<T>) {
  if (signal?.aborted) return { is: 'skipped' as const };
  try {
    return { is: 'done' as const, result: await work() };
  } catch (error) {
    if (signal?.aborted) return { is: 'skipped' as const };
    if (error instanceof HullError) return { is: 'failed' as const, error };
    throw error;
  }
}
