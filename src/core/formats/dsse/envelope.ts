import { HullError } from '../../errors.js';

/** A signed envelope around bytes of any kind (DSSE v1.0.2, "envelope.md" and "protocol.md"). */
export interface Envelope {
  /** What the payload is, as a media type or an address. */
  readonly payloadType: string;
  readonly payload: Uint8Array;
  readonly signatures: readonly EnvelopeSignature[];
}

export interface EnvelopeSignature {
  /** A hint which key signed; it is not signed itself, and proves nothing. */
  readonly keyid: string;
  readonly sig: Uint8Array;
}

/** The bytes that are signed: `"DSSEv1" SP LEN(type) SP type SP LEN(body) SP body` (DSSE, protocol.md, "PAE"). */
export function signedBytes(payloadType: string, payload: Uint8Array): Uint8Array {
  const type = new TextEncoder().encode(payloadType);
  const head = new TextEncoder().encode(`DSSEv1 ${type.length} ${payloadType} ${payload.length} `);
  return new Uint8Array(Buffer.concat([head, payload]));
}

const base64 = (bytes: Uint8Array) => Buffer.from(bytes).toString('base64');

/** An envelope as one line of JSON. */
export const writeEnvelope = ({ payloadType, payload, signatures }: Envelope): string =>
  `${JSON.stringify({
    payloadType,
    payload: base64(payload),
    signatures: signatures.map(({ keyid, sig }) => ({ keyid, sig: base64(sig) })),
  })}\n`;

/** Most bytes of an envelope, and most signatures that are looked at. */
const MOST_BYTES = 16 * 1024 * 1024;
const MOST_SIGNATURES = 16;

/** Standard or URL-safe base64 (RFC 4648); DSSE allows either. */
function decoded(value: unknown): Uint8Array | undefined {
  if (typeof value !== 'string' || !/^[\w+/-]*={0,2}$/.test(value)) return undefined;
  return new Uint8Array(Buffer.from(value, 'base64'));
}

/**
 * Reads an envelope.
 *
 * @param file as errors show it
 * @throws HullError `provenance.malformed`
 */
export function readEnvelope(text: string, file: string): Envelope {
  const fail = (why: string) =>
    new HullError('provenance.malformed', `This is not a signed statement: ${why}.`, {
      location: { file },
      fix: 'Give a file that was written with a package, as in ferry.apk.intoto.jsonl.',
    });
  if (text.length > MOST_BYTES) throw fail('it is larger than 16 MiB');
  let value: unknown;
  try {
    // The file may hold several, one a line; ours is the first.
    value = JSON.parse(text.trimStart().split('\n')[0] ?? '');
  } catch {
    throw fail('it is not valid JSON');
  }
  const { payloadType, payload, signatures } = (value ?? {}) as Record<string, unknown>;
  const body = decoded(payload);
  if (typeof payloadType !== 'string' || body === undefined || !Array.isArray(signatures))
    throw fail('it has no payload, type and signatures');
  if (signatures.length > MOST_SIGNATURES) throw fail(`it has more than ${MOST_SIGNATURES} signatures`);
  return {
    payloadType,
    payload: body,
    signatures: signatures.map((one: { keyid?: unknown; sig?: unknown } | null) => {
      const sig = decoded(one?.sig);
      if (sig === undefined || sig.length === 0) throw fail('a signature is not in base64');
      return { keyid: typeof one?.keyid === 'string' ? one.keyid : '', sig };
    }),
  };
}
