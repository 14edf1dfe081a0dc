import { ANDROID_NAMESPACE, type XmlAttribute, type XmlElement } from '../../../formats/axml/types.js';
import type { ResourceValue } from '../../../formats/string-pool/value.js';
import { ATTRIBUTE_IDS, type AttributeName } from './attributes.js';

/** An attribute of the platform's namespace. */
export function android(name: AttributeName, value: ResourceValue | string | number | boolean): XmlAttribute {
  return { namespace: ANDROID_NAMESPACE, name, resourceId: ATTRIBUTE_IDS[name], value: typed(value) };
}

/** An attribute without a namespace. */
export function plain(name: string, value: ResourceValue | string | number | boolean): XmlAttribute {
  return { name, value: typed(value) };
}

export const reference = (id: number): ResourceValue => ({ type: 'reference', id });

function typed(value: ResourceValue | string | number | boolean): ResourceValue {
  if (typeof value === 'string') return { type: 'string', text: value };
  if (typeof value === 'number') return { type: 'int', value };
  if (typeof value === 'boolean') return { type: 'boolean', value };
  return value;
}

export function element(
  name: string,
  attributes: readonly XmlAttribute[] = [],
  children: readonly XmlElement[] = [],
): XmlElement {
  return { name, attributes, children };
}
