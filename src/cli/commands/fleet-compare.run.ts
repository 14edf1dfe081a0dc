import { type BrandComparison, compareFleet } from '../../core/tasks/fleet/compare.js';
import { shareFindings } from '../../core/tasks/fleet/survey.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { chosen } from '../options/fleet.js';
import { jsonRun, noteBrand, rowsOf, showFleet } from '../terminal/fleet-report.js';
import type { Io } from '../terminal/io.js';
import { jsonFindings, jsonPath } from '../terminal/json.js';
import type { declare } from './fleet-compare.js';

const TONES = { current: 'good', 'out of date': 'warn', unknown: 'dim', missing: 'bad' } as const;

function updateText({ before, accepted }: BrandComparison): string {
  if (before === undefined) return 'none before';
  return accepted ? 'accepted' : 'refused';
}

function growth(bytes: number | undefined): string {
  if (bytes === undefined) return '';
  if (bytes === 0) return 'same size';
  return `${bytes > 0 ? '+' : '−'}${formatBytes(Math.abs(bytes))}`;
}

const optional = (io: Io, file: string | undefined) => (file === undefined ? null : jsonPath(io, file));

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  released: string | undefined,
): Promise<number> {
  const brands = await compareFleet({
    ...chosen(options),
    kind: options.kind,
    released,
    signal: io.signal,
    onBrand: noteBrand(io, ({ state }) => state),
  });
  const compared = brands.flatMap((one) =>
    one.is === 'done' ? [{ name: one.name, findings: one.result.findings }] : [],
  );
  const columns = ['As an update', 'Size', 'Package'];
  const holds = ({ state, accepted }: BrandComparison) => state !== 'missing' && accepted !== false;
  return showFleet(io, options, 'fleet compare', {
    ok: brands.every((one) => one.is === 'done' && holds(one.result)),
    report: {
      title: 'Packages of brands',
      columns,
      rows: rowsOf(brands, columns.length, (result) => ({
        result: result.state,
        tone: holds(result) ? TONES[result.state] : 'bad',
        cells: [updateText(result), growth(result.grown), result.file ?? ''],
        notes: result.changes,
      })),
      findings: { shared: shareFindings(compared), brands: compared.length },
    },
    document: () => ({
      brands: brands.map((one) =>
        one.is === 'done'
          ? {
              ...jsonRun(io, one),
              result: one.result.state,
              file: optional(io, one.result.file),
              before: optional(io, one.result.before),
              accepted: one.result.accepted ?? null,
              grown: one.result.grown ?? null,
              changes: one.result.changes,
              findings: jsonFindings(io, one.result.findings),
            }
          : {
              ...jsonRun(io, one),
              ...{ result: one.is, file: null, before: null, accepted: null, grown: null },
              ...{ changes: [], findings: [] },
            },
      ),
    }),
  });
}
