import { sign as signBytes, verify as verifyBytes } from 'node:crypto';
import { HullError, task, withTasks } from '../../../errors.js';
import { ByteReader } from '../../../formats/bytes/reader.js';
import { ByteWriter } from '../../../formats/bytes/writer.js';
import { readStrictCertificate } from '../../../keys/read-certificate.js';
import type { SigningIdentity } from '../../../keys/signing-identity.js';
import { algorithmById, algorithmForKey, paddingOptions } from './algorithms.js';

/**
 * A proof of rotation: who signed an app before, each vouching for the next (APK Signature Scheme v3, "proof-of-rotation
 * attribute"). Its capabilities say what one signer may still do.
 */

/** What a device still grants an older signer. */
export const CAPABILITIES = {
  /** Updates keep the data of an app that it signed. */
  'installed-data': 1,
  /** Apps that it signed may share a user ID. */
  'shared-user-id': 2,
  /** Apps that it signed get permissions of level `signature`. */
  permission: 4,
  /** The app may go back to it. */
  rollback: 8,
  /** Account types that it registered stay. */
  auth: 16,
} as const;
export type LineageCapability = keyof typeof CAPABILITIES;

/** What an older signer keeps where nothing else is said: all but going back. */
export const USUAL_CAPABILITIES: readonly LineageCapability[] = [
  'installed-data',
  'shared-user-id',
  'permission',
  'auth',
];

export interface LineageLevel {
  /** DER. */
  readonly certificate: Uint8Array;
  /** Signature algorithm with which the one before signed this level; 0 in the first. */
  readonly signedWith: number;
  /** Bits of {@link CAPABILITIES}. */
  readonly flags: number;
  /** Signature algorithm with which this one signs the next; 0 in the last. */
  readonly signsWith: number;
  /** The signature of the one before; empty in the first. */
  readonly signature: Uint8Array;
}

export type Lineage = readonly LineageLevel[];

const VERSION = 1;
/** The most signers that are read: each has to vouch for the next, and nobody changes keys so often. */
const MAX_LEVELS = 100;
/** First bytes of a lineage that is kept as a file of its own. */
const FILE_MAGIC = 0x3eff39d1;

const prefixed = (bytes: Uint8Array) =>
  new ByteWriter(4 + bytes.length).u32(bytes.length).bytes(bytes).finish();

function signedPart({
  certificate,
  signedWith,
}: Pick<LineageLevel, 'certificate' | 'signedWith'>): Uint8Array {
  return new ByteWriter(8 + certificate.length).bytes(prefixed(certificate)).u32(signedWith).finish();
}

/** The attribute's value: a version, then the levels, the oldest first. */
export function encodeLineage(lineage: Lineage): Uint8Array {
  const out = new ByteWriter(4096).u32(VERSION);
  for (const level of lineage) {
    const node = new ByteWriter(4096)
      .bytes(prefixed(signedPart(level)))
      .u32(level.flags)
      .u32(level.signsWith)
      .bytes(prefixed(level.signature))
      .finish();
    out.bytes(prefixed(node));
  }
  return out.finish();
}

/** Decodes an attribute's value. Throws `signing.malformed`. */
export function decodeLineage(bytes: Uint8Array): LineageLevel[] {
  const reader = new ByteReader(bytes, 'signing.malformed');
  const version = reader.u32('the version of the lineage');
  if (version !== VERSION) throw reader.fail(`A lineage of version ${version} is not read here.`, 0);
  const levels: LineageLevel[] = [];
  while (reader.remaining > 0) {
    if (levels.length >= MAX_LEVELS) throw reader.fail(`The lineage has more than ${MAX_LEVELS} signers.`);
    const node = reader.prefixed('a level of the lineage');
    const signed = node.prefixed('its signed data');
    const certificate = signed.prefixed('its certificate').bytes;
    const signedWith = signed.u32('its algorithm');
    const flags = node.u32('its capabilities');
    const signsWith = node.u32('the algorithm of the next');
    const signature = node.prefixed('its signature').bytes;
    if (node.remaining > 0 || signed.remaining > 0)
      throw node.fail('A level of the lineage has bytes too many.');
    levels.push({ certificate, signedWith, flags, signsWith, signature });
  }
  return levels;
}

const same = (one: Uint8Array, other: Uint8Array) => Buffer.from(one).equals(other);

