import type { ResourceTable } from '../../../formats/arsc/types.js';
import { ANDROID_NAMESPACE, type XmlAttribute, type XmlElement } from '../../../formats/axml/types.js';
import type { ResourceValue } from '../../../formats/string-pool/value.js';
import { escapeHtml } from '../../../util/html.js';
import { APP_CATEGORY, CONFIG_CHANGES, PLATFORM_STYLES } from '../app/attributes.js';

/** Names of numbers that the platform's build wants as words (`R.attr`, enumerations and flags). */
const WORDS: Readonly<Record<string, Readonly<Record<number, string>>>> = {
  launchMode: { 0: 'standard', 1: 'singleTop', 2: 'singleTask', 3: 'singleInstance' },
  screenOrientation: {
    0: 'landscape',
    1: 'portrait',
    5: 'nosensor',
    6: 'sensorLandscape',
    7: 'sensorPortrait',
    8: 'reverseLandscape',
    9: 'reversePortrait',
    11: 'userLandscape',
    12: 'userPortrait',
  },
  windowSoftInputMode: { 16: 'adjustResize' },
  gravity: { 17: 'center' },
  windowLayoutInDisplayCutoutMode: { 3: 'always' },
  appCategory: Object.fromEntries(Object.entries(APP_CATEGORY).map(([name, number]) => [number, name])),
};

/** Flags that the platform's build has no name for, so that sources cannot say them. */
const NAMELESS: readonly string[] = ['assetsPaths'] satisfies (keyof typeof CONFIG_CHANGES)[];

function words(attribute: string, value: number): string | undefined {
  if (attribute === 'configChanges') {
    const set = Object.entries(CONFIG_CHANGES).filter(
      ([name, bit]) => (value & bit) !== 0 && !NAMELESS.includes(name),
    );
    return set.map(([name]) => name).join('|');
  }
  return WORDS[attribute]?.[value];
}

/** Names of an app's own resources by their IDs, as `@type/name`. */
export function resourceNames(table: ResourceTable): Map<number, string> {
  const names = new Map<number, string>();
  for (const { id, types } of table.packages) {
    for (const type of types) {
      for (const entry of type.entries)
        names.set(((id << 24) | (type.id << 16) | entry.index) >>> 0, `@${type.name}/${entry.name}`);
    }
  }
  for (const [name, id] of Object.entries(PLATFORM_STYLES)) names.set(id, `@android:style/${name}`);
  return names;
}

/** A value as source files write it. */
export function valueText(
  attribute: string,
  value: ResourceValue,
  names: ReadonlyMap<number, string>,
): string {
  switch (value.type) {
    case 'string':
      return value.text;
    case 'reference':
      return names.get(value.id) ?? '@null';
    case 'boolean':
      return String(value.value);
    case 'int':
    case 'hex':
      return words(attribute, value.value) ?? String(value.value);
    case 'dimension':
      return `${value.value}${value.unit}`;
    case 'color':
      return `#${value.argb.toString(16).padStart(8, '0')}`;
    default:
      return '@null';
  }
}

/** Text of a resource: what the platform's build takes for references, attributes, quotes and escapes is escaped. */
export function resourceText(text: string): string {
  const inner = text
    .replaceAll('\\', '\\\\')
    .replaceAll("'", "\\'")
    .replaceAll('"', '\\"')
    .replaceAll('\n', '\\n');
  return escapeHtml(/^[@?]/.test(inner) ? `\\${inner}` : inner).replaceAll('&quot;', '"');
}

function attributeText({ namespace, name, value }: XmlAttribute, names: ReadonlyMap<number, string>): string {
  const prefix = namespace === ANDROID_NAMESPACE ? 'android:' : '';
  const raw = valueText(name, value, names);
  // A literal backslash or a leading sign would be read as an escape or a reference.
  const shown = value.type === 'string' ? raw.replaceAll('\\', '\\\\').replace(/^[@?]/, '\\$&') : raw;
  return `${prefix}${name}="${escapeHtml(shown)}"`;
}

/** An element as an XML document (XML 1.0), indented; no two platforms write it differently. */
export function xmlText(root: XmlElement, names: ReadonlyMap<number, string>): string {
  const lines = ['<?xml version="1.0" encoding="utf-8"?>'];
  const write = ({ name, attributes, children, text, comment }: XmlElement, indent: string): void => {
    if (comment !== undefined) lines.push(`${indent}<!-- ${comment.replaceAll('--', '- -')} -->`);
    const own = attributes.map((attribute) => attributeText(attribute, names));
    if (indent === '') own.unshift(`xmlns:android="${ANDROID_NAMESPACE}"`);
    const inLine = own.length <= 1;
    const open = `${indent}<${name}${own.map((item) => (inLine ? ` ${item}` : `\n${indent}    ${item}`)).join('')}`;
    if (text !== undefined) lines.push(`${open}>${escapeHtml(text)}</${name}>`);
    else if (children.length === 0) lines.push(`${open} />`);
    else {
      lines.push(`${open}>`);
      for (const child of children) write(child, `${indent}    `);
      lines.push(`${indent}</${name}>`);
    }
  };
  write(root, '');
  return `${lines.join('\n')}\n`;
}
