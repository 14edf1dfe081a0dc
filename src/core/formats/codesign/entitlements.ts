import { HullError } from '../../errors.js';
import { isDict, newDict, type PlistDict, type PlistValue } from '../plist/types.js';
import { malformed } from './blobs.js';

/**
 * Entitlements in DER, which the kernel reads from iOS 15 on (libCoreEntitlements): `[APPLICATION 16] { INTEGER 1, [16]
 * { SEQUENCE { UTF8String key, value } … } }`, keys sorted by their bytes.
 */

const TAG = {
  boolean: 0x01,
  integer: 0x02,
  octets: 0x04,
  text: 0x0c,
  sequence: 0x30,
  document: 0x70,
  dict: 0xb0,
} as const;
const MAX_DEPTH = 64;

function lengthBytes(length: number): Buffer {
  if (length < 0x80) return Buffer.from([length]);
  const hex = length.toString(16);
  const bytes = Buffer.from(hex.length % 2 === 0 ? hex : `0${hex}`, 'hex');
  return Buffer.concat([Buffer.from([0x80 | bytes.length]), bytes]);
}

function element(tag: number, ...parts: Uint8Array[]): Buffer {
  const body = Buffer.concat(parts);
  return Buffer.concat([Buffer.from([tag]), lengthBytes(body.length), body]);
}

function integer(value: bigint): Buffer {
  const bytes = Buffer.alloc(8);
  bytes.writeBigInt64BE(value);
  let start = 0;
  const isSpare = (at: number) => {
    const next = bytes[at + 1] as number;
    return (bytes[at] === 0 && next < 0x80) || (bytes[at] === 0xff && next >= 0x80);
  };
  while (start < 7 && isSpare(start)) start += 1;
  return element(TAG.integer, bytes.subarray(start));
}

function encode(value: PlistValue): Buffer {
  if (typeof value === 'string') return element(TAG.text, Buffer.from(value));
  if (typeof value === 'boolean') return element(TAG.boolean, Buffer.from([value ? 0xff : 0]));
  if (typeof value === 'bigint' || Number.isInteger(value)) return integer(BigInt(value as number));
  if (value instanceof Uint8Array) return element(TAG.octets, value);
  if (Array.isArray(value)) return element(TAG.sequence, ...value.map(encode));
  if (isDict(value)) {
    const rows = Object.keys(value).map((key) => [Buffer.from(key), value[key] as PlistValue] as const);
    rows.sort(([one], [other]) => Buffer.compare(one, other));
    return element(
      TAG.dict,
      ...rows.map(([key, own]) => element(TAG.sequence, element(TAG.text, key), encode(own))),
    );
  }
  throw new HullError('signing.unsupported', 'Entitlements hold no dates and no fractions.');
}

/** @throws HullError `signing.unsupported` for dates and fractions, which this form has not got */
export function entitlementsToDer(entitlements: PlistDict): Buffer {
  return element(TAG.document, integer(1n), encode(entitlements));
}

interface Element {
  readonly tag: number;
  readonly body: Uint8Array;
}

function elementsOf(bytes: Uint8Array): Element[] {
  const found: Element[] = [];
  for (let at = 0; at < bytes.length; ) {
    const tag = bytes[at] as number;
    const first = bytes[at + 1];
    if (first === undefined) throw malformed('the entitlements in DER are cut short.', at);
    const more = first < 0x80 ? 0 : first & 0x7f;
    if (more > 4 || (first >= 0x80 && more === 0)) throw malformed('a length in DER is too long.', at);
    let length = more === 0 ? first : 0;
    for (let i = 0; i < more; i += 1) length = length * 256 + (bytes[at + 2 + i] ?? 0);
    const start = at + 2 + more;
    if (start + length > bytes.length) throw malformed('the entitlements in DER are cut short.', at);
    found.push({ tag, body: bytes.subarray(start, start + length) });
    at = start + length;
  }
  return found;
}

function decode({ tag, body }: Element, depth: number): PlistValue {
  if (depth > MAX_DEPTH) throw malformed('the entitlements are nested too deep.', 0);
  switch (tag) {
    case TAG.text:
      return Buffer.from(body).toString('utf8');
    case TAG.boolean:
      return body[0] !== 0;
    case TAG.integer:
      if (body.length === 0 || body.length > 8) throw malformed('a number in DER is too large.', 0);
      return Number(BigInt.asIntN(8 * body.length, BigInt(`0x${Buffer.from(body).toString('hex')}`)));
    case TAG.octets:
      return body;
    case TAG.sequence:
      return elementsOf(body).map((item) => decode(item, depth + 1));
    case TAG.dict: {
      const dict = newDict();
      for (const row of elementsOf(body)) {
        const [key, value, ...more] = elementsOf(row.body);
        if (key?.tag !== TAG.text || value === undefined || more.length > 0)
          throw malformed('an entitlement has no key.', 0);
        dict[Buffer.from(key.body).toString('utf8')] = decode(value, depth + 1);
      }
      return dict;
    }
    default:
      throw malformed('an entitlement is of an unknown kind.', 0);
  }
}

/** Reads entitlements in DER. Throws HullError `signing.malformed`. */
export function entitlementsFromDer(bytes: Uint8Array): PlistDict {
  const [document, ...more] = elementsOf(bytes);
  if (document?.tag !== TAG.document || more.length > 0)
    throw malformed('these are not entitlements in DER.', 0);
  const [version, dict] = elementsOf(document.body);
  const value = dict && decode(dict, 0);
  if (version?.tag !== TAG.integer || !isDict(value))
    throw malformed('these are not entitlements in DER.', 0);
  return value;
}
