import { chargeUse, MAX_NESTING } from '../bytes/budget.js';
import { ByteReader } from '../bytes/reader.js';
import { readStringPool, STRING_POOL } from '../string-pool/string-pool.js';
import { decodeValue } from '../string-pool/value.js';
import { CHUNK, NO_STRING, type XmlAttribute, type XmlElement } from './types.js';

interface OpenElement extends XmlElement {
  readonly children: OpenElement[];
  text?: string;
}

function readResourceMap(chunk: ByteReader): number[] {
  const ids: number[] = [];
  chunk.at = 8;
  while (chunk.remaining >= 4) ids.push(chunk.u32('a resource ID'));
  return ids;
}

class DocumentReader {
  readonly #strings: readonly string[];
  readonly #map: readonly number[];

  constructor(strings: readonly string[], map: readonly number[]) {
    this.#strings = strings;
    this.#map = map;
  }

  #text(reader: ByteReader, index: number, what: string): string {
    const text = this.#strings[index];
    if (text === undefined)
      throw reader.fail(`${what} is string ${index}, and there are ${this.#strings.length}.`);
    chargeUse(reader.budget, text);
    return text;
  }

  #optional(reader: ByteReader, index: number, what: string): string | undefined {
    return index === NO_STRING ? undefined : this.#text(reader, index, what);
  }

  #attribute(reader: ByteReader): XmlAttribute {
    const namespace = this.#optional(reader, reader.u32('an attribute namespace'), 'The namespace');
    const nameIndex = reader.u32('an attribute name');
    const name = this.#text(reader, nameIndex, 'The attribute name');
    const raw = reader.u32('a raw value');
    reader.u16('a value size');
    reader.u8('padding');
    const kind = reader.u8('a value type');
    const data = reader.u32('a value');
    const decoded = decodeValue(kind, data, (index) => this.#strings[index]);
    if (decoded === undefined) throw reader.fail(`The value of "${name}" is a string that is not there.`);
    if (decoded.type === 'string') chargeUse(reader.budget, decoded.text);
    // Some writers leave the typed value empty and give only the text.
    const isRaw = decoded.type === 'null' && raw !== NO_STRING;
    const value = isRaw
      ? { type: 'string' as const, text: this.#text(reader, raw, 'The raw value') }
      : decoded;
    const resourceId = this.#map[nameIndex];
    return {
      ...(namespace === undefined ? {} : { namespace }),
      name,
      ...(resourceId === undefined || resourceId === 0 ? {} : { resourceId }),
      value,
      ...(isRaw ? { isRaw } : {}),
    };
  }

  characters(reader: ByteReader, headerSize: number): string {
    reader.at = headerSize;
    return this.#text(reader, reader.u32('a text'), 'The text');
  }

  startElement(reader: ByteReader, headerSize: number): OpenElement {
    reader.at = 12;
    const comment = this.#optional(reader, reader.u32('a comment'), 'The comment');
    reader.at = headerSize;
    const namespace = this.#optional(reader, reader.u32('an element namespace'), 'The namespace');
    const name = this.#text(reader, reader.u32('an element name'), 'The element name');
    const start = reader.u16('the attribute start');
    const size = reader.u16('the attribute size');
    const count = reader.u16('the attribute count');
    if (size < 20) throw reader.fail(`Attributes of ${size} bytes are too small.`);
    const attributes: XmlAttribute[] = [];
    reader.budget.charge('items', count + 1);
    for (let i = 0; i < count; i += 1) {
      reader.at = headerSize + start + i * size;
      attributes.push(this.#attribute(reader));
    }
    return {
      ...(namespace === undefined ? {} : { namespace }),
      name,
      attributes,
      children: [],
      ...(comment === undefined ? {} : { comment }),
    };
  }
}

/**
 * Reads binary XML into its element tree. Namespace declarations and blank text are skipped.
 *
 * @param bytes the whole document, hostile or not
 * @throws HullError `axml.malformed` or `string-pool.malformed` with the byte offset
 */
export function readBinaryXml(bytes: Uint8Array): XmlElement {
  const file = new ByteReader(bytes, 'axml.malformed');
  const type = file.u16('the file type');
  const fileHeader = file.u16('the header size');
  const fileSize = file.u32('the file size');
  if (type !== CHUNK.xml || fileHeader < 8) throw file.fail('This is not binary XML.', 0);
  if (fileSize > bytes.length)
    throw file.fail(`The document says it has ${fileSize} bytes, and ${bytes.length} are here.`, 4);

  let strings: string[] = [];
  let map: number[] = [];
  let reader = new DocumentReader(strings, map);
  const open: OpenElement[] = [];
  let root: OpenElement | undefined;

  file.at = fileHeader;
  while (file.at < fileSize) {
    const start = file.at;
    const chunkType = file.u16('a chunk type');
    const headerSize = file.u16('a chunk header size');
    const size = file.u32('a chunk size');
    if (headerSize < 8 || size < headerSize || start + size > fileSize) {
      throw file.fail(`A chunk of ${size} bytes with a header of ${headerSize} is not allowed here.`, start);
    }
    file.at = start;
    const chunk = file.sub(size, 'a chunk');
    switch (chunkType) {
      case STRING_POOL:
        strings = readStringPool(chunk);
        reader = new DocumentReader(strings, map);
        break;
      case CHUNK.resourceMap:
        map = readResourceMap(chunk);
        reader = new DocumentReader(strings, map);
        break;
      case CHUNK.startElement: {
        if (open.length >= MAX_NESTING)
          throw file.fail(`Elements are nested more than ${MAX_NESTING} deep.`, start);
        const element = reader.startElement(chunk, headerSize);
        const parent = open.at(-1);
        if (parent) parent.children.push(element);
        else if (root) throw file.fail('There is a second root element.', start);
        else root = element;
        open.push(element);
        break;
      }
      case CHUNK.text: {
        const parent = open.at(-1);
        const text = reader.characters(chunk, headerSize);
        if (parent && text.trim() !== '') parent.text = (parent.text ?? '') + text;
        break;
      }
      case CHUNK.endElement:
        if (open.pop() === undefined) throw file.fail('An element ends that was never begun.', start);
        break;
      default:
        break;
    }
  }
  if (root === undefined) throw file.fail('The document has no root element.', 0);
  if (open.length > 0) throw file.fail(`The element <${open.at(-1)?.name}> is never ended.`, file.at);
  return root;
}
