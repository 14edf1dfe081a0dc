import { fixParts } from '../../core/errors.js';
import { countBySeverity, type Finding, reaches } from '../../core/finding.js';
import { type CheckedRelease, checkRelease } from '../../core/tasks/check-release.js';
import type { OptionsOf } from '../define-command.js';
import { siteReading } from '../options/site.js';
import { storeOptions } from '../options/store.js';
import { showFindings } from '../terminal/findings.js';
import { count, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import type { declare } from './release-check.js';

const STORES = { android: 'Android store', apple: 'Apple’s store' } as const;

/** @returns 1 where a finding reaches the threshold */
export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  file: string | undefined,
): Promise<number> {
  const { end, ...reading } = siteReading(io, options);
  const checked = await checkRelease({
    ...reading,
    ...storeOptions(io, options),
    project: options.project,
    file,
    stores: options.for === undefined ? undefined : [options.for],
  }).finally(end);
  const fails = checked.stores.some(({ findings }) => reaches(findings, options.failOn));
  if (io.json) {
    emit(
      io,
      'release check',
      {
        file: checked.file === undefined ? null : jsonPath(io, checked.file),
        stores: checked.stores.map(({ store, findings, notJudged }) => ({
          store,
          counts: countBySeverity(findings),
          findings: jsonFindings(io, findings),
          notJudged,
        })),
      },
      !fails,
    );
  } else show(io, checked);
  return fails ? 1 : 0;
}

function show(io: Io, { stores }: CheckedRelease): void {
  const { paint } = io;
  for (const { store, findings, notJudged } of stores) {
    const { error, warning, suggestion } = countBySeverity(findings);
    const counts = [
      error > 0 && paint.bad(count(error, 'error')),
      warning > 0 && paint.warn(count(warning, 'warning')),
      suggestion > 0 && count(suggestion, 'suggestion'),
    ].filter((part) => part !== false);
    io.out(
      `${paint.bold(STORES[store])}  ${counts.length > 0 ? counts.join(', ') : paint.good('nothing in the way')}`,
    );
    const isByHand = ({ code }: Finding) => code.startsWith('console.');
    showFindings(
      io,
      findings.filter((one) => !isByHand(one)),
    );
    showByHand(io, findings.filter(isByHand));
    for (const one of notJudged) io.out(labelled(`  ${paint.dim('not judged')}`, safe(one), io.width));
  }
}

/** What a person enters in the console: short, by the keys under which it is noted when it is done. */
function showByHand(io: Io, findings: readonly Finding[]): void {
  const { paint } = io;
  if (findings.length === 0) return;
  io.out(
    `  ${paint.warn('!')} ${paint.bold('By hand, in the console')}; note each with its day under release.done in hull.json`,
  );
  for (const { code, fix } of findings) {
    const key = code.replace('console.', '').replaceAll('-', '_');
    io.out(labelled(`    ${paint.dim(key)}`, safe(String(fixParts(fix)[0])), io.width));
  }
}
