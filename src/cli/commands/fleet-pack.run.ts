import { resolve } from 'node:path';
import { type BrandPackage, packFleet } from '../../core/tasks/fleet/pack.js';
import type { BrandRun } from '../../core/tasks/fleet/run.js';
import { shownPath } from '../../core/util/files.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { chosen } from '../options/fleet.js';
import { hostAccess } from '../options/site.js';
import type { FleetPackOutput } from '../outputs.js';
import { jsonRun, noteBrand, rowsOf, showFleet } from '../terminal/fleet-report.js';
import { duration } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import type { declare } from './fleet-pack.js';

function packedBrand(io: Io, run: BrandRun<BrandPackage>): FleetPackOutput['brands'][number] {
  if (run.is !== 'done') return { ...jsonRun(io, run), result: run.is, file: null, size: null, sha256: null };
  const { state, file, size, sha256 } = run.result;
  return { ...jsonRun(io, run), result: state, file: jsonPath(io, file), size, sha256 };
}

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const brands = await packFleet({
    ...hostAccess(io, options),
    ...chosen(options),
    kind: options.kind,
    record: options.record,
    out: options.out === undefined ? undefined : resolve(options.out),
    key: options.key,
    password: passwordOf(io, options),
    originCheck: options.skipOriginCheck ? 'skip' : undefined,
    signal: io.signal,
    onBrand: noteBrand(io, ({ state }) => state),
  });
  const columns = ['Size', 'Time', 'Package'];
  return showFleet(io, options, 'fleet pack', {
    ok: brands.every(({ is }) => is === 'done'),
    report: {
      title: 'Packed brands',
      columns,
      rows: rowsOf(brands, columns.length, ({ state, size, file }, { milliseconds }) => ({
        result: state,
        tone: state === 'packed' ? 'good' : 'dim',
        cells: [formatBytes(size), duration(milliseconds), shownPath(file)],
      })),
    },
    document: () => ({ brands: brands.map((one) => packedBrand(io, one)) }),
  });
}
