import { HullError } from '../../errors.js';
import { ByteWriter } from '../bytes/writer.js';
import { StringPoolBuilder, writeStringPool } from '../string-pool/string-pool.js';
import { encodeValue, VALUE_SIZE } from '../string-pool/value.js';
import {
  CONFIG,
  type ConfiguredValue,
  ENTRY_FLAGS,
  NO_ENTRY,
  type ResourceConfig,
  type ResourcePackage,
  type ResourceTable,
  type ResourceType,
  SPEC_FLAGS,
  TABLE_CHUNK,
} from './types.js';

const PACKAGE_HEADER = 288;
const PACKAGE_NAME_UNITS = 128;
/** Of a chunk of values for one configuration, without the configuration itself. */
const TYPE_HEADER = 20;

/** Two letters as they are, or three packed into 15 bits (ResourceTypes.h, `packLanguageOrRegion`). */
function packCode(code: string, base: number): Uint8Array {
  if (code.length < 3) return new TextEncoder().encode(code);
  const [a = 0, b = 0, c = 0] = [...code].map((letter) => (letter.charCodeAt(0) - base) & 0x7f);
  return Uint8Array.of(0x80 | (c << 2) | (b >> 3), ((b << 5) & 0xff) | a);
}

/** A configuration as its first version that has what it says: readers take what is behind its end for unset. */
function encodeConfig(config: ResourceConfig): Uint8Array {
  const { sizes } = CONFIG;
  const size = config.locale?.includes('-')
    ? sizes.script
    : config.night === undefined
      ? sizes.sdk
      : sizes.uiMode;
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, size, true);
  if (config.locale !== undefined) {
    const match = /^([a-z]{2,3})(?:-([A-Z][a-z]{3}))?(?:-([A-Z]{2}|\d{3}))?$/.exec(config.locale);
    if (!match) {
      throw new HullError(
        'resources.malformed',
        `"${config.locale}" is not a language with or without a script and a region.`,
      );
    }
    const [, language = '', script = '', region = ''] = match;
    bytes.set(packCode(language, 0x61), CONFIG.language);
    bytes.set(packCode(region, 0x30), CONFIG.country);
    if (script !== '') bytes.set(new TextEncoder().encode(script), CONFIG.script);
  }
  view.setUint16(CONFIG.density, config.density ?? 0, true);
  view.setUint16(CONFIG.sdk, config.sdk ?? 0, true);
  if (config.night !== undefined) bytes[CONFIG.uiMode] = config.night ? CONFIG.nightYes : CONFIG.nightNo;
  return bytes;
}

/** A string that is equal for equal configurations, and that sorts the default first. */
function configKey(config: ResourceConfig): string {
  const number = (value: number | undefined) => String(value ?? 0).padStart(5, '0');
  const night = config.night === undefined ? 0 : config.night ? 2 : 1;
  return [config.locale ?? '', night, number(config.density), number(config.sdk)].join('/');
}

function specFlags(values: readonly ConfiguredValue[]): number {
  let flags = 0;
  for (const { config } of values) {
    if (config.locale !== undefined) flags |= SPEC_FLAGS.locale;
    if (config.density !== undefined) flags |= SPEC_FLAGS.density;
    if (config.sdk !== undefined) flags |= SPEC_FLAGS.sdk;
    if (config.night !== undefined) flags |= SPEC_FLAGS.uiMode;
  }
  return flags;
}

class PackageWriter {
  readonly #global: StringPoolBuilder;
  readonly #keys = new StringPoolBuilder();

  constructor(global: StringPoolBuilder) {
    this.#global = global;
  }

