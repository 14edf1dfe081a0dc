import { chargeUse } from '../bytes/budget.js';
import { ByteReader } from '../bytes/reader.js';
import { readStringPool, STRING_POOL } from '../string-pool/string-pool.js';
import { decodeValue, type ResourceValue } from '../string-pool/value.js';
import {
  CONFIG,
  type ConfiguredValue,
  ENTRY_FLAGS,
  NO_ENTRY,
  type ResourceBag,
  type ResourceConfig,
  type ResourceEntry,
  type ResourcePackage,
  type ResourceTable,
  type ResourceType,
  TABLE_CHUNK,
  TYPE_FLAGS,
} from './types.js';

interface Chunk {
  readonly type: number;
  readonly headerSize: number;
  readonly reader: ByteReader;
}

/** The chunks that follow one another from `start` to the end of `parent`. */
function* chunks(parent: ByteReader, start: number): Generator<Chunk> {
  parent.at = start;
  while (parent.remaining >= 8) {
    const at = parent.at;
    const type = parent.u16('a chunk type');
    const headerSize = parent.u16('a chunk header size');
    const size = parent.u32('a chunk size');
    if (headerSize < 8 || size < headerSize || at + size > parent.length) {
      throw parent.fail(`A chunk of ${size} bytes with a header of ${headerSize} is not allowed here.`, at);
    }
    parent.at = at;
    const reader = parent.sub(size, 'a chunk');
    yield { type, headerSize, reader };
    parent.at = at + size;
  }
}

/** Two letters as they are, or three packed into 15 bits (ResourceTypes.h, `unpackLanguageOrRegion`). */
function unpackCode(first: number, second: number, base: number): string {
  if (first === 0) return '';
  if ((first & 0x80) === 0) return String.fromCharCode(first, second);
  return String.fromCharCode(
    (second & 0x1f) + base,
    (((second & 0xe0) >> 5) | ((first & 0x03) << 3)) + base,
    ((first & 0x7c) >> 2) + base,
  );
}

function decodeConfig(reader: ByteReader, at: number): ResourceConfig {
  reader.at = at;
  const size = reader.u32('the configuration size');
  if (size < 4) throw reader.fail(`A configuration of ${size} bytes is too small.`, at);
  reader.need(at, size, 'a configuration');
  const byte = (offset: number) => (offset < size ? (reader.bytes[at + offset] as number) : 0);
  const language = unpackCode(byte(CONFIG.language), byte(CONFIG.language + 1), 0x61);
  const country = unpackCode(byte(CONFIG.country), byte(CONFIG.country + 1), 0x30);
  const script = [0, 1, 2, 3].map((index) => byte(CONFIG.script + index));
  const parts = [language, ...(script[0] === 0 ? [] : [String.fromCharCode(...script)]), country];
  const density = byte(CONFIG.density) | (byte(CONFIG.density + 1) << 8);
  const sdk = byte(CONFIG.sdk) | (byte(CONFIG.sdk + 1) << 8);
  const night = byte(CONFIG.uiMode) & CONFIG.nightMask;
  return {
    ...(density === 0 ? {} : { density }),
    ...(sdk === 0 ? {} : { sdk }),
    ...(language === '' ? {} : { locale: parts.filter((part) => part !== '').join('-') }),
    ...(night === 0 ? {} : { night: night === CONFIG.nightYes }),
  };
}

interface MutableEntry extends ResourceEntry {
  readonly values: ConfiguredValue[];
}

class PackageReader {
  readonly #global: readonly string[];
  #keys: readonly string[] = [];
  #typeNames: readonly string[] = [];
  readonly #types = new Map<number, Map<number, MutableEntry>>();

  constructor(global: readonly string[]) {
    this.#global = global;
  }

  #value(reader: ByteReader): ResourceValue {
    reader.u16('a value size');
    reader.u8('padding');
    const kind = reader.u8('a value type');
    const data = reader.u32('a value');
    const value = decodeValue(kind, data, (index) => this.#global[index]);
    if (value === undefined)
      throw reader.fail(`A value is string ${data}, and there are ${this.#global.length}.`);
    if (value.type === 'string') chargeUse(reader.budget, value.text);
    return value;
  }

