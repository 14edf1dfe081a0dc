import { signPackage, verifyPackage } from '../../core/tasks/sign-package.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { columns, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import { passwordOf } from '../terminal/passwords.js';
import type { declare } from './sign.js';

async function verifyOnly(io: Io, file: string): Promise<number> {
  const verified = await verifyPackage(file);
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
  if (options.verifyOnly) return verifyOnly(io, file);
  const report = await signPackage({
    project: options.project,
    file,
    out: options.out,
    key: options.key,
    password: passwordOf(io, options),
    v1: options.v1,
    signal: io.signal,
  });
  if (io.json) {
    emit(io, 'sign', { ...report, file: jsonPath(io, report.file) });
    return 0;
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
  return 0;
}
