import { Budget } from '../formats/bytes/budget.js';

/** JAR manifests and signature files (JAR File Specification, "JAR Manifest" and "Manifest Specification"). */

export interface ManifestSection {
  /** The entry that the section is about; `undefined` for the main attributes. */
  readonly name: string | undefined;
  /** Attribute values by lower-case name; of a repeated attribute, the first. */
  readonly attributes: ReadonlyMap<string, string>;
  /** The section's bytes with the blank lines that end it: what a signature file digests. */
  readonly bytes: Uint8Array;
  /** Readers disagree on which section such lines belong to, and so on the section's digest. */
  readonly hasExtraBlankLines: boolean;
  /** What readers would disagree about, a sentence; `undefined` where the section has one meaning only. */
  readonly fault?: string;
}

/** Lines that a manifest of any size may have; a longer one has at least 16 bytes a line. */
const FEW_LINES = 64 * 1024;

const CR = 0x0d;
const LF = 0x0a;
const SPACE = 0x20;
/** An attribute's name (JAR File Specification, "Name-Value pairs and Sections"). */
const ATTRIBUTE_NAME = /^[A-Za-z0-9_-]{1,70}$/;

/** A line's bytes without its end, and where the next one starts. */
interface Line {
  readonly start: number;
  readonly end: number;
  readonly next: number;
}

function lineAt(bytes: Uint8Array, start: number): Line {
  let end = start;
  while (end < bytes.length && bytes[end] !== CR && bytes[end] !== LF) end += 1;
  if (bytes[end] === CR && bytes[end + 1] === LF) return { start, end, next: end + 2 };
  return { start, end, next: Math.min(end + 1, bytes.length) };
}

/**
 * Attributes as bytes, with lines that continue them joined: a line may end in the middle of a character, so nothing is
 * decoded before.
 */
function unfold(
  bytes: Uint8Array,
  lines: readonly Line[],
): { readonly texts: string[]; readonly starts: boolean } {
  const texts: string[] = [];
  let parts: Uint8Array[] = [];
  let starts = true;
  const flush = () => {
    if (parts.length > 0) texts.push(Buffer.concat(parts).toString('utf8'));
    parts = [];
  };
  for (const { start, end } of lines) {
    if (bytes[start] === SPACE) {
      if (parts.length === 0) starts = false;
      parts.push(bytes.subarray(start + 1, end));
    } else {
      flush();
      parts.push(bytes.subarray(start, end));
    }
  }
  flush();
  return { texts, starts };
}

/** @param bytes the section's own, from its first line to the end of the last blank line */
function parseSection(bytes: Uint8Array, all: readonly Line[]): ManifestSection {
  const attributes = new Map<string, string>();
  let fault: string | undefined;
  const lines = all.filter(({ start, end }) => end > start);
  const { texts, starts } = unfold(bytes, lines);
  if (!starts) fault = 'A section starts with a continuation line.';
  for (const text of texts) {
    const colon = text.indexOf(': ');
    const name = colon < 0 ? text : text.slice(0, colon);
    if (colon < 0 || !ATTRIBUTE_NAME.test(name)) {
      fault ??= `"${name.slice(0, 40)}" is not an attribute.`;
      continue;
    }
    const key = name.toLowerCase();
    if (attributes.has(key)) fault ??= `The attribute ${name} is repeated in one section.`;
    else attributes.set(key, text.slice(colon + 2));
  }
  const last = all.at(-1);
  if (last === undefined || last.next === last.end) fault ??= 'The last line has no line end.';
  return {
    name: attributes.get('name'),
    attributes,
    bytes,
    hasExtraBlankLines: all.length > lines.length + 1 || all[0] !== lines[0],
    ...(fault === undefined ? {} : { fault }),
  };
}

/** The sections of a manifest, the main attributes first. Together their bytes are the manifest. Throws `file.over-budget`. */
export function parseJarManifest(bytes: Uint8Array): ManifestSection[] {
  const budget = new Budget(bytes.length, { items: FEW_LINES + Math.floor(bytes.length / 16) });
  const sections: ManifestSection[] = [];
  let lines: Line[] = [];
  let start = 0;
  let hasText = false;
  let isEnding = false;
  const flush = (end: number) => {
    const own = lines.map((line) => ({
      start: line.start - start,
      end: line.end - start,
      next: line.next - start,
    }));
    sections.push(parseSection(bytes.subarray(start, end), own));
    start = end;
    lines = [];
    hasText = false;
    isEnding = false;
  };
  for (let offset = 0; offset < bytes.length; ) {
    const line = lineAt(bytes, offset);
    const isBlank = line.end === line.start;
    if (isEnding && !isBlank) flush(line.start);
    if (!isBlank) hasText = true;
    else if (hasText) isEnding = true;
    budget.charge('items', 1);
    lines.push(line);
    offset = line.next;
  }
  if (lines.length > 0) flush(bytes.length);
  return sections;
}
