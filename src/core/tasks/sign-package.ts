import { HullError } from '../errors.js';
import { type CertificateFacts, readableFacts } from '../keys/fingerprint.js';
import type { PackageKind } from '../platforms/android/inspect/package-kind.js';
import {
  openPackage,
  packageSignatures,
  type ResignReport,
  resign,
} from '../platforms/android/package/resign.js';
import type { SignatureReport } from '../platforms/android/signing/report.js';
import { readProject } from '../project/project.js';
import { openSigning, type PasswordOf } from './passwords.js';

export interface SignOptions {
  /** Folder of `hull.json`, for the key. */
  readonly project?: string | undefined;
  /** An `.apk` or `.aab` file from anyone; it is not changed. */
  readonly file: string;
  /** File to write; by default beside it, with `-signed` behind its name. */
  readonly out?: string | undefined;
  readonly key?: string | undefined;
  readonly password: PasswordOf;
  /** Makes a v1 (JAR) signature too, where no device would need it. */
  readonly v1?: boolean | undefined;
  readonly signal?: AbortSignal | undefined;
}

/**
 * Signs any package or bundle again: aligned, with older signatures replaced, read back and verified.
 *
 * @throws HullError `zip.*`, `package.unknown`, `keys.*`, `signing.*`, `disk.*`
 */
export async function signPackage(options: SignOptions): Promise<ResignReport> {
  const project = readProject(options.project ?? '.');
  return resign({
    ...(await openSigning(project, options.key, options.password)),
    file: options.file,
    out: options.out,
    v1: options.v1 ? 'always' : 'auto',
    ...(options.signal ? { signal: options.signal } : {}),
  });
}

export interface VerifiedPackage {
  readonly file: string;
  readonly kind: PackageKind;
  readonly verifies: boolean;
  readonly verdict: SignatureReport['verdict'];
  /** API levels on which no signature counts. */
  readonly gaps: readonly string[];
  readonly schemes: readonly {
    readonly scheme: string;
    readonly state: string;
    readonly faults: readonly string[];
    readonly certificates: readonly CertificateFacts[];
  }[];
}

/** Verifies the signatures of a package as devices do. Throws HullError `zip.*`, `package.unknown`. */
export async function verifyPackage(file: string): Promise<VerifiedPackage> {
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
