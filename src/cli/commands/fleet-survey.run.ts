import { countBySeverity, reaches } from '../../core/finding.js';
import { surveyFleet } from '../../core/tasks/fleet/survey.js';
import { VERSION } from '../../core/util/version.js';
import type { OptionsOf } from '../define-command.js';
import { browserOptions, installedBrowser } from '../options/browser.js';
import { chosen } from '../options/fleet.js';
import { writeReport } from '../options/report.js';
import { quietReading } from '../options/site.js';
import {
  brandsText,
  countsText,
  jsonRun,
  jsonShared,
  noteBrand,
  rowsOf,
  showFleet,
} from '../terminal/fleet-report.js';
import { duration } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { knownPassword } from '../terminal/passwords.js';
import { sayTask } from '../terminal/say-task.js';
import type { declare } from './fleet-survey.js';

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const { brands, findings: shared } = await surveyFleet({
    ...quietReading(io, options),
    ...chosen(options),
    ...(options.browser ? { browser: browserOptions(io, installedBrowser(io, '--browser'), options) } : {}),
    knownPassword: (name) => knownPassword(io, {}, name),
    signal: io.signal,
    onBrand: noteBrand(io, () => 'surveyed'),
  });
  const surveyed = brands.filter(({ is }) => is === 'done').length;
  const reached = reaches(
    shared.map(({ finding }) => finding),
    options.failOn,
  );
  const columns = ['Found', 'Time'];
  const { sarif } = options;
  if (sarif !== undefined) {
    const { findingsSarif } = await import('../../core/survey/report-sarif.js');
    const named = shared.map(({ finding, brands: names }) => ({
      ...finding,
      observed: `${finding.observed} (${brandsText(names, surveyed)})`,
    }));
    const log = findingsSarif(named, VERSION, process.cwd(), sayTask);
    await writeReport({ ...io, json: true }, sarif, (inner) => inner.out(JSON.stringify(log, undefined, 2)));
    io.note(`${sarif} written`);
  }
  return showFleet(io, options, 'fleet survey', {
    ok: !reached && brands.every(({ is }) => is === 'done'),
    report: {
      title: 'Survey of brands',
      columns,
      rows: rowsOf(brands, columns.length, (result, { milliseconds }) => ({
        result: 'surveyed',
        tone: reaches(result.findings, options.failOn) ? 'bad' : 'good',
        cells: [countsText(result.findings), duration(milliseconds)],
      })),
      findings: { shared, brands: surveyed },
    },
    document: () => ({
      brands: brands.map((one) => ({
        ...jsonRun(io, one),
        result: one.is === 'done' ? ('surveyed' as const) : one.is,
        counts: one.is === 'done' ? countBySeverity(one.result.findings) : null,
      })),
      findings: jsonShared(io, shared),
    }),
  });
}
