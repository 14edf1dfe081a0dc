import { verify, X509Certificate } from 'node:crypto';
import { existsSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { HullError } from '../errors.js';
import type { Inputs } from '../fleet/inputs.js';
import { type Envelope, readEnvelope, signedBytes, writeEnvelope } from '../formats/dsse/envelope.js';
import { certificateFacts, fingerprint } from '../keys/fingerprint.js';
import { signBytes } from '../keys/sign-bytes.js';
import type { SigningIdentity } from '../keys/signing-identity.js';
import {
  PAYLOAD_TYPE,
  type Provenance,
  type Resource,
  readStatement,
  statementOf,
} from '../packaging/provenance.js';
import { withPackage } from '../packaging/read-package.js';
import { SDK } from '../platforms/android/app/attributes.js';
import { packageKind } from '../platforms/android/inspect/package-kind.js';
import { verifyBundle, verifySignatures } from '../platforms/android/signing/verify.js';
import { CONFIG_FILE } from '../project/config.js';
import type { Project } from '../project/project.js';
import { fileSha256, pathFrom, readTextFile, replaceFile, shownPath } from '../util/files.js';
import type { CheckedOut } from '../util/git.js';
import { VERSION } from '../util/version.js';

/** The statement beside a package. */
export const provenanceFile = (file: string): string => `${file}.intoto.jsonl`;

/** Hexadecimal in small letters, as statements write digests. */
const plainHex = (colons: string): string => colons.replaceAll(':', '').toLowerCase();

/** What a package is made from, but for keys: configuration, pictures, the commit that is checked out, this tool. */
async function inputsOf({
  project,
  source,
  inputs,
}: Pick<ProvenanceRequest, 'project' | 'source' | 'inputs'>): Promise<Resource[]> {
  const { dir, settings } = project;
  const keys = new Set(
    Object.values(settings.keys).flatMap(({ file, certificate }) =>
      [file, certificate].flatMap((path) => (path === undefined ? [] : [project.resolve(path)])),
    ),
  );
  const files = [
    join(dir, CONFIG_FILE),
    ...(project.brand?.described ?? []),
    ...inputs.named(project).filter((path) => !keys.has(path)),
  ];
  return [
    { uri: `pkg:npm/jolly-hull@${VERSION}` },
    ...(source === undefined
      ? []
      : [
          {
            ...(source.remote === undefined ? { name: 'repository' } : { uri: `git+${source.remote}` }),
            digest: { gitCommit: source.commit },
            annotations: { clean: source.isClean },
          },
        ]),
    ...(await Promise.all(
      [...new Set(files)].sort().map(async (file) => ({
        name: pathFrom(dir, file),
        digest: { sha256: await inputs.file(file) },
      })),
    )),
  ];
}

export interface ProvenanceRequest {
  readonly project: Project;
  readonly file: string;
  /** SHA-256 of the package, in hexadecimal. */
  readonly sha256: string;
  /** The bill of materials, and SHA-256 of it, in hexadecimal. */
  readonly record: { readonly file: string; readonly sha256: string };
  /** Digests of files that several packages are made from. */
  readonly inputs: Inputs;
  readonly kind: string;
  readonly debuggable: boolean;
  readonly identity: SigningIdentity;
  /** What is checked out in the project; `undefined` where that is no repository. */
  readonly source: CheckedOut | undefined;
}

/** Writes the statement of a package’s origin beside it, signed by the identity that signed the package. */
export async function writeProvenance(request: ProvenanceRequest): Promise<string> {
  const { project, file, sha256, record, kind, debuggable, identity } = request;
  const statement = statementOf({
    subject: { name: basename(file), digest: { sha256 } },
    kind,
    debuggable,
    brand: project.brand?.name,
    version: VERSION,
    inputs: await inputsOf(request),
    record: { name: basename(record.file), digest: { sha256: record.sha256 } },
  });
  const payload = new TextEncoder().encode(JSON.stringify(statement));
  const sig = await signBytes('sha256', signedBytes(PAYLOAD_TYPE, payload), { key: identity.privateKey });
  const [own = new Uint8Array()] = identity.certificates;
  const keyid = plainHex(fingerprint(own, 'sha256'));
  const written = provenanceFile(file);
  const envelope: Envelope = { payloadType: PAYLOAD_TYPE, payload, signatures: [{ keyid, sig }] };
  await replaceFile(written, new TextEncoder().encode(writeEnvelope(envelope)));
  return written;
}

/** What a statement says, and whether it holds. */
export interface VerifiedProvenance extends Provenance {
  readonly file: string;
  readonly verified: boolean;
  /** Why it does not hold, each a sentence. */
  readonly faults: readonly string[];
  /** Who signed both; `undefined` where it does not hold. */
  readonly signer: { readonly subject: string; readonly sha256: string } | undefined;
  /** What could not be judged, each a sentence. */
  readonly notJudged: readonly string[];
}

/** Certificates of a package whose own signature holds, DER; none where it does not. */
function packageSigners(file: string): Promise<Uint8Array[]> {
  return withPackage(file, async (source, layout) => {
    const kind = packageKind(layout);
    const { verifies, schemes } =
      kind === 'apk' ? await verifySignatures(source, layout, SDK) : await verifyBundle(source, layout);
    return verifies
      ? schemes.flatMap(({ signers }) => signers.flatMap(({ certificates }) => [...certificates]))
      : [];
  });
}

/** The certificate that an envelope is signed with, of those that are given. */
function signerAmong({ payloadType, payload, signatures }: Envelope, certificates: readonly Uint8Array[]) {
  const bytes = signedBytes(payloadType, payload);
  return certificates.find((der) => {
    const { publicKey } = new X509Certificate(der);
    return signatures.some(({ sig }) => verify('sha256', bytes, publicKey, sig));
  });
}

/**
 * Verifies the statement of a package’s origin: that it is about just these bytes, that the key signed it which signed the
 * package, and that the bill of materials beside it is the one that it names.
 *
 * @param named the statement; by default the one beside the package
 * @throws HullError `provenance.missing`, `provenance.malformed`, `zip.*`, `package.unknown`
 */
export async function verifyProvenance(packageFile: string, named?: string): Promise<VerifiedProvenance> {
  const file = named ?? provenanceFile(packageFile);
  if (!existsSync(file)) {
    throw new HullError('provenance.missing', 'There is no statement of the package’s origin.', {
      location: { file },
      fix: 'Pack again with a record, or name the statement.',
    });
  }
  const envelope = readEnvelope(readTextFile(file), file);
  const stated = readStatement(envelope.payload, envelope.payloadType, file);
  const faults: string[] = [];
  const notJudged: string[] = [];
  if (stated.subject.digest?.sha256 !== (await fileSha256(packageFile)))
    faults.push('The statement is about a package with other bytes.');
  const certificates = await packageSigners(packageFile);
  const signer = signerAmong(envelope, certificates);
  if (certificates.length === 0) faults.push('The signature of the package itself does not verify.');
  else if (signer === undefined)
    faults.push('The statement is not signed by the key that signed the package.');
  const bom = join(dirname(file), basename(stated.record.name ?? ''));
  if (stated.record.name === undefined || !existsSync(bom))
    notJudged.push(`The bill of materials ${stated.record.name ?? ''} is not there.`);
  else if ((await fileSha256(bom)) !== stated.record.digest?.sha256)
    faults.push(`The bill of materials ${shownPath(bom)} is not the one that the statement names.`);
  const facts = signer && certificateFacts(signer);
  return {
    ...stated,
    file,
    verified: faults.length === 0,
    faults,
    notJudged,
    signer: facts && { subject: facts.subject, sha256: facts.sha256 },
  };
}

/** Whether a text is a signed statement rather than a bill of materials. */
export const isStatement = (text: string): boolean => text.includes('"payloadType"');

/** What a statement says, without judging it. Throws HullError `provenance.malformed`. */
export function statementIn(text: string, file: string): Provenance {
  const envelope = readEnvelope(text, file);
  return readStatement(envelope.payload, envelope.payloadType, file);
}
