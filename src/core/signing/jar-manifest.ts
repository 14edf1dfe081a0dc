/** JAR manifests and signature files (JAR File Specification, "JAR Manifest"). */

export interface ManifestSection {
  /** The entry that the section is about; `undefined` for the main attributes. */
  readonly name: string | undefined;
  /** Attribute values by lower-case name. */
  readonly attributes: ReadonlyMap<string, string>;
  /** The section's very bytes with the blank line that ends it: what a signature file digests. */
  readonly bytes: Uint8Array;
}

const CR = 0x0d;
const LF = 0x0a;

/** Offset behind the line end at or after `from`, and the length of the line without it. */
function nextLine(bytes: Uint8Array, from: number): { readonly length: number; readonly next: number } {
  let at = from;
  while (at < bytes.length && bytes[at] !== CR && bytes[at] !== LF) at += 1;
  const length = at - from;
  if (bytes[at] === CR && bytes[at + 1] === LF) return { length, next: at + 2 };
  return { length, next: Math.min(at + 1, bytes.length) };
}

function parseSection(bytes: Uint8Array): ManifestSection {
  const attributes = new Map<string, string>();
  const text = new TextDecoder().decode(bytes);
  // A line that starts with a space goes on from the one before.
  const lines = text.replaceAll(/(?:\r\n|\r|\n) /g, '').split(/\r\n|\r|\n/);
  for (const line of lines) {
    const colon = line.indexOf(': ');
    if (colon > 0) attributes.set(line.slice(0, colon).toLowerCase(), line.slice(colon + 2));
  }
  return { name: attributes.get('name'), attributes, bytes };
}

/** The sections of a manifest, the main attributes first. */
export function parseJarManifest(bytes: Uint8Array): ManifestSection[] {
  const sections: ManifestSection[] = [];
  let start = 0;
  let at = 0;
  while (at < bytes.length) {
    const { length, next } = nextLine(bytes, at);
    at = next;
    if (length !== 0) continue;
    // Further blank lines belong to the section that they end.
    while (at < bytes.length && nextLine(bytes, at).length === 0) at = nextLine(bytes, at).next;
    sections.push(parseSection(bytes.subarray(start, at)));
    start = at;
  }
  if (start < bytes.length) sections.push(parseSection(bytes.subarray(start)));
  return sections;
}
