import { makeFleetArt } from '../../core/tasks/fleet/art.js';
import type { OptionsOf } from '../define-command.js';
import { chosen } from '../options/fleet.js';
import { jsonRun, noteBrand, rowsOf, showFleet } from '../terminal/fleet-report.js';
import { duration } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import type { declare } from './fleet-art.js';

const said = (complete: boolean) => (complete ? ('complete' as const) : ('incomplete' as const));

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const brands = await makeFleetArt({
    ...chosen(options),
    target: options.target,
    mode: options.check ? 'check' : 'write',
    signal: io.signal,
    onBrand: noteBrand(io, ({ complete }) => said(complete)),
  });
  const columns = ['Images', 'Time'];
  return showFleet(io, options, 'fleet art', {
    ok: brands.every((one) => one.is === 'done' && one.result.complete),
    report: {
      title: 'Images of brands',
      columns,
      rows: rowsOf(brands, columns.length, ({ complete, counts, notes }, { milliseconds }) => ({
        result: said(complete),
        tone: complete ? 'good' : 'bad',
        cells: [
          [...counts].map(([state, of]) => `${of} ${state.replaceAll('-', ' ')}`).join(', '),
          duration(milliseconds),
        ],
        notes,
      })),
    },
    document: () => ({
      brands: brands.map((one) => ({
        ...jsonRun(io, one),
        result: one.is === 'done' ? said(one.result.complete) : one.is,
        counts: one.is === 'done' ? Object.fromEntries(one.result.counts) : null,
        notes: one.is === 'done' ? one.result.notes : [],
      })),
    }),
  });
}
