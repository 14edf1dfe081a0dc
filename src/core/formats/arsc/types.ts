import type { ResourceValue } from '../string-pool/value.js';

/** A compiled resource table (`resources.arsc`) as plain objects. */
export interface ResourceTable {
  readonly packages: readonly ResourcePackage[];
}

export interface ResourcePackage {
  /** 0x7f for an app. */
  readonly id: number;
  readonly name: string;
  readonly types: readonly ResourceType[];
}

export interface ResourceType {
  /** 1-based; with the package ID and the entry's index it makes the resource ID 0xPPTTEEEE. */
  readonly id: number;
  readonly name: string;
  readonly entries: readonly ResourceEntry[];
}

export interface ResourceEntry {
  readonly index: number;
  readonly name: string;
  readonly values: readonly ConfiguredValue[];
}

export interface ConfiguredValue {
  readonly config: ResourceConfig;
  readonly value: ResourceValue | ResourceBag;
}

/** A map-valued resource, such as a style: a parent and values by attribute ID. */
export interface ResourceBag {
  readonly type: 'bag';
  /** Resource ID of the parent, 0 for none. */
  readonly parent: number;
  readonly items: readonly { readonly key: number; readonly value: ResourceValue }[];
}

/** The qualifiers of a value; none for the default. Only those that this tool writes or shows are distinguished. */
export interface ResourceConfig {
  /** Dots per inch; 0xfffe for any, 0xffff for none. */
  readonly density?: number;
  /** Lowest API level. */
  readonly sdk?: number;
  /** BCP 47 language, script and region, as in `en`, `en-GB` or `zh-Hant-TW`. */
  readonly locale?: string;
  readonly night?: boolean;
}

export const ANY_DENSITY = 0xfffe;

/** Chunk types (ResourceTypes.h). */
export const TABLE_CHUNK = {
  table: 0x0002,
  package: 0x0200,
  type: 0x0201,
  typeSpec: 0x0202,
} as const;

/** Offsets of the fields used in `ResTable_config`, in bytes from its start. */
export const CONFIG = {
  /** Sizes of its versions (ResourceTypes.h, `ResTable_config`), by the last field of these that each has. */
  sizes: { sdk: 28, uiMode: 32, script: 48 },
  language: 8,
  country: 10,
  density: 14,
  sdk: 24,
  uiMode: 29,
  /** ISO 15924, four letters. */
  script: 36,
  /** `uiMode` bits for night: 0x10 no, 0x20 yes. */
  nightMask: 0x30,
  nightNo: 0x10,
  nightYes: 0x20,
} as const;

/** Changes that an entry's values depend on (`ResTable_typeSpec` flags, `ACONFIGURATION_*`). */
export const SPEC_FLAGS = { locale: 0x0004, density: 0x0100, sdk: 0x0400, uiMode: 0x1000 } as const;

export const ENTRY_FLAGS = { complex: 0x0001, compact: 0x0008 } as const;
export const TYPE_FLAGS = { sparse: 0x01, offset16: 0x02 } as const;
export const NO_ENTRY = 0xffffffff;

/** A resource's ID from its parts. */
export function resourceId(packageId: number, typeId: number, index: number): number {
  return ((packageId << 24) | (typeId << 16) | index) >>> 0;
}
