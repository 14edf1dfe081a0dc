import protobuf from 'protobufjs/light.js';

/**
 * The protobuf forms of manifests, resources and settings in a store bundle. Field numbers are those that the platform
 * publishes (Resources.proto and Configuration.proto of its resource compiler, config.proto of its bundle format); only
 * what is read or written here is below.
 */

type Field = readonly [id: number, type: string, rule?: 'repeated'];
type Fields = Readonly<Record<string, Field>>;

const MESSAGES: Readonly<Record<string, Fields>> = {
  // Resources.proto
  ResourceTable: { package: [2, 'Package', 'repeated'] },
  PackageId: { id: [1, 'uint32'] },
  Package: { packageId: [1, 'PackageId'], packageName: [2, 'string'], type: [3, 'Type', 'repeated'] },
  TypeId: { id: [1, 'uint32'] },
  Type: { typeId: [1, 'TypeId'], name: [2, 'string'], entry: [3, 'Entry', 'repeated'] },
  EntryId: { id: [1, 'uint32'] },
  Entry: { entryId: [1, 'EntryId'], name: [2, 'string'], configValue: [6, 'ConfigValue', 'repeated'] },
  ConfigValue: { config: [1, 'Configuration'], value: [2, 'Value'] },
  Value: { item: [4, 'Item'], compoundValue: [5, 'CompoundValue'] },
  Item: {
    ref: [1, 'Reference'],
    str: [2, 'Text'],
    rawStr: [3, 'Text'],
    styledStr: [4, 'Text'],
    file: [5, 'FileReference'],
    id: [6, 'Nothing'],
    prim: [7, 'Primitive'],
  },
  Text: { value: [1, 'string'] },
  Nothing: {},
  Reference: { type: [1, 'uint32'], id: [2, 'uint32'], name: [3, 'string'] },
  FileReference: { path: [1, 'string'], type: [2, 'uint32'] },
  Primitive: {
    nullValue: [1, 'Nothing'],
    emptyValue: [2, 'Nothing'],
    floatValue: [3, 'float'],
    intDecimalValue: [6, 'int32'],
    intHexadecimalValue: [7, 'uint32'],
    booleanValue: [8, 'bool'],
    colorArgb8Value: [9, 'uint32'],
    colorRgb8Value: [10, 'uint32'],
    colorArgb4Value: [11, 'uint32'],
    colorRgb4Value: [12, 'uint32'],
    dimensionValue: [13, 'uint32'],
    fractionValue: [14, 'uint32'],
  },
  CompoundValue: {
    attr: [1, 'Attribute'],
    style: [2, 'Style'],
    styleable: [3, 'Styleable'],
    array: [4, 'ArrayValue'],
    plural: [5, 'Plural'],
  },
  Attribute: {
    formatFlags: [1, 'uint32'],
    minInt: [2, 'int32'],
    maxInt: [3, 'int32'],
    symbol: [4, 'Symbol', 'repeated'],
  },
  Symbol: { name: [3, 'Reference'], value: [4, 'uint32'] },
  Style: { parent: [1, 'Reference'], entry: [3, 'StyleEntry', 'repeated'] },
  StyleEntry: { key: [3, 'Reference'], item: [4, 'Item'] },
  Styleable: { entry: [1, 'StyleableEntry', 'repeated'] },
  StyleableEntry: { attr: [3, 'Reference'] },
  ArrayValue: { element: [1, 'ArrayElement', 'repeated'] },
  ArrayElement: { item: [3, 'Item'] },
  Plural: { entry: [1, 'PluralEntry', 'repeated'] },
  PluralEntry: { arity: [3, 'uint32'], item: [4, 'Item'] },
  XmlNode: { element: [1, 'XmlElement'], text: [2, 'string'] },
  XmlNamespace: { prefix: [1, 'string'], uri: [2, 'string'] },
  XmlElement: {
    namespaceDeclaration: [1, 'XmlNamespace', 'repeated'],
    namespaceUri: [2, 'string'],
    name: [3, 'string'],
    attribute: [4, 'XmlAttribute', 'repeated'],
    child: [5, 'XmlNode', 'repeated'],
  },
  XmlAttribute: {
    namespaceUri: [1, 'string'],
    name: [2, 'string'],
    value: [3, 'string'],
    resourceId: [5, 'uint32'],
    compiledItem: [6, 'Item'],
  },
  // Configuration.proto
  Configuration: {
    mcc: [1, 'uint32'],
    mnc: [2, 'uint32'],
    locale: [3, 'string'],
    layoutDirection: [4, 'uint32'],
    screenWidth: [5, 'uint32'],
    screenHeight: [6, 'uint32'],
    screenWidthDp: [7, 'uint32'],
    screenHeightDp: [8, 'uint32'],
    smallestScreenWidthDp: [9, 'uint32'],
    screenLayoutSize: [10, 'uint32'],
    screenLayoutLong: [11, 'uint32'],
    screenRound: [12, 'uint32'],
    wideColorGamut: [13, 'uint32'],
    hdr: [14, 'uint32'],
    orientation: [15, 'uint32'],
    uiModeType: [16, 'uint32'],
    uiModeNight: [17, 'uint32'],
    density: [18, 'uint32'],
    touchscreen: [19, 'uint32'],
    keysHidden: [20, 'uint32'],
    keyboard: [21, 'uint32'],
    navHidden: [22, 'uint32'],
    navigation: [23, 'uint32'],
    sdkVersion: [24, 'uint32'],
  },
  // config.proto
  BundleConfig: {
    format: [1, 'FormatVersion'],
    optimizations: [2, 'Optimizations'],
    compression: [3, 'Compression'],
  },
  FormatVersion: { version: [2, 'string'] },
  Optimizations: { splitsConfig: [1, 'SplitsConfig'] },
  SplitsConfig: { splitDimension: [1, 'SplitDimension', 'repeated'] },
  SplitDimension: { value: [1, 'uint32'], negate: [2, 'bool'] },
  Compression: { uncompressedGlob: [1, 'string', 'repeated'] },
};

