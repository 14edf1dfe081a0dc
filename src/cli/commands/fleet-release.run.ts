import { countBySeverity, reaches } from '../../core/finding.js';
import { readShare } from '../../core/store/release/tracks.js';
import { type BrandRelease, releaseFleet } from '../../core/tasks/fleet/release.js';
import type { BrandRun } from '../../core/tasks/fleet/run.js';
import { shareFindings } from '../../core/tasks/fleet/survey.js';
import type { OptionsOf } from '../define-command.js';
import { chosen } from '../options/fleet.js';
import { quietReading } from '../options/site.js';
import { storeOptions } from '../options/store.js';
import type { FleetReleaseOutput } from '../outputs.js';
import {
  type BrandRow,
  countsText,
  jsonRun,
  jsonShared,
  noteBrand,
  rowsOf,
  showFleet,
} from '../terminal/fleet-report.js';
import { count } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { jsonPath } from '../terminal/json.js';
import type { declare } from './fleet-release.js';

function rowOf(result: BrandRelease): Omit<BrandRow, 'name' | 'because'> {
  if (result.is === 'checked') {
    const isBad = reaches(result.findings, 'error');
    return { result: result.is, tone: isBad ? 'bad' : 'good', cells: [countsText(result.findings), '', ''] };
  }
  const version = `${result.version ?? '?'} (${result.build})`;
  const changes = result.changes === 0 ? '' : `${count(result.changes, 'change')} to the listing`;
  return {
    result: result.is === 'there' ? 'there already' : result.is,
    tone: result.is === 'sent' ? 'good' : 'dim',
    cells: [changes, version, result.track],
  };
}

function document(io: Io, run: BrandRun<BrandRelease>): FleetReleaseOutput['brands'][number] {
  const none = { counts: null, notJudged: [], sent: null };
  if (run.is !== 'done') return { ...jsonRun(io, run), ...none, result: run.is };
  const { result } = run;
  if (result.is === 'checked') {
    const { findings, notJudged } = result;
    return { ...jsonRun(io, run), ...none, result: result.is, counts: countBySeverity(findings), notJudged };
  }
  const { file, track, version, build, changes } = result;
  const sent = { file: jsonPath(io, file), track, version: version ?? null, build, changes };
  return { ...jsonRun(io, run), ...none, result: result.is, sent };
}

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const brands = await releaseFleet({
    ...quietReading(io, options),
    ...storeOptions(io, options),
    ...chosen(options),
    track: options.to,
    share: options.share === undefined ? undefined : readShare(options.share),
    draft: options.draft,
    review: options.review ? 'at once' : 'by hand',
    mode: options.dryRun ? 'look' : 'send',
    signal: io.signal,
    onBrand: noteBrand(io, ({ is }) => is),
  });
  const checked = brands.flatMap((one) =>
    one.is === 'done' && one.result.is === 'checked'
      ? [{ name: one.name, findings: one.result.findings }]
      : [],
  );
  const shared = shareFindings(checked);
  const reached = checked.some((one) => reaches(one.findings, options.failOn));
  const columns = options.to === undefined ? ['Found'] : ['Changes', 'Version', 'Track'];
  return showFleet(io, options, 'fleet release', {
    ok: !reached && brands.every(({ is }) => is === 'done'),
    report: {
      title: options.to === undefined ? 'Releases of brands' : `Releases to ${options.to}`,
      columns,
      rows: rowsOf(brands, columns.length, rowOf),
      findings: { shared, brands: checked.length },
    },
    document: () => ({
      brands: brands.map((one) => document(io, one)),
      findings: jsonShared(io, shared),
    }),
  });
}
