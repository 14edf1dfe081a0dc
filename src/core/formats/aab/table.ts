import { HullError } from '../../errors.js';
import type {
  ConfiguredValue,
  ResourceBag,
  ResourceConfig,
  ResourceTable,
  ResourceType,
} from '../arsc/types.js';
import type { ResourceValue } from '../string-pool/value.js';
import { FILE_TYPE, messageType, NIGHT, REFERENCE } from './schema.js';
import { decodeItem, encodeItem, fileType, type ItemMessage } from './values.js';
import { decodeMessage } from './xml.js';

/** Resource tables in a bundle's form (`ResourceTable`). */

interface ReferenceMessage {
  readonly type?: number;
  readonly id?: number;
}

interface CompoundMessage {
  readonly attr?: {
    readonly formatFlags?: number;
    readonly minInt?: number;
    readonly maxInt?: number;
    readonly symbol?: readonly { readonly name?: ReferenceMessage; readonly value?: number }[];
  };
  readonly style?: {
    readonly parent?: ReferenceMessage;
    readonly entry?: readonly { readonly key?: ReferenceMessage; readonly item?: ItemMessage }[];
  };
  readonly styleable?: object;
  readonly array?: { readonly element?: readonly { readonly item?: ItemMessage }[] };
  readonly plural?: { readonly entry?: readonly { readonly arity?: number; readonly item?: ItemMessage }[] };
}

interface ValueMessage {
  readonly item?: ItemMessage;
  readonly compoundValue?: CompoundMessage;
}

type ConfigMessage = Readonly<Record<string, number | string>>;

interface TableMessage {
  readonly package?: readonly {
    readonly packageId?: { readonly id?: number };
    readonly packageName?: string;
    readonly type?: readonly {
      readonly typeId?: { readonly id?: number };
      readonly name?: string;
      readonly entry?: readonly {
        readonly entryId?: { readonly id?: number };
        readonly name?: string;
        readonly configValue?: readonly { readonly config?: ConfigMessage; readonly value?: ValueMessage }[];
      }[];
    }[];
  }[];
}

function configMessage(config: ResourceConfig): ConfigMessage {
  return {
    ...(config.locale === undefined ? {} : { locale: config.locale }),
    ...(config.night === undefined ? {} : { uiModeNight: config.night ? NIGHT.yes : NIGHT.no }),
    ...(config.density === undefined ? {} : { density: config.density }),
    ...(config.sdk === undefined ? {} : { sdkVersion: config.sdk }),
  };
}

function valueMessage(type: ResourceType, value: ConfiguredValue['value']): ValueMessage {
  if (value.type === 'bag') {
    return {
      compoundValue: {
        style: {
          ...(value.parent === 0 ? {} : { parent: { type: REFERENCE.resource, id: value.parent } }),
          entry: value.items.map((item) => ({
            key: { type: REFERENCE.attribute, id: item.key },
            item: encodeItem(item.value),
          })),
        },
      },
    };
  }
  // Texts of other types than strings are the paths of files.
  if (value.type === 'string' && type.name !== 'string' && value.text.startsWith('res/')) {
    return { item: { file: { path: value.text, type: fileType(value.text) } } };
  }
  return { item: encodeItem(value) };
}

/** A table whose bags are styles, as `resources.pb`. */
export function writeProtoTable(table: ResourceTable): Uint8Array {
  const message: TableMessage = {
    package: table.packages.map((one) => ({
      packageId: { id: one.id },
      packageName: one.name,
      type: one.types.map((type) => ({
        typeId: { id: type.id },
        name: type.name,
        entry: type.entries
          // What only keeps a number free in the binary form needs nothing here: entries are numbered one by one.
          .filter(({ values }) => values.some(({ value }) => value.type !== 'null'))
          .map((entry) => ({
            entryId: { id: entry.index },
            name: entry.name,
            configValue: entry.values.map(({ config, value }) => ({
              config: configMessage(config),
              value: valueMessage(type, value),
            })),
          })),
      })),
    })),
  };
  return messageType('ResourceTable').encode(message).finish();
}

/** Keys of bags that are no styles (`ResTable_map` in ResourceTypes.h). */
const BAG_KEY = { type: 0x01000000, min: 0x01000001, max: 0x01000002, array: 0x02000000 } as const;
/** Quantities of plurals, in the order of `Plural.Arity`. */
const PLURAL_KEYS = [0x01000005, 0x01000006, 0x01000007, 0x01000008, 0x01000009, 0x01000004] as const;

const bag = (items: ResourceBag['items'], parent = 0): ResourceBag => ({ type: 'bag', parent, items });

