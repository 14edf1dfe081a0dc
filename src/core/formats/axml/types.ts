import type { ResourceValue } from '../string-pool/value.js';

/** The platform's attribute namespace. */
export const ANDROID_NAMESPACE = 'http://schemas.android.com/apk/res/android';

export interface XmlAttribute {
  readonly namespace?: string;
  readonly name: string;
  /** The attribute's resource ID (`android.R.attr.*`), which is what the platform looks it up by. */
  readonly resourceId?: number;
  readonly value: ResourceValue;
  /** The typed value is empty, and `value` is the attribute's raw text. */
  readonly isRaw?: true;
}

export interface XmlElement {
  readonly namespace?: string;
  readonly name: string;
  readonly attributes: readonly XmlAttribute[];
  readonly children: readonly XmlElement[];
  /** Text inside the element; the format's documents here never mix it with children. */
  readonly text?: string;
  /** The comment before the element; the format keeps one an element, and the platform passes it over. */
  readonly comment?: string;
}

/** Chunk types (`ResChunk_header.type` in ResourceTypes.h). */
export const CHUNK = {
  xml: 0x0003,
  resourceMap: 0x0180,
  startNamespace: 0x0100,
  endNamespace: 0x0101,
  startElement: 0x0102,
  endElement: 0x0103,
  text: 0x0104,
} as const;

export const NO_STRING = 0xffffffff;
