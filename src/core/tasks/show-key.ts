import { HullError } from '../errors.js';
import type { Finding } from '../finding.js';
import { type CertificateFacts, certificateFacts } from '../keys/fingerprint.js';
import { namedKey } from '../keys/open.js';
import { readCertificateFile } from '../keys/public-part.js';
import { capabilitiesOf, type LineageCapability } from '../platforms/android/signing/lineage.js';
import { readLineage } from '../platforms/android/signing/plan.js';
import { type AppleCertificate, appleCertificate } from '../platforms/apple/signing/judge-certificate.js';
import type { KeyConfig } from '../project/config.js';
import { openProject, type ProjectSource } from '../project/project.js';
import { judgeCertificates } from './judge-certificates.js';
import { openKey, type PasswordOf } from './passwords.js';

export interface ShowKeyOptions {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  /** Name of the key in `hull.json`; by default the one that packages are signed with. */
  readonly name?: string | undefined;
  /** A keystore that `hull.json` does not name, instead. */
  readonly file?: string | undefined;
  readonly password: PasswordOf;
}

export interface ShownKey {
  readonly name: string | null;
  /** As it was written. */
  readonly path: string;
  readonly file: string;
  /** `null` where only the certificate is here, and the key signs elsewhere. */
  readonly alias: string | null;
  readonly certificate: CertificateFacts;
  /** What it signs for Apple's systems; `null` for any other certificate. */
  readonly apple: AppleCertificate | null;
  /** One fingerprint in the forms that consoles, association documents and command lines want. */
  readonly fingerprints: {
    readonly sha256: { readonly colons: string; readonly hex: string; readonly base64: string };
    readonly sha1: string;
  };
  /** What is weak about the certificate. */
  readonly findings: readonly Finding[];
  /** Keys before this one, the oldest first, and what each keeps. */
  readonly lineage: readonly {
    readonly certificate: CertificateFacts;
    readonly keeps: readonly LineageCapability[];
  }[];
}

function fingerprintForms(sha256: string): ShownKey['fingerprints']['sha256'] {
  const hex = sha256.replaceAll(':', '').toLowerCase();
  return { colons: sha256, hex, base64: Buffer.from(hex, 'hex').toString('base64') };
}

/**
 * Describes a signing certificate: subject, validity, fingerprints, weaknesses, lineage.
 *
 * @throws HullError `keys.*`, `signing.*`, `config.*`
 */
export async function showKey(options: ShowKeyOptions): Promise<ShownKey> {
  if (options.file !== undefined && options.name !== undefined) {
    throw new HullError('keys.bad-name', 'Give either a key’s name or a file, not both.', {
      fix: 'Leave one of them out.',
    });
  }
  const open = async (name: string | undefined, config: KeyConfig, resolve: (path: string) => string) => {
    if (config.file === undefined) {
      const path = config.certificate ?? '';
      const file = resolve(path);
      return { path, file, alias: null, certificates: [readCertificateFile(file, path)] };
    }
    const key = { name, path: config.file, file: resolve(config.file), alias: config.alias };
    const { alias, certificates } = await openKey(key, options.password);
    return { path: config.file, file: key.file, alias, certificates };
  };
  const project = options.file === undefined ? openProject(options.project) : undefined;
  const key = project && namedKey(project, options.name);
  const { path, file, alias, certificates } =
    project && key
      ? await open(key.name, key.config, project.resolve)
      : await open(undefined, { file: options.file ?? '' }, (one) => one);
  const lineage =
    project && key?.config.lineage !== undefined ? readLineage(project.resolve(key.config.lineage)) : [];
  const certificate = certificates[0] as Uint8Array;
  const facts = certificateFacts(certificate);
  return {
    name: key?.name ?? null,
    path,
    file,
    alias,
    certificate: facts,
    apple: appleCertificate(certificate) ?? null,
    fingerprints: { sha256: fingerprintForms(facts.sha256), sha1: facts.sha1 },
    findings: judgeCertificates(certificates, project, { file }),
    lineage: lineage.slice(0, -1).map((level) => ({
      certificate: certificateFacts(level.certificate),
      keeps: capabilitiesOf(level),
    })),
  };
}