/** What does not hold in a lineage, each a sentence; empty where every signer vouches for the next. */
export function lineageFaults(lineage: Lineage): string[] {
  const faults: string[] = [];
  if (lineage.length === 0) faults.push('The lineage names no signer.');
  const seen = new Set<string>();
  for (const [index, level] of lineage.entries()) {
    const certificate = Buffer.from(level.certificate).toString('base64');
    if (seen.has(certificate)) faults.push('The lineage names one certificate twice.');
    seen.add(certificate);
    const before = lineage[index - 1];
    if (before === undefined) continue;
    try {
      readStrictCertificate(level.certificate);
    } catch (error) {
      if (!(error instanceof HullError)) throw error;
      faults.push(error.message);
      continue;
    }
    if (before.signsWith !== level.signedWith) {
      faults.push('The lineage says two things about the algorithm of a signature.');
      continue;
    }
    const algorithm = algorithmById(level.signedWith);
    let holds = false;
    try {
      const { publicKey } = readStrictCertificate(before.certificate).certificate;
      holds =
        algorithm !== undefined &&
        algorithm.keyType === publicKey.asymmetricKeyType &&
        verifyBytes(
          algorithm.digest,
          signedPart(level),
          { key: publicKey, ...paddingOptions(algorithm) },
          level.signature,
        );
    } catch {
      holds = false;
    }
    if (!holds) faults.push(`Signer ${index} of the lineage does not vouch for the next one.`);
  }
  return faults;
}

function certificateOf(identity: SigningIdentity): Uint8Array {
  const [own] = identity.certificates;
  if (own === undefined) throw new HullError('signing.unsupported', 'There is no certificate to sign with.');
  return own;
}

/**
 * A lineage with one signer more: the one that signed last vouches for the next.
 *
 * @param lineage the signers so far, ending with `from`; empty where `from` is the first
 * @param capabilities what `from` keeps
 * @throws HullError `signing.lineage` where the lineage ends with another signer or has the next one already
 */
export function succeed(
  lineage: Lineage,
  from: SigningIdentity,
  to: SigningIdentity,
  capabilities: readonly LineageCapability[] = USUAL_CAPABILITIES,
): LineageLevel[] {
  const [old, next] = [certificateOf(from), certificateOf(to)];
  const first: LineageLevel = {
    certificate: old,
    signedWith: 0,
    flags: 0,
    signsWith: 0,
    signature: new Uint8Array(),
  };
  const levels = lineage.length === 0 ? [first] : [...lineage];
  const last = levels.at(-1) as LineageLevel;
  if (!same(last.certificate, old)) {
    throw new HullError(
      'signing.lineage',
      'The lineage ends with another signer than the one that is succeeded.',
      {
        fix: 'Name the key that signs the app today as the one to succeed.',
      },
    );
  }
  if (levels.some((level) => same(level.certificate, next))) {
    throw new HullError('signing.lineage', 'The new key is in the lineage already.', {
      fix: 'A key succeeds another only once; name a key that never signed this app.',
    });
  }
  const algorithm = algorithmForKey(from.privateKey);
  const flags = (names: readonly LineageCapability[]) =>
    names.reduce((bits, name) => bits | CAPABILITIES[name], 0);
  const signature = signBytes(algorithm.digest, signedPart({ certificate: next, signedWith: algorithm.id }), {
    key: from.privateKey,
    ...paddingOptions(algorithm),
  });
  return [
    ...levels.slice(0, -1),
    { ...last, flags: flags(capabilities), signsWith: algorithm.id },
    {
      certificate: next,
      signedWith: algorithm.id,
      flags: flags(USUAL_CAPABILITIES),
      signsWith: 0,
      signature,
    },
  ];
}

/** Names of what a signer in a lineage may still do. */
export function capabilitiesOf({ flags }: LineageLevel): LineageCapability[] {
  return (Object.keys(CAPABILITIES) as LineageCapability[]).filter(
    (name) => (flags & CAPABILITIES[name]) !== 0,
  );
}

/** A lineage as a file of its own: a magic number, a version, the encoded lineage behind its length. */
export function writeLineageFile(lineage: Lineage): Uint8Array {
  const encoded = encodeLineage(lineage);
  return new ByteWriter(12 + encoded.length).u32(FILE_MAGIC).u32(VERSION).bytes(prefixed(encoded)).finish();
}

/** Reads a lineage file and checks it. Throws `signing.malformed`, `signing.lineage`. */
export function readLineageFile(bytes: Uint8Array): LineageLevel[] {
  const reader = new ByteReader(bytes, 'signing.malformed');
  if (reader.u32('the first bytes') !== FILE_MAGIC) throw reader.fail('This is not a lineage file.', 0);
  if (reader.u32('the version') !== VERSION)
    throw reader.fail('A lineage file of this version is not read here.', 4);
  const lineage = decodeLineage(reader.prefixed('the lineage').bytes);
  const faults = lineageFaults(lineage);
  if (faults.length > 0) {
    throw new HullError('signing.lineage', `The lineage does not hold: ${faults.join(' ')}`, {
      fix: withTasks`Restore the file from a backup, or make it again: ${task('rotateKey')}`,
    });
  }
  return lineage;
}
