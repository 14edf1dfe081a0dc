import type { SignedIpa } from '../../core/tasks/sign-ipa.js';
import { type SignedPackage, signPackage, verifyPackage } from '../../core/tasks/sign-package.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { showFindings } from '../terminal/findings.js';
import { columns, labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import type { declare } from './sign.js';

async function verifyOnly(io: Io, file: string, dir: string): Promise<number> {
  const verified = await verifyPackage(file, dir);
  const { verifies, verdict, gaps, schemes } = verified;
  if (io.json) {
    emit(io, 'sign', { ...verified, file: jsonPath(io, file) }, verifies);
    return verifies ? 0 : 1;
  }
  const { paint } = io;
  const says = {
    verified: paint.good('verifies'),
    failed: paint.bad('does not verify'),
    unsigned: paint.bad('is not signed'),
    'by nobody': paint.bad('is signed by nobody'),
  };
  io.out(`${safe(file)} ${says[verdict]}`);
  for (const gap of gaps) io.out(`  ${gap}`);
  for (const { scheme, state, faults, certificates } of schemes) {
    const shown = state === 'verified' ? paint.good('verified') : paint.bad('FAILED');
    io.out(`  ${scheme.padEnd(4)} ${shown}  ${certificates.map(({ sha256 }) => sha256).join(', ')}`);
    for (const fault of faults) io.out(`       ${safe(fault)}`);
  }
  return verifies ? 0 : 1;
}

/** Paths that are named. */
const SHOWN = 5;

export async function run(io: Io, options: OptionsOf<typeof declare>, file: string): Promise<number> {
  if (options.verifyOnly) return verifyOnly(io, file, options.project);
  const report = await signPackage({
    project: options.project,
    file,
    out: options.out,
    key: options.key,
    profile: options.profile,
    password: passwordOf(io, options),
    v1: options.v1,
    signal: io.signal,
  });
  if (report.kind === 'ipa') return tellIpa(io, report);
  tell(io, report);
  return 0;
}

function tellIpa(io: Io, report: SignedIpa): number {
  const { paint } = io;
  const findings = jsonFindings(io, report.findings);
  if (report.is === 'refused') {
    if (io.json) emit(io, 'sign', { kind: 'ipa', is: 'refused', findings }, false);
    else {
      showFindings(io, report.findings, '');
      io.out(paint.bad('Not signed: identity, profile and app do not fit.'));
    }
    return 1;
  }
  if (io.json) {
    emit(io, 'sign', { ...report, file: jsonPath(io, report.file), findings });
    return 0;
  }
  const { file, size, bundleId, team, programs, dropped } = report;
  showFindings(io, report.findings, '');
  io.out(`${paint.bold(safe(file))}  ${formatBytes(size)}, signed, read back and verified`);
  io.out(
    columns([
      ['app', safe(bundleId)],
      ['team', safe(team)],
      ['programs', String(programs.length)],
    ]),
  );
  if (dropped.length > 0) {
    const said = `The profile does not allow ${dropped.map(safe).join(', ')}: the app is signed without.`;
    io.note(labelled(paint.warn('left out'), said, io.width));
  }
  return 0;
}

function tell(io: Io, report: Exclude<SignedPackage, SignedIpa>): void {
  if (io.json) {
    const { is: _is, ...signed } = report;
    emit(io, 'sign', { ...signed, file: jsonPath(io, report.file) });
    return;
  }
  const { paint } = io;
  const { removed, realigned } = report;
  io.out(`${paint.bold(safe(report.file))}  ${formatBytes(report.size)}, signed, read back and verified`);
  io.out(
    columns([
      ['schemes', report.kind === 'aab' ? 'JAR, as stores want bundles' : report.schemes.join(', ')],
      ['certificate SHA-256', report.certificate],
    ]),
  );
  if (removed.length > 0) io.note(`${paint.dim('replaced')} ${removed.map(safe).join(', ')}`);
  if (realigned.length > 0) {
    const more = realigned.length > SHOWN ? ` and ${realigned.length - SHOWN} more` : '';
    io.note(`${paint.dim('aligned')} ${realigned.slice(0, SHOWN).map(safe).join(', ')}${more}`);
  }
}
