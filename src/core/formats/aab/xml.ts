import { HullError } from '../../errors.js';
import { ANDROID_NAMESPACE, type XmlAttribute, type XmlElement } from '../axml/types.js';
import type { ResourceValue } from '../string-pool/value.js';
import { measureMessage } from './measure.js';
import { messageType } from './schema.js';
import { decodeItem, encodeItem, type ItemMessage } from './values.js';

interface AttributeMessage {
  readonly namespaceUri?: string;
  readonly name?: string;
  readonly value?: string;
  readonly resourceId?: number;
  readonly compiledItem?: ItemMessage;
}

interface ElementMessage {
  readonly namespaceUri?: string;
  readonly name?: string;
  readonly attribute?: readonly AttributeMessage[];
  readonly child?: readonly NodeMessage[];
}

interface NodeMessage {
  readonly element?: ElementMessage;
  readonly text?: string;
}

/** A value as its source would have it, which readers of the text alone go by. */
function sourceText(value: ResourceValue): string {
  switch (value.type) {
    case 'string':
      return value.text;
    case 'int':
    case 'float':
    case 'boolean':
      return String(value.value);
    case 'hex':
      return `0x${value.value.toString(16)}`;
    case 'reference':
      return `@0x${value.id.toString(16).padStart(8, '0')}`;
    case 'attribute':
      return `?0x${value.id.toString(16).padStart(8, '0')}`;
    case 'color':
      return `#${value.argb.toString(16).padStart(8, '0')}`;
    case 'dimension':
      return `${value.value}${value.unit}`;
    default:
      return '';
  }
}

function attributeMessage({ namespace, name, resourceId, value }: XmlAttribute): AttributeMessage {
  return {
    ...(namespace === undefined ? {} : { namespaceUri: namespace }),
    name,
    value: sourceText(value),
    ...(resourceId === undefined ? {} : { resourceId }),
    ...(value.type === 'string' ? {} : { compiledItem: encodeItem(value) }),
  };
}

function elementMessage(element: XmlElement): ElementMessage {
  return {
    ...(element.namespace === undefined ? {} : { namespaceUri: element.namespace }),
    name: element.name,
    attribute: element.attributes.map(attributeMessage),
    child: [
      ...(element.text === undefined ? [] : [{ text: element.text }]),
      ...element.children.map((child) => ({ element: elementMessage(child) })),
    ],
  };
}

/** An XML document in a bundle's form (`XmlNode`). */
export function writeProtoXml(root: XmlElement): Uint8Array {
  const type = messageType('XmlNode');
  const element = {
    ...elementMessage(root),
    namespaceDeclaration: [{ prefix: 'android', uri: ANDROID_NAMESPACE }],
  };
  return type.encode({ element }).finish();
}

/** Decoding has bounded the depth. */
function readElement(message: ElementMessage): XmlElement {
  const nodes = message.child ?? [];
  const text = nodes
    .flatMap((node) => (node.element === undefined && node.text !== undefined ? [node.text] : []))
    .join('');
  return {
    ...(message.namespaceUri ? { namespace: message.namespaceUri } : {}),
    name: message.name ?? '',
    attributes: (message.attribute ?? []).map((attribute) => ({
      ...(attribute.namespaceUri ? { namespace: attribute.namespaceUri } : {}),
      name: attribute.name ?? '',
      ...(attribute.resourceId ? { resourceId: attribute.resourceId } : {}),
      value: attribute.compiledItem
        ? decodeItem(attribute.compiledItem)
        : { type: 'string', text: attribute.value ?? '' },
    })),
    children: nodes.flatMap((node) => (node.element ? [readElement(node.element)] : [])),
    ...(text.trim() === '' ? {} : { text }),
  };
}

/** Decodes a message. Throws `bundle.malformed`, `file.over-budget`. */
export function decodeMessage(name: string, bytes: Uint8Array): unknown {
  const type = messageType(name);
  measureMessage(name, bytes);
  try {
    return type.toObject(type.decode(bytes), { longs: Number });
  } catch (cause) {
    throw new HullError('bundle.malformed', `This is no ${name} in protobuf form, or it is damaged.`, {
      fix: 'Build the bundle again.',
      cause,
    });
  }
}

/** Reads an XML document of a bundle. Throws `bundle.malformed`. */
export function readProtoXml(bytes: Uint8Array): XmlElement {
  const node = decodeMessage('XmlNode', bytes) as NodeMessage;
  if (node.element === undefined) throw new HullError('bundle.malformed', 'The document has no element.');
  return readElement(node.element);
}
