import { HullError, type Place } from '../../errors.js';
import type { Component } from '../../links/components.js';
import { type PlacedJson, parsePlacedJson } from '../../util/json-places.js';

/** Something in an association document that keeps verifiers from reading it as it was meant. */
export interface DocumentFault {
  /** `breaks`: verifiers refuse it; `warns`: some do, or part of it is skipped. */
  readonly weight: 'breaks' | 'warns';
  readonly place: Place;
  readonly saw: string;
  readonly remedy: string;
}

export interface DocumentText {
  readonly json: PlacedJson | undefined;
  readonly faults: readonly DocumentFault[];
}

const breaks = (place: Place, saw: string, remedy: string): DocumentFault => ({
  weight: 'breaks',
  place,
  saw,
  remedy,
});

/** What bytes are where they are not JSON, by how they begin. */
function notJson(bytes: Uint8Array): { saw: string; remedy: string } | undefined {
  const [first, second, third] = bytes;
  if (bytes.length === 0) {
    return { saw: 'The answer is empty.', remedy: 'Serve the document; hull domains write makes it.' };
  }
  if (first === 0x1f && second === 0x8b) {
    return {
      saw: 'The bytes are compressed with gzip, and the answer does not say so.',
      remedy: 'Send the file as it is, or with Content-Encoding: gzip.',
    };
  }
  if (first === 0x28 && second === 0xb5) {
    return {
      saw: 'The bytes are compressed with zstd, and the answer does not say so.',
      remedy: 'Send the file as it is.',
    };
  }
  if (first === 0xef && second === 0xbb && third === 0xbf) {
    return {
      saw: 'A byte-order mark stands before the JSON (RFC 8259 section 8.1 forbids it).',
      remedy: 'Save the file as UTF-8 without a byte-order mark.',
    };
  }
  if ((first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff)) {
    return { saw: 'The document is in UTF-16.', remedy: 'Save the file as UTF-8.' };
  }
  if (first === 0x30 && (second ?? 0) >= 0x80) {
    return {
      saw: 'This is a signed document (CMS), which today’s devices do not read.',
      remedy: 'Serve the plain JSON.',
    };
  }
  const start = Buffer.from(bytes.subarray(0, 512)).toString('utf8').trimStart();
  if (start.startsWith('<')) {
    return {
      saw: 'This is an HTML page, not JSON: the host answers with a page where the document should be.',
      remedy: 'Let the host serve /.well-known as files, before any rule that answers with the start page.',
    };
  }
  return undefined;
}

/** Reads the JSON of a document, and says what bytes are where they are none. */
export function readDocumentJson(place: Place, bytes: Uint8Array): DocumentText {
  const name = place.file ?? place.url ?? '';
  const kind = notJson(bytes);
  if (kind) return { json: undefined, faults: [breaks(place, kind.saw, kind.remedy)] };
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return {
      json: undefined,
      faults: [breaks(place, 'The document is not valid UTF-8.', 'Save the file as UTF-8.')],
    };
  }
  try {
    const json = parsePlacedJson(name, text, {
      comments: false,
      code: 'domains.not-json',
      remedy: 'Fix it here; it is plain JSON, without comments or trailing commas.',
    });
    return { json, faults: [] };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    const { line, column } = error.place ?? {};
    const where = {
      ...place,
      ...(line === undefined ? {} : { line }),
      ...(column === undefined ? {} : { column }),
    };
    return { json: undefined, faults: [breaks(where, error.message, error.remedy ?? 'Fix the JSON.')] };
  }
}

/** A value of a document at a pointer, as a place in the file or at the address that it came from. */
function placeInDocument(origin: Place, json: PlacedJson, pointer: string): Place {
  const { line, column } = json.place(pointer);
  return {
    ...origin,
    pointer,
    ...(line === undefined ? {} : { line }),
    ...(column === undefined ? {} : { column }),
  };
}

/** The most faults of one document that are listed: a broken generator makes thousands of the same. */
const MAX_FAULTS = 200;

/** Adds faults of one document to a list, each at the place of a value. */
export function faultTeller(origin: Place, json: PlacedJson, faults: DocumentFault[]) {
  let told = 0;
  return (weight: DocumentFault['weight'], pointer: string, saw: string, remedy: string): void => {
    told += 1;
    if (told === MAX_FAULTS + 1) {
      faults.push({
        weight: 'breaks',
        place: origin,
        saw: `There are more than ${MAX_FAULTS} faults; the others are not listed.`,
        remedy: 'Fix these first: the others are probably of the same kinds.',
      });
    }
    if (told > MAX_FAULTS) return;
    faults.push({ weight, place: placeInDocument(origin, json, pointer), saw, remedy });
  };
}

export type JsonObject = Readonly<Record<string, unknown>>;

export function isObject(value: unknown): value is JsonObject {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** The texts of a list; anything else in it is skipped. */
export function texts(value: unknown): string[] {
  return Array.isArray(value) ? value.filter((item): item is string => typeof item === 'string') : [];
}

/** Members that the components of two documents have in common, under the same keys: path, query by name, fragment. */
export function componentPatterns(
  item: JsonObject,
): Pick<Component, 'path' | 'query' | 'fragment' | 'exclude'> {
  const { '/': path, '?': query, '#': fragment } = item;
  return {
    ...(typeof path === 'string' ? { path } : {}),
    ...(typeof fragment === 'string' ? { fragment } : {}),
    ...(isObject(query)
      ? { query: new Map(Object.entries(query).map(([key, value]) => [key, String(value)])) }
      : {}),
    exclude: item.exclude === true,
  };
}
