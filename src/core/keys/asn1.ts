import * as asn1 from 'asn1js';
import { HullError } from '../errors.js';
import { Budget } from '../formats/bytes/budget.js';

/** Small constructors and checked accessors over asn1js, so that the formats read like their definitions. */

export type Node = asn1.AsnType;

export const sequence = (...value: Node[]): asn1.Sequence => new asn1.Sequence({ value });
export const set = (...value: Node[]): asn1.Set => new asn1.Set({ value });
export const oid = (value: string): asn1.ObjectIdentifier => new asn1.ObjectIdentifier({ value });
export const integer = (value: number): asn1.Integer => new asn1.Integer({ value });
export const octets = (bytes: Uint8Array): asn1.OctetString =>
  new asn1.OctetString({ valueHex: new Uint8Array(bytes) });
export const bmpString = (value: string): asn1.BmpString => new asn1.BmpString({ value });
export const nothing = (): asn1.Null => new asn1.Null();

/** `[tag] EXPLICIT` */
export const explicit = (tagNumber: number, ...value: Node[]): asn1.Constructed =>
  new asn1.Constructed({ idBlock: { tagClass: 3, tagNumber }, value });

/** `[tag] IMPLICIT OCTET STRING` */
export const implicitOctets = (tagNumber: number, bytes: Uint8Array): asn1.Primitive =>
  new asn1.Primitive({ idBlock: { tagClass: 3, tagNumber }, valueHex: new Uint8Array(bytes) });

export function toDer(node: Node): Uint8Array {
  return new Uint8Array(node.toBER(false));
}

export function damaged(what: string): HullError {
  return new HullError('keys.damaged', `The file is damaged: ${what}.`, {
    fix: 'Restore the file from a backup; nothing here has changed it.',
  });
}

/** Elements that a file may have, in proportion to its bytes: real ones have one in ten, and each takes a kilobyte here. */
const elementsFor = (size: number) => Math.min(1024 + Math.floor(size / 4), 500_000);

/** Counts elements before anything is made of them. Throws HullError `file.over-budget`. */
function countElements(bytes: Uint8Array): void {
  const budget = new Budget(bytes.length, { items: elementsFor(bytes.length) });
  // Ranges that are still to be gone over: nesting takes no stack.
  const open: [start: number, end: number][] = [[0, bytes.length]];
  for (let range = open.pop(); range !== undefined; range = open.pop()) {
    let [offset, end] = range;
    while (offset + 2 <= end) {
      budget.charge('items', 1);
      const tag = bytes[offset] as number;
      const first = bytes[offset + 1] as number;
      let start = offset + 2;
      let size = first;
      if (first === 0x80) size = end - start;
      else if (first > 0x80) {
        size = 0;
        for (let i = 0; i < (first & 0x7f); i += 1) size = size * 256 + (bytes[start + i] ?? 0);
        start += first & 0x7f;
      }
      if (start + size > end) break;
      // What is inside a string is read too, where it can be.
      if ((tag & 0x20) !== 0 || tag === 0x04) open.push([start, start + size]);
      offset = start + size;
    }
  }
}

/** asn1js tells most faults by the offset -1, but throws for some values: a time that is none, say. */
function readBer(bytes: Uint8Array): asn1.FromBerResult | { readonly offset: -1; readonly result: Node } {
  try {
    return asn1.fromBER(bytes);
  } catch {
    return { offset: -1, result: nothing() };
  }
}

/** Parses DER or BER. Throws HullError `keys.damaged`, `file.over-budget`. */
export function fromDer(bytes: Uint8Array, what: string): Node {
  countElements(bytes);
  const { offset, result } = readBer(bytes);
  if (offset === -1) throw damaged(`${what} is not ASN.1`);
  return result;
}

/** The ASN.1 inside an OCTET STRING; asn1js has mostly read it along with the string. */
export function embedded(node: Node | undefined, what: string): Node {
  const [inner] =
    node instanceof asn1.OctetString && !node.idBlock.isConstructed ? node.valueBlock.value : [];
  return inner ?? fromDer(octetsOf(node, what), what);
}

/** The children of a SEQUENCE, SET or constructed tag. */
export function children(node: Node | undefined, what: string): Node[] {
  if (node instanceof asn1.Constructed) return node.valueBlock.value as Node[];
  throw damaged(`${what} is not a list`);
}

export function child(node: Node | undefined, index: number, what: string): Node {
  const found = children(node, what)[index];
  if (found === undefined) throw damaged(`${what} is cut short`);
  return found;
}

export function oidOf(node: Node | undefined, what: string): string {
  if (node instanceof asn1.ObjectIdentifier) return node.valueBlock.toString();
  throw damaged(`${what} is not an object identifier`);
}

export function numberOf(node: Node | undefined, what: string): number {
  if (node instanceof asn1.Integer && !node.valueBlock.isHexOnly) return node.valueBlock.valueDec;
  throw damaged(`${what} is not a small number`);
}

/** Bytes of an OCTET STRING, or of an implicitly tagged one, whole or in pieces. */
export function octetsOf(node: Node | undefined, what: string): Uint8Array {
  if (node instanceof asn1.OctetString) return new Uint8Array(node.getValue());
  if (node instanceof asn1.Primitive) return new Uint8Array(node.valueBlock.valueHexView);
  if (node instanceof asn1.Constructed) {
    return Buffer.concat((node.valueBlock.value as Node[]).map((part) => octetsOf(part, what)));
  }
  throw damaged(`${what} is not a byte string`);
}

/** Whether a node has the context-specific tag `[tag]`. */
export function isContext(node: Node | undefined, tag: number): boolean {
  return node !== undefined && node.idBlock.tagClass === 3 && node.idBlock.tagNumber === tag;
}

/** A node's bytes as they stood where it was read from. */
export function rawBytes(node: Node): Uint8Array {
  return node.valueBeforeDecodeView;
}

export function isInteger(node: Node | undefined): boolean {
  return node instanceof asn1.Integer;
}

export function textOf(node: Node | undefined): string | undefined {
  return node instanceof asn1.BmpString ? node.valueBlock.value : undefined;
}
