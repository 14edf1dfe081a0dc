import { ByteWriter } from '../bytes/writer.js';
import { type StringEncoding, StringPoolBuilder, writeStringPool } from '../string-pool/string-pool.js';
import { encodeValue } from '../string-pool/value.js';
import { ANDROID_NAMESPACE, CHUNK, NO_STRING, type XmlAttribute, type XmlElement } from './types.js';

const ANDROID_PREFIX = 'android';
const NODE_HEADER = 16;
/** There is no source text to number, and rising numbers would be a tenth of a deflated manifest. */
const NO_LINE = 0;

/** Attributes in the order in which the platform's lookup expects them: by resource ID, those without one last. */
function ordered(attributes: readonly XmlAttribute[]): XmlAttribute[] {
  return [...attributes].sort((a, b) => (a.resourceId ?? 2 ** 32) - (b.resourceId ?? 2 ** 32));
}

function collectResourceAttributes(element: XmlElement, into: Map<number, string>): void {
  for (const attribute of element.attributes) {
    if (attribute.resourceId !== undefined) into.set(attribute.resourceId, attribute.name);
  }
  for (const child of element.children) collectResourceAttributes(child, into);
}

function usesAndroidNamespace(element: XmlElement): boolean {
  return (
    element.attributes.some((attribute) => attribute.namespace === ANDROID_NAMESPACE) ||
    element.children.some(usesAndroidNamespace)
  );
}

/**
 * A document as binary XML (`ResXMLTree_*` in ResourceTypes.h). The first strings of the pool are the attribute
 * names that have resource IDs, in ascending order of these, as the resource map demands.
 */
export function writeBinaryXml(root: XmlElement, encoding: StringEncoding = 'utf-8'): Uint8Array {
  const pool = new StringPoolBuilder();
  const byId = new Map<number, string>();
  collectResourceAttributes(root, byId);
  const ids = [...byId.keys()].sort((a, b) => a - b);
  const nameIndex = new Map(ids.map((id) => [id, pool.append(byId.get(id) as string)]));
  const intern = (text: string) => pool.add(text);
  const internOptional = (text: string | undefined) => (text === undefined ? NO_STRING : intern(text));

  const body = new ByteWriter(2048);

  const node = (type: number, size: number, comment: number) => {
    body.u16(type).u16(NODE_HEADER).u32(size).u32(NO_LINE).u32(comment);
  };

  const namespaceNode = (type: number) => {
    node(type, NODE_HEADER + 8, NO_STRING);
    body.u32(intern(ANDROID_PREFIX)).u32(intern(ANDROID_NAMESPACE));
  };

  const element = (item: XmlElement) => {
    const attributes = ordered(item.attributes);
    node(CHUNK.startElement, NODE_HEADER + 20 + attributes.length * 20, internOptional(item.comment));
    body
      .u32(internOptional(item.namespace))
      .u32(intern(item.name))
      .u16(20)
      .u16(20)
      .u16(attributes.length)
      .u16(0)
      .u16(0)
      .u16(0);
    for (const attribute of attributes) {
      const { kind, data } = encodeValue(attribute.value, intern);
      body
        .u32(internOptional(attribute.namespace))
        .u32(
          attribute.resourceId === undefined
            ? intern(attribute.name)
            : (nameIndex.get(attribute.resourceId) as number),
        )
        .u32(attribute.value.type === 'string' ? data : NO_STRING)
        .u16(8)
        .u8(0)
        .u8(kind)
        .u32(data);
    }
    if (item.text !== undefined) {
      const index = intern(item.text);
      node(CHUNK.text, NODE_HEADER + 12, NO_STRING);
      body.u32(index).u16(8).u8(0).u8(0).u32(0);
    }
    for (const child of item.children) element(child);
    node(CHUNK.endElement, NODE_HEADER + 8, NO_STRING);
    body.u32(internOptional(item.namespace)).u32(intern(item.name));
  };

  const namespaced = usesAndroidNamespace(root);
  if (namespaced) namespaceNode(CHUNK.startNamespace);
  element(root);
  if (namespaced) namespaceNode(CHUNK.endNamespace);

  const strings = writeStringPool(pool.strings, encoding);
  const map = new ByteWriter(8 + ids.length * 4);
  if (ids.length > 0) {
    map
      .u16(CHUNK.resourceMap)
      .u16(8)
      .u32(8 + ids.length * 4);
    for (const id of ids) map.u32(id);
  }
  const nodes = body.finish();
  return new ByteWriter(8 + strings.length + map.length + nodes.length)
    .u16(CHUNK.xml)
    .u16(8)
    .u32(8 + strings.length + map.length + nodes.length)
    .bytes(strings)
    .bytes(map.finish())
    .bytes(nodes)
    .finish();
}
