import type { ResourceLookup } from '../../../formats/arsc/lookup.js';
import { ANDROID_NAMESPACE, type XmlAttribute, type XmlElement } from '../../../formats/axml/types.js';
import type { ResourceValue } from '../../../formats/string-pool/value.js';
import { attributeName } from '../app/attributes.js';

/** Reading manifests: attributes by name or, where a package leaves names out, by resource ID. */

/** An attribute's name, from its resource ID where the text is missing. */
export function nameOf(attribute: XmlAttribute): string {
  const known = attribute.resourceId === undefined ? undefined : attributeName(attribute.resourceId);
  return known ?? attribute.name;
}

export function attributeValue(element: XmlElement, name: string): ResourceValue | undefined {
  return element.attributes.find(
    (item) => nameOf(item) === name && (item.namespace === undefined || item.namespace === ANDROID_NAMESPACE),
  )?.value;
}

/** A value as people write it. */
export function valueText(value: ResourceValue, lookup?: ResourceLookup): string {
  const resolved = lookup ? lookup.resolve(value) : value;
  switch (resolved.type) {
    case 'string':
      return resolved.text;
    case 'int':
    case 'float':
      return String(resolved.value);
    case 'boolean':
      return String(resolved.value);
    case 'hex':
      return `0x${resolved.value.toString(16)}`;
    case 'color':
      return `#${resolved.argb.toString(16).padStart(8, '0')}`;
    case 'dimension':
      return `${resolved.value}${resolved.unit}`;
    case 'reference':
      return lookup?.name(resolved.id) ?? `@0x${resolved.id.toString(16).padStart(8, '0')}`;
    case 'attribute':
      return `?0x${resolved.id.toString(16).padStart(8, '0')}`;
    case 'null':
      return '';
    default:
      return 'data' in resolved ? `0x${resolved.data.toString(16)}` : '';
  }
}

/** An attribute's text, `undefined` where it is not there. */
export function attributeText(
  element: XmlElement,
  name: string,
  lookup?: ResourceLookup,
): string | undefined {
  const value = attributeValue(element, name);
  return value === undefined ? undefined : valueText(value, lookup);
}

/** A number, also where a manifest gives it as a text. */
export function attributeNumber(
  element: XmlElement,
  name: string,
  lookup?: ResourceLookup,
): number | undefined {
  const text = attributeText(element, name, lookup);
  const number = text === undefined || text === '' ? Number.NaN : Number(text);
  return Number.isFinite(number) ? number : undefined;
}

/** A boolean; absent and unreadable both give `fallback`. */
export function attributeFlag(
  element: XmlElement,
  name: string,
  fallback: boolean,
  lookup?: ResourceLookup,
): boolean {
  const text = attributeText(element, name, lookup);
  return text === 'true' || text === '0x1' ? true : text === 'false' ? false : fallback;
}

export function childrenNamed(element: XmlElement | undefined, name: string): XmlElement[] {
  return (element?.children ?? []).filter((child) => child.name === name);
}