  #entry(out: ByteWriter, name: string, value: ConfiguredValue['value']): void {
    const intern = (text: string) => this.#global.add(text);
    const key = this.#keys.add(name);
    if (value.type !== 'bag') {
      const { kind, data } = encodeValue(value, intern);
      out.u16(8).u16(0).u32(key).u16(VALUE_SIZE).u8(0).u8(kind).u32(data);
      return;
    }
    const items = [...value.items].sort((a, b) => a.key - b.key);
    out.u16(16).u16(ENTRY_FLAGS.complex).u32(key).u32(value.parent).u32(items.length);
    for (const item of items) {
      const { kind, data } = encodeValue(item.value, intern);
      out.u32(item.key).u16(VALUE_SIZE).u8(0).u8(kind).u32(data);
    }
  }

  #type(out: ByteWriter, type: ResourceType): void {
    const count = Math.max(-1, ...type.entries.map((entry) => entry.index)) + 1;
    const byIndex = new Map(type.entries.map((entry) => [entry.index, entry]));
    out
      .u16(TABLE_CHUNK.typeSpec)
      .u16(16)
      .u32(16 + count * 4)
      .u8(type.id)
      .u8(0)
      .u16(0)
      .u32(count);
    for (let index = 0; index < count; index += 1) out.u32(specFlags(byIndex.get(index)?.values ?? []));

    const configs = new Map<string, ResourceConfig>();
    for (const entry of type.entries) {
      for (const { config } of entry.values) configs.set(configKey(config), config);
    }
    for (const key of [...configs.keys()].sort()) {
      const config = configs.get(key) as ResourceConfig;
      const data = new ByteWriter(256);
      const offsets: number[] = [];
      for (let index = 0; index < count; index += 1) {
        const entry = byIndex.get(index);
        const found = entry?.values.find((value) => configKey(value.config) === key);
        offsets.push(found ? data.length : NO_ENTRY);
        if (entry && found) this.#entry(data, entry.name, found.value);
      }
      const body = data.finish();
      const encoded = encodeConfig(config);
      const header = TYPE_HEADER + encoded.length;
      const start = header + count * 4;
      out
        .u16(TABLE_CHUNK.type)
        .u16(header)
        .u32(start + body.length)
        .u8(type.id)
        .u8(0)
        .u16(0)
        .u32(count)
        .u32(start)
        .bytes(encoded);
      for (const offset of offsets) out.u32(offset);
      out.bytes(body);
    }
  }

  write(item: ResourcePackage): Uint8Array {
    if (item.name.length >= PACKAGE_NAME_UNITS) {
      throw new HullError(
        'resources.malformed',
        `A resource package's name has at most ${PACKAGE_NAME_UNITS - 1} letters.`,
        {
          location: { entry: item.name },
        },
      );
    }
    const types = new ByteWriter(4096);
    for (const type of item.types) this.#type(types, type);
    const names: string[] = [];
    for (const type of item.types) names[type.id - 1] = type.name;
    const typePool = writeStringPool(
      Array.from(names, (name) => name ?? ''),
      'utf-8',
    );
    const keyPool = writeStringPool(this.#keys.strings, 'utf-8');
    const body = types.finish();
    const size = PACKAGE_HEADER + typePool.length + keyPool.length + body.length;
    const out = new ByteWriter(size).u16(TABLE_CHUNK.package).u16(PACKAGE_HEADER).u32(size).u32(item.id);
    for (let i = 0; i < PACKAGE_NAME_UNITS; i += 1)
      out.u16(i < item.name.length ? item.name.charCodeAt(i) : 0);
    return out
      .u32(PACKAGE_HEADER)
      .u32(names.length)
      .u32(PACKAGE_HEADER + typePool.length)
      .u32(this.#keys.strings.length)
      .u32(0)
      .bytes(typePool)
      .bytes(keyPool)
      .bytes(body)
      .finish();
  }
}

/** The table as `resources.arsc` (`ResTable_*` in ResourceTypes.h): types by ID, a chunk for each configuration. */
export function writeResourceTable(table: ResourceTable): Uint8Array {
  const global = new StringPoolBuilder();
  const packages = table.packages.map((item) => new PackageWriter(global).write(item));
  const strings = writeStringPool(global.strings, 'utf-8');
  const size = 12 + strings.length + packages.reduce((sum, bytes) => sum + bytes.length, 0);
  const out = new ByteWriter(size)
    .u16(TABLE_CHUNK.table)
    .u16(12)
    .u32(size)
    .u32(packages.length)
    .bytes(strings);
  for (const bytes of packages) out.bytes(bytes);
  return out.finish();
}
