import { HullError } from '../../core/errors.js';
import { readableFacts } from '../../core/keys/fingerprint.js';
import { openPackage, packageSignatures, signPackage } from '../../core/platforms/android/package/resign.js';
import { jarSignerName } from '../../core/platforms/android/signing/jar-names.js';
import type { SignatureReport } from '../../core/platforms/android/signing/report.js';
import { readProject } from '../../core/project/project.js';
import { bytes, columns, safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { signingPlan } from '../signing-key.js';

export interface SignOptions extends CommonOptions {
  readonly out?: string;
  readonly key?: string;
  readonly v1?: boolean;
  readonly verifyOnly?: boolean;
  readonly passwordFile?: string;
}

async function verifyOnly(io: Io, file: string): Promise<number> {
  const { source, layout, kind } = await openPackage(file);
  let report: SignatureReport;
  try {
    report = await packageSignatures(source, layout, kind);
  } catch (error) {
    throw error instanceof HullError ? error.at({ file }) : error;
  } finally {
    await source.close();
  }
  const schemes = report.schemes.map(({ scheme, state, faults, signers }) => ({
    scheme,
    state,
    faults,
    certificates: signers.flatMap(({ certificates: [own] }) => readableFacts(own) ?? []),
  }));
  if (io.json) outJson(io, { file, kind, verifies: report.verifies, gaps: report.gaps, schemes });
  else {
    const { paint } = io;
    const says = {
      verified: paint.good('verifies'),
      failed: paint.bad('does not verify'),
      unsigned: paint.bad('is not signed'),
    };
    io.out(`${safe(file)} ${says[report.verdict]}`);
    for (const gap of report.gaps) io.out(`  ${gap}`);
    for (const { scheme, state, faults, certificates } of schemes) {
      io.out(
        `  ${scheme.padEnd(4)} ${state === 'verified' ? paint.good('verified') : paint.bad('FAILED')}  ${certificates.map(({ sha256 }) => sha256).join(', ')}`,
      );
      for (const fault of faults) io.out(`       ${safe(fault)}`);
    }
  }
  return report.verifies ? 0 : 1;
}

export async function sign(io: Io, options: SignOptions, file: string): Promise<number> {
  if (options.verifyOnly) return verifyOnly(io, file);
  const { key, plan } = await signingPlan(io, options, readProject(options.project ?? '.'), options.key);
  const report = await signPackage({
    file,
    out: options.out,
    plan,
    v1: options.v1 ? 'always' : 'auto',
    signerName: jarSignerName(key.config.alias ?? key.name),
    signal: io.signal,
  });
  if (io.json) {
    outJson(io, report);
    return 0;
  }
  const { paint } = io;
  io.out(`${paint.bold(safe(report.file))}  ${bytes(report.size)}, signed, read back and verified`);
  io.out(
    columns([
      ['schemes', report.kind === 'aab' ? 'JAR, as stores want bundles' : report.schemes.join(', ')],
      ['certificate SHA-256', report.certificate],
    ]),
  );
  if (report.removed.length > 0) io.note(`${paint.dim('replaced')} ${report.removed.map(safe).join(', ')}`);
  if (report.realigned.length > 0) {
    io.note(
      `${paint.dim('aligned')} ${report.realigned.slice(0, 5).map(safe).join(', ')}${report.realigned.length > 5 ? ` and ${report.realigned.length - 5} more` : ''}`,
    );
  }
  return 0;
}
