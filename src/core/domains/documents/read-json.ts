import { type Fix, HullError, type Location, task, withTasks } from '../../errors.js';
import type { Finding } from '../../finding.js';
import type { Component } from '../../links/components.js';
import { type LocatedJson, parseLocatedJson } from '../../util/json-locations.js';
import { isObject, type JsonObject } from '../../util/json-object.js';

export interface DocumentText {
  readonly json: LocatedJson | undefined;
  readonly faults: readonly Finding[];
}

/** What a document's faults lead to, by their severity. */
export const DOCUMENT_IMPACT = {
  error: 'Verifiers refuse the document, and links open in the browser.',
  warning: 'Some verifiers ignore this part of the document.',
} as const;

const unreadable = (location: Location, observed: string, fix: Fix): Finding => ({
  code: 'domains.document-unreadable',
  severity: 'error',
  location,
  observed,
  impact: DOCUMENT_IMPACT.error,
  fix,
});

/** What bytes are where they are not JSON, by how they begin. */
function notJson(bytes: Uint8Array): { observed: string; fix: Fix } | undefined {
  const [first, second, third] = bytes;
  if (bytes.length === 0) {
    return {
      observed: 'The answer is empty.',
      fix: withTasks`Serve the document; ${task('writeDomains')} makes it.`,
    };
  }
  if (first === 0x1f && second === 0x8b) {
    return {
      observed: 'The bytes are compressed with gzip, and the answer does not say so.',
      fix: 'Send the file as it is, or with Content-Encoding: gzip.',
    };
  }
  if (first === 0x28 && second === 0xb5) {
    return {
      observed: 'The bytes are compressed with zstd, and the answer does not say so.',
      fix: 'Send the file as it is.',
    };
  }
  if (first === 0xef && second === 0xbb && third === 0xbf) {
    return {
      observed: 'There is a byte-order mark before the JSON (RFC 8259 section 8.1 forbids it).',
      fix: 'Save the file as UTF-8 without a byte-order mark.',
    };
  }
  if ((first === 0xff && second === 0xfe) || (first === 0xfe && second === 0xff)) {
    return { observed: 'The document is in UTF-16.', fix: 'Save the file as UTF-8.' };
  }
  if (first === 0x30 && (second ?? 0) >= 0x80) {
    return {
      observed: 'This is a signed document (CMS), which today’s devices do not read.',
      fix: 'Serve the plain JSON.',
    };
  }
  const start = Buffer.from(bytes.subarray(0, 512)).toString('utf8').trimStart();
  if (start.startsWith('<')) {
    return {
      observed: 'This is an HTML page, not JSON: the host answers with a page where the document should be.',
      fix: 'Let the host serve /.well-known as files, before any rule that answers with the start page.',
    };
  }
  return undefined;
}

/** Reads the JSON of a document, and says what bytes are where they are none. */
export function readDocumentJson(location: Location, bytes: Uint8Array): DocumentText {
  const name = location.file ?? location.url ?? '';
  const kind = notJson(bytes);
  if (kind) return { json: undefined, faults: [unreadable(location, kind.observed, kind.fix)] };
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return {
      json: undefined,
      faults: [unreadable(location, 'The document is not valid UTF-8.', 'Save the file as UTF-8.')],
    };
  }
  try {
    const json = parseLocatedJson(name, text, {
      comments: false,
      code: 'domains.not-json',
      fix: 'Fix it here; it is plain JSON, without comments or trailing commas.',
    });
    return { json, faults: [] };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    const { line, column } = error.location ?? {};
    const where = {
      ...location,
      ...(line === undefined ? {} : { line }),
      ...(column === undefined ? {} : { column }),
    };
    return { json: undefined, faults: [unreadable(where, error.message, error.fix ?? 'Fix the JSON.')] };
  }
}

/** A value of a document at a pointer, as a place in the file or at the address that it came from. */
function locationInDocument(origin: Location, json: LocatedJson, pointer: string): Location {
  const { line, column } = json.location(pointer);
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
export function faultTeller(origin: Location, json: LocatedJson, faults: Finding[]) {
  let told = 0;
  return (severity: 'error' | 'warning', pointer: string, observed: string, fix: Fix): void => {
    told += 1;
    if (told === MAX_FAULTS + 1) {
      faults.push({
        code: 'domains.document-content',
        severity: 'error',
        location: origin,
        observed: `There are more than ${MAX_FAULTS} faults; the others are not listed.`,
        impact: DOCUMENT_IMPACT.error,
        fix: 'Fix these first: the others are probably of the same kinds.',
      });
    }
    if (told > MAX_FAULTS) return;
    faults.push({
      code: 'domains.document-content',
      severity,
      location: locationInDocument(origin, json, pointer),
      observed,
      impact: DOCUMENT_IMPACT[severity],
      fix,
    });
  };
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
