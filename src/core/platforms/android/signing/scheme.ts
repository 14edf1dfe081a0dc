import type { ByteReader } from '../../../formats/bytes/reader.js';
import { ByteWriter } from '../../../formats/bytes/writer.js';

/** APK Signature Scheme v2 and v3: signer blocks as plain objects, and their encoding. */

export interface AlgorithmBytes {
  /** Signature algorithm ID. */
  readonly algorithm: number;
  readonly bytes: Uint8Array;
}

export interface SignedData {
  readonly digests: readonly AlgorithmBytes[];
  /** DER; the signer's own first. */
  readonly certificates: readonly Uint8Array[];
  /** API levels this signer is for; only in v3. */
  readonly levels?: { readonly min: number; readonly max: number };
  readonly attributes: readonly { readonly id: number; readonly value: Uint8Array }[];
}

export interface SignerBlock {
  /** The very bytes that are signed. */
  readonly signedData: Uint8Array;
  readonly levels?: { readonly min: number; readonly max: number };
  readonly signatures: readonly AlgorithmBytes[];
  /** SubjectPublicKeyInfo, DER. */
  readonly publicKey: Uint8Array;
}

/** v2's attribute that tells which newer scheme also signed, so that it cannot be stripped unseen. */
export const ATTRIBUTE_STRIPPING_PROTECTION = 0xbeeff00d;
/** The lineage of signers, in the newest signer's data (v3, v3.1). */
export const ATTRIBUTE_LINEAGE = 0x3ba06f8c;
/** In v3: the API level from which v3.1 is beside it, so that it cannot be stripped unseen. */
export const ATTRIBUTE_ROTATION_SINCE = 0x559f8b02;
/** The most signers that devices read of one scheme (the platform's verifiers, from Android 12 on). */
export const MAX_SIGNERS = 10;
/** API levels from which each scheme counts. */
export const SCHEME_LEVELS = { v2: 24, v3: 28, v31: 33, newest: 0x7fffffff } as const;

function prefixed(bytes: Uint8Array): Uint8Array {
  return new ByteWriter(4 + bytes.length).u32(bytes.length).bytes(bytes).finish();
}

/** Elements each behind its length, and all of them behind theirs. */
function sequence(elements: readonly Uint8Array[]): Uint8Array {
  const out = new ByteWriter(512);
  for (const element of elements) out.u32(element.length).bytes(element);
  return prefixed(out.finish());
}

function algorithmBytes({ algorithm, bytes }: AlgorithmBytes): Uint8Array {
  return new ByteWriter(8 + bytes.length).u32(algorithm).u32(bytes.length).bytes(bytes).finish();
}

export function encodeSignedData(data: SignedData): Uint8Array {
  const out = new ByteWriter(4096)
    .bytes(sequence(data.digests.map(algorithmBytes)))
    .bytes(sequence(data.certificates));
  if (data.levels) out.u32(data.levels.min).u32(data.levels.max);
  out.bytes(
    sequence(
      data.attributes.map(({ id, value }) => new ByteWriter(4 + value.length).u32(id).bytes(value).finish()),
    ),
  );
  return out.finish();
}

/** A scheme's pair value: the sequence of its signers. */
export function encodeSigners(signers: readonly SignerBlock[]): Uint8Array {
  return sequence(
    signers.map((signer) => {
      const out = new ByteWriter(4096).bytes(prefixed(signer.signedData));
      if (signer.levels) out.u32(signer.levels.min).u32(signer.levels.max);
      return out
        .bytes(sequence(signer.signatures.map(algorithmBytes)))
        .bytes(prefixed(signer.publicKey))
        .finish();
    }),
  );
}

/** The most digests, certificates, attributes or signatures of one signer: no signature comes near it. */
const MAX_ELEMENTS = 100;

function decodeSequence<T>(reader: ByteReader, what: string, decode: (element: ByteReader) => T): T[] {
  const inner = reader.prefixed(`the ${what}s`);
  const elements: T[] = [];
  while (inner.remaining > 0) {
    if (elements.length >= MAX_ELEMENTS) throw inner.fail(`There are more than ${MAX_ELEMENTS} ${what}s.`);
    elements.push(decode(inner.prefixed(`a ${what}`)));
  }
  return elements;
}

function decodeAlgorithmBytes(reader: ByteReader): AlgorithmBytes {
  const algorithm = reader.u32('an algorithm ID');
  return { algorithm, bytes: reader.prefixed('its bytes').bytes };
}

function decodeLevels(reader: ByteReader): { min: number; max: number } {
  return { min: reader.u32('the lowest API level'), max: reader.u32('the highest API level') };
}

/** Decodes signed data of v2 or v3. Throws `signing.malformed` (through the reader). */
export function decodeSignedData(reader: ByteReader, scheme: 'v2' | 'v3'): SignedData {
  const digests = decodeSequence(reader, 'digest', decodeAlgorithmBytes);
  const certificates = decodeSequence(reader, 'certificate', (element) => element.bytes);
  const levels = scheme === 'v3' ? decodeLevels(reader) : undefined;
  const attributes = decodeSequence(reader, 'attribute', (element) => {
    const id = element.u32('an attribute ID');
    return { id, value: element.take(element.remaining, 'an attribute') };
  });
  return { digests, certificates, ...(levels ? { levels } : {}), attributes };
}

/** Decodes a scheme's pair value. Throws `signing.malformed` (through the reader). */
export function decodeSigners(reader: ByteReader, scheme: 'v2' | 'v3'): SignerBlock[] {
  return decodeSequence(reader, 'signer', (element) => {
    const signedData = element.prefixed('the signed data').bytes;
    const levels = scheme === 'v3' ? decodeLevels(element) : undefined;
    const signatures = decodeSequence(element, 'signature', decodeAlgorithmBytes);
    const publicKey = element.prefixed('the public key').bytes;
    return { signedData, ...(levels ? { levels } : {}), signatures, publicKey };
  });
}