  #bag(reader: ByteReader, entryAt: number, entrySize: number): ResourceBag {
    const parent = reader.u32('a parent');
    const count = reader.u32('an item count');
    reader.at = entryAt + entrySize;
    reader.need(reader.at, count * 12, `${count} items`);
    reader.budget.charge('items', count);
    const items: { key: number; value: ResourceValue }[] = [];
    for (let i = 0; i < count; i += 1) {
      const key = reader.u32('an item key');
      items.push({ key, value: this.#value(reader) });
    }
    return { type: 'bag', parent, items };
  }

  #entry(
    reader: ByteReader,
    at: number,
  ): { readonly name: string; readonly value: ResourceValue | ResourceBag } {
    reader.at = at;
    const size = reader.u16('an entry size');
    const flags = reader.u16('entry flags');
    const word = reader.u32('an entry key');
    const compact = (flags & ENTRY_FLAGS.compact) !== 0;
    const key = compact ? size : word;
    const name = this.#keys[key];
    if (name === undefined)
      throw reader.fail(`An entry has name ${key}, and there are ${this.#keys.length}.`, at);
    if (compact) {
      const value = decodeValue(flags >> 8, word, (index) => this.#global[index]);
      if (value === undefined) throw reader.fail(`The value of "${name}" is a string that is not there.`, at);
      if (value.type === 'string') chargeUse(reader.budget, value.text);
      return { name, value };
    }
    if (flags & ENTRY_FLAGS.complex) return { name, value: this.#bag(reader, at, size) };
    reader.at = at + size;
    return { name, value: this.#value(reader) };
  }

  /** Index and offset (from the start of the entries) of each entry that a type chunk holds. */
  *#offsets(reader: ByteReader, flags: number, count: number): Generator<[index: number, offset: number]> {
    for (let i = 0; i < count; i += 1) {
      if (flags & TYPE_FLAGS.sparse) {
        const index = reader.u16('an entry index');
        yield [index, reader.u16('an entry offset') * 4];
      } else if (flags & TYPE_FLAGS.offset16) {
        const offset = reader.u16('an entry offset');
        if (offset !== 0xffff) yield [i, offset * 4];
      } else {
        const offset = reader.u32('an entry offset');
        if (offset !== NO_ENTRY) yield [i, offset];
      }
    }
  }

  #type({ reader, headerSize }: Chunk): void {
    reader.at = 8;
    const id = reader.u8('a type ID');
    const flags = reader.u8('type flags');
    reader.u16('reserved');
    const count = reader.u32('an entry count');
    const start = reader.u32('the start of the entries');
    const config = decodeConfig(reader, 20);
    const step = flags & TYPE_FLAGS.offset16 ? 2 : 4;
    reader.need(headerSize, count * step, `the offsets of ${count} entries`);
    reader.at = headerSize;
    reader.budget.charge('items', count);
    const offsets = [...this.#offsets(reader, flags, count)];
    let entries = this.#types.get(id);
    if (!entries) {
      entries = new Map();
      this.#types.set(id, entries);
    }
    for (const [index, offset] of offsets) {
      const { name, value } = this.#entry(reader, start + offset);
      let entry = entries.get(index);
      if (!entry) {
        entry = { index, name, values: [] };
        entries.set(index, entry);
      }
      entry.values.push({ config, value });
    }
  }

  read({ reader, headerSize }: Chunk): ResourcePackage {
    reader.at = 8;
    const id = reader.u32('the package ID');
    const name = new TextDecoder('utf-16le')
      .decode(reader.take(256, 'the package name'))
      .replace(/\0.*$/s, '');
    const typePoolAt = reader.u32('the type names');
    reader.u32('the last public type');
    const keyPoolAt = reader.u32('the entry names');
    for (const chunk of chunks(reader, headerSize)) {
      const at = chunk.reader.base - reader.base;
      if (chunk.type === STRING_POOL && at === typePoolAt) this.#typeNames = readStringPool(chunk.reader);
      else if (chunk.type === STRING_POOL && at === keyPoolAt) this.#keys = readStringPool(chunk.reader);
      else if (chunk.type === TABLE_CHUNK.type) this.#type(chunk);
    }
    const types: ResourceType[] = [...this.#types]
      .sort(([a], [b]) => a - b)
      .map(([typeId, entries]) => ({
        id: typeId,
        name: this.#typeNames[typeId - 1] ?? `type${typeId}`,
        entries: [...entries.values()].sort((a, b) => a.index - b.index),
      }));
    return { id, name, types };
  }
}

/**
 * Reads `resources.arsc`.
 *
 * @param bytes the whole table, hostile or not
 * @throws HullError `resources.malformed` or `string-pool.malformed` with the byte offset
 */
export function readResourceTable(bytes: Uint8Array): ResourceTable {
  const file = new ByteReader(bytes, 'resources.malformed');
  const type = file.u16('the file type');
  const headerSize = file.u16('the header size');
  const size = file.u32('the file size');
  if (type !== TABLE_CHUNK.table || headerSize < 12 || size > bytes.length || headerSize > size) {
    throw file.fail('This is not a resource table.', 0);
  }
  let global: string[] = [];
  const packages: ResourcePackage[] = [];
  const whole = new ByteReader(bytes.subarray(0, size), 'resources.malformed', 0, 0, file.budget);
  for (const chunk of chunks(whole, headerSize)) {
    if (chunk.type === STRING_POOL) global = readStringPool(chunk.reader);
    else if (chunk.type === TABLE_CHUNK.package) packages.push(new PackageReader(global).read(chunk));
  }
  return { packages };
}
