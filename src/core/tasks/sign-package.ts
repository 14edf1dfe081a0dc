import { HullError } from '../errors.js';
import { type CertificateFacts, readableFacts } from '../keys/fingerprint.js';
import { withPackage } from '../packaging/read-package.js';
import type { PackageKind } from '../platforms/android/inspect/package-kind.js';
import {
  openPackage,
  packageSignatures,
  type ResignReport,
  resign,
} from '../platforms/android/package/resign.js';
import type { SignatureReport } from '../platforms/android/signing/report.js';
import type { IpaFacts } from '../platforms/apple/inspect/facts.js';
import { isIpa } from '../platforms/apple/package/bundle-folder.js';
import { type IpaResignResult, resignIpa } from '../platforms/apple/package/resign.js';
import { judgeProfile } from '../platforms/apple/signing/judge-profile.js';
import { openProject, type ProjectSource } from '../project/project.js';
import { openAppleIdentity } from './apple-signing.js';
import { inspectFile } from './inspect-file.js';
import { openSigning, type PasswordOf } from './passwords.js';

export interface SignOptions {
  /** Folder of `hull.json`, for the key. */
  readonly project?: ProjectSource | undefined;
  /** An `.apk`, `.aab` or `.ipa` file from anyone; it is not changed. */
  readonly file: string;
  /** File to write; by default beside it, with `-signed` behind its name. */
  readonly out?: string | undefined;
  readonly key?: string | undefined;
  /** File of the provisioning profile, for an `.ipa`; by default `apple.profile`. */
  readonly profile?: string | undefined;
  readonly password: PasswordOf;
  /** Makes a v1 (JAR) signature too, where no device would need it. */
  readonly v1?: boolean | undefined;
  readonly signal?: AbortSignal | undefined;
}

/** An app package that was signed again, or why it was not. */
export type SignedPackage = (ResignReport & { readonly is: 'signed' }) | SignedIpa;
export type SignedIpa = IpaResignResult & { readonly kind: 'ipa' };

/** Signs an `.ipa` again, by an identity and a profile of the project. */
async function signIpa(options: SignOptions): Promise<SignedIpa> {
  const project = openProject(options.project);
  const { identity, team, profile, profileBytes, root, locations } = await openAppleIdentity(
    project,
    options,
  );
  const inside = { file: options.file };
  const result = await resignIpa({
    ...{ file: options.file, out: options.out, profile, profileBytes, root, signal: options.signal },
    signer: { identity, team, time: profile.created ?? new Date() },
    judge: (bundleId, entitlements) =>
      judgeProfile({
        ...{ profile, bundleId, team: undefined, certificates: identity.certificates, entitlements, root },
        now: new Date(),
        locations: { ...locations, bundleId: inside, team: inside, links: inside },
      }),
  });
  return { kind: 'ipa', ...result };
}

/**
 * Signs any package or bundle again: aligned, with older signatures replaced, read back and verified. An `.ipa` is held against
 * identity and profile first.
 *
 * @throws HullError `zip.*`, `package.unknown`, `keys.*`, `apple.*`, `profile.malformed`, `signing.*`, `ipa.*`, `disk.*`
 */
export async function signPackage(options: SignOptions): Promise<SignedPackage> {
  if (await isIpaFile(options.file)) return signIpa(options);
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

const isIpaFile = (file: string): Promise<boolean> =>
  withPackage(file, async (_source, layout) => isIpa(layout));

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
  if (await isIpaFile(file)) return verifiedIpa((await inspectFile(file, dir)) as IpaFacts);
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