function readCompound(compound: CompoundMessage): ResourceBag | undefined {
  const { attr, style, array, plural } = compound;
  const item = (one: { readonly item?: ItemMessage }): ResourceValue => decodeItem(one.item ?? {});
  if (style) {
    return bag(
      (style.entry ?? []).map((one) => ({ key: one.key?.id ?? 0, value: item(one) })),
      style.parent?.id ?? 0,
    );
  }
  if (array) {
    return bag((array.element ?? []).map((one, index) => ({ key: BAG_KEY.array + index, value: item(one) })));
  }
  if (plural) {
    return bag(
      (plural.entry ?? []).map((one) => ({
        key: PLURAL_KEYS[one.arity ?? 0] ?? PLURAL_KEYS[5],
        value: item(one),
      })),
    );
  }
  if (attr) {
    const number = (key: number, value: number | undefined): ResourceBag['items'] =>
      value === undefined || value === 0 ? [] : [{ key, value: { type: 'int', value } }];
    return bag([
      { key: BAG_KEY.type, value: { type: 'int', value: attr.formatFlags ?? 0 } },
      ...number(BAG_KEY.min, attr.minInt),
      ...number(BAG_KEY.max, attr.maxInt),
      ...(attr.symbol ?? []).map((symbol) => ({
        key: symbol.name?.id ?? 0,
        value: { type: 'int', value: symbol.value ?? 0 } as const,
      })),
    ]);
  }
  // Styleables are for the compiler alone.
  return undefined;
}

/** Qualifiers that the binary form here has a place for. */
const KNOWN_QUALIFIERS = new Set(['locale', 'uiModeNight', 'density', 'sdkVersion']);

function readConfig(config: ConfigMessage): ResourceConfig | undefined {
  for (const [name, value] of Object.entries(config)) {
    if (value !== 0 && value !== '' && !KNOWN_QUALIFIERS.has(name)) return undefined;
  }
  const { locale, uiModeNight, density, sdkVersion } = config;
  return {
    ...(typeof locale === 'string' && locale !== '' ? { locale } : {}),
    ...(typeof uiModeNight === 'number' && uiModeNight !== 0 ? { night: uiModeNight === NIGHT.yes } : {}),
    ...(typeof density === 'number' && density !== 0 ? { density } : {}),
    ...(typeof sdkVersion === 'number' && sdkVersion !== 0 ? { sdk: sdkVersion } : {}),
  };
}

/** A part of a resource ID, which bounds what is made room for. */
function checkedId(id: number | undefined, most: number, what: string): number {
  if (id === undefined || id <= most) return id ?? 0;
  throw new HullError('bundle.malformed', `The number of ${what} is ${id}, and ${most} at most.`);
}

export interface ReadTable {
  readonly table: ResourceTable;
  /** Paths of files in the bundle's own XML form. */
  readonly protoXml: ReadonlySet<string>;
  /** Values for devices of a kind that the table has no qualifier for; they are not in it. */
  readonly passedOver: number;
}

/** Reads `resources.pb`. Throws `bundle.malformed`. */
export function readProtoTable(bytes: Uint8Array): ReadTable {
  const message = decodeMessage('ResourceTable', bytes) as TableMessage;
  const protoXml = new Set<string>();
  let passedOver = 0;
  const readValue = ({ item, compoundValue }: ValueMessage): ConfiguredValue['value'] | undefined => {
    if (compoundValue) return readCompound(compoundValue);
    if (item?.file?.type === FILE_TYPE.protoXml) protoXml.add(item.file.path ?? '');
    return item && decodeItem(item);
  };
  const packages = (message.package ?? []).map((one) => ({
    id: checkedId(one.packageId?.id, 0xff, 'a package'),
    name: one.packageName ?? '',
    types: (one.type ?? []).map((type) => ({
      id: checkedId(type.typeId?.id, 0xff, 'a type'),
      name: type.name ?? '',
      entries: (type.entry ?? []).flatMap((entry) => {
        const values = (entry.configValue ?? []).flatMap(({ config, value }): ConfiguredValue[] => {
          const read = readConfig(config ?? {});
          const found = value && readValue(value);
          if (found === undefined) return [];
          if (read === undefined) {
            passedOver += 1;
            return [];
          }
          return [{ config: read, value: found }];
        });
        const index = checkedId(entry.entryId?.id, 0xffff, 'an entry');
        return values.length === 0 ? [] : [{ index, name: entry.name ?? '', values }];
      }),
    })),
  }));
  return { table: { packages }, protoXml, passedOver };
}
