import { HullError } from '../errors.js';
import { readPaths } from '../formats/zip/reader.js';
import { type CertificateFacts, readableFacts } from '../keys/fingerprint.js';
import { withFileSource } from '../packaging/read-package.js';
import type { PackageKind } from '../platforms/android/inspect/package-kind.js';
import {
  openPackage,
  packageSignatures,
  type ResignReport,
  resign,
} from '../platforms/android/package/resign.js';
import type { SignatureReport } from '../platforms/android/signing/report.js';
import type { IpaFacts } from '../platforms/apple/inspect/facts.js';
import { areIpaPaths } from '../platforms/apple/package/bundle-folder.js';
import { openProject } from '../project/project.js';
import { openSigning } from './passwords.js';
import type { SignedIpa } from './sign-ipa.js';
import type { SignOptions } from './sign-options.js';

/** An app package that was signed again, or why it was not. */
export type SignedPackage = (ResignReport & { readonly is: 'signed' }) | SignedIpa;

/**
 * Signs any package or bundle again: aligned, with older signatures replaced, read back and verified. An `.ipa` is held against
 * identity and profile first.
 *
 * @throws HullError `zip.*`, `package.unknown`, `keys.*`, `apple.*`, `profile.malformed`, `signing.*`, `ipa.*`, `disk.*`
 */
export async function signPackage(options: SignOptions): Promise<SignedPackage> {
  if (await isIpaFile(options.file)) return (await import('./sign-ipa.js')).signIpa(options);
  const project = openProject(options.project);
  const report = await resign({
    ...(await openSigning(project, options.key, options.password)),
    file: options.file,
    out: options.out,
    v1: options.v1 ? 'always' : 'auto',
    ...(options.signal ? { signal: options.signal } : {}),
  });
  return { is: 'signed', ...report };
}

/** Reads no more of a package than the paths in it. Throws `file.missing`, `zip.*`. */
const isIpaFile = async (file: string): Promise<boolean> =>
  areIpaPaths(await withFileSource(file, readPaths));

export interface VerifiedPackage {
  readonly file: string;
  readonly kind: PackageKind | 'ipa';
  readonly verifies: boolean;
  readonly verdict: SignatureReport['verdict'] | 'by nobody';
  /** API levels on which no signature counts. */
  readonly gaps: readonly string[];
  readonly schemes: readonly {
    readonly scheme: string;
    readonly state: string;
    readonly faults: readonly string[];
    readonly certificates: readonly CertificateFacts[];
  }[];
}

/** What an `.ipa`'s signature is, in the words of the others. */
function verifiedIpa({ file, signature }: IpaFacts): VerifiedPackage {
  const { verifies, verdict, faults, certificates } = signature;
  const state = verifies ? 'verified' : 'failed';
  const schemes =
    verdict === 'unsigned' ? [] : [{ scheme: 'code', state, faults, certificates: certificates.slice(0, 1) }];
  return { file, kind: 'ipa', verifies, verdict, gaps: [], schemes };
}

/**
 * Verifies the signatures of a package as devices do. Throws HullError `zip.*`, `package.unknown`.
 *
 * @param dir folder of `hull.json`, where there is one: its `apple.root` counts in the vendor's place
 */
export async function verifyPackage(file: string, dir = '.'): Promise<VerifiedPackage> {
  if (await isIpaFile(file)) {
    const { inspectFile } = await import('./inspect-file.js');
    return verifiedIpa((await inspectFile(file, dir)) as IpaFacts);
  }
  const { source, layout, kind } = await openPackage(file);
  let report: SignatureReport;
  try {
    report = await packageSignatures(source, layout, kind);
  } catch (error) {
    throw error instanceof HullError ? error.at({ file }) : error;
  } finally {
    await source.close();
  }
  return {
    file,
    kind,
    verifies: report.verifies,
    verdict: report.verdict,
    gaps: report.gaps,
    schemes: report.schemes.map(({ scheme, state, faults, signers }) => ({
      scheme,
      state,
      faults,
      certificates: signers.flatMap(({ certificates: [own] }) => readableFacts(own) ?? []),
    })),
  };
}