/** `Reference.type`. */
export const REFERENCE = { resource: 0, attribute: 1 } as const;
/** `FileReference.type`. */
export const FILE_TYPE = { unknown: 0, png: 1, binaryXml: 2, protoXml: 3 } as const;
/** `Configuration.ui_mode_night`. */
export const NIGHT = { yes: 1, no: 2 } as const;
/** `SplitDimension.value`. */
export const SPLIT = { abi: 1, density: 2, language: 3 } as const;

let messageFields: ReadonlyMap<string, ReadonlyMap<number, string>> | undefined;

/** The message type of a field by its number; `undefined` for plain values and fields that are not known here. */
export function fieldOf(message: string, number: number): string | undefined {
  messageFields ??= new Map(
    Object.entries(MESSAGES).map(([name, fields]) => [
      name,
      new Map(
        Object.values(fields).flatMap(([id, type]): [number, string][] =>
          Object.hasOwn(MESSAGES, type) ? [[id, type]] : [],
        ),
      ),
    ]),
  );
  return messageFields.get(message)?.get(number);
}

let root: protobuf.Root | undefined;

/** The message type of a name, made when the first is asked for. */
export function messageType(name: keyof typeof MESSAGES): protobuf.Type {
  if (root === undefined) {
    const nested = Object.fromEntries(
      Object.entries(MESSAGES).map(([message, fields]) => [
        message,
        {
          fields: Object.fromEntries(
            Object.entries(fields).map(([field, [id, type, rule]]) => [
              field,
              { id, type, ...(rule ? { rule } : {}) },
            ]),
          ),
        },
      ]),
    );
    root = protobuf.Root.fromJSON({ nested });
  }
  return root.lookupType(name);
}
