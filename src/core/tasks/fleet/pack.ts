import { existsSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { type Made, type MadePackage, MadePackages } from '../../fleet/made-packages.js';
import type { Project } from '../../project/project.js';
import { outFolder } from '../out-folder.js';
import { endShared, type PackOptions, packShared, packSharing } from '../pack-project.js';
import { provenanceFile } from '../provenance.js';
import { type BrandRun, type FleetRunOptions, overBrands } from './run.js';

/** The package of a brand. */
export interface BrandPackage extends MadePackage {
  /** `unchanged`: it was there, and nothing that it was made from has changed. */
  readonly state: 'packed' | 'unchanged';
}

export interface FleetPackOptions
  extends FleetRunOptions<BrandPackage>,
    Omit<PackOptions, 'project' | 'debugKey' | 'store' | 'record' | 'signal' | 'onProgress'> {
  /** Writes a bill of materials and a signed statement of origin beside each package; by default it does. */
  readonly record?: boolean | undefined;
}

/**
 * Packs brands, those alone that are not there yet or have changed. Pages that they share are read and compressed once.
 * What fails is one brand's; the others go on.
 *
 * @throws HullError `fleet.*`, `config.*`
 */
export async function packFleet(options: FleetPackOptions): Promise<BrandRun<BrandPackage>[]> {
  const { kind = 'apk', record = true, jobs: _jobs, costs: _costs, onBrand: _onBrand, ...rest } = options;
  const dir = resolve(options.project ?? '.');
  const made = new MadePackages(dir);
  const shared = packShared(dir, 'brands');
  const { inputs } = shared;
  /** Whether a package is also where it is to be, signed as it is to be, and recorded where that is asked for. */
  const isWanted = ({ file, key }: Made, brand: Project): boolean =>
    dirname(file) === outFolder(brand, rest.out) &&
    key === rest.key &&
    (!record || existsSync(provenanceFile(file)));
  const packBrand = async (
    brand: Project,
    name: string,
    onWaited: (ms: number) => void,
  ): Promise<BrandPackage> => {
    const key = `${name} ${kind}`;
    const digest = await inputs.digest(brand, kind);
    const before = await made.unchanged(key, digest);
    if (before && isWanted(before, brand)) return { ...packageOf(before), state: 'unchanged' };
    const packed = packageOf(await packSharing(brand, { ...rest, kind, record }, { ...shared, onWaited }));
    await made.keep(key, { inputs: digest, key: rest.key, ...packed });
    return { ...packed, state: 'packed' };
  };
  try {
    return await overBrands(options, (brand, { name }, onWaited) => packBrand(brand, name, onWaited));
  } finally {
    await endShared(shared);
  }
}

/** What is kept of thousands is little. */
const packageOf = ({ file, size, sha256 }: MadePackage) => ({ file, size, sha256 });
