import { Budget } from '../../../formats/bytes/budget.js';

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

/** An attribute's name in lower case, by the name as written; `undefined` for what is not a name. */
class AttributeNames {
  readonly #known = new Map<string, string | undefined>();

  lowerCase(name: string): string | undefined {
    if (!this.#known.has(name)) {
      this.#known.set(name, ATTRIBUTE_NAME.test(name) ? name.toLowerCase() : undefined);
    }
    return this.#known.get(name);
  }
}

/** One section while its lines are read. */
class SectionReader {
  readonly #bytes: Buffer;
  readonly #names: AttributeNames;
  readonly #attributes = new Map<string, string>();
  readonly #start: number;
  #fault: string | undefined;
  /** The attribute that may go on in the next line: its first line, and what was joined to it. */
  #from = -1;
  #to = -1;
  #joined: Uint8Array[] | undefined;
  /** Blank lines before the text, and in and behind it. */
  #blanksBefore = 0;
  #blanksAfter = 0;
  #isUnended = false;

  constructor(bytes: Buffer, names: AttributeNames, start: number) {
    this.#bytes = bytes;
    this.#names = names;
    this.#start = start;
  }

  get isEnding(): boolean {
    return this.#blanksAfter > 0;
  }

  get hasText(): boolean {
    return this.#from >= 0 || this.#attributes.size > 0 || this.#fault !== undefined;
  }

  /** A line without its end. A line may be cut in the middle of a character, so nothing is decoded before all is joined. */
  line(start: number, end: number, next: number): void {
    this.#isUnended = next === end;
    if (start === end) {
      if (this.hasText) this.#blanksAfter += 1;
      else this.#blanksBefore += 1;
      return;
    }
    if (this.#bytes[start] !== SPACE) {
      this.#flush();
      this.#from = start;
      this.#to = end;
      return;
    }
    if (this.#from < 0) this.#fault = 'A section starts with a continuation line.';
    this.#joined ??= this.#from < 0 ? [] : [this.#bytes.subarray(this.#from, this.#to)];
    this.#joined.push(this.#bytes.subarray(start + 1, end));
    if (this.#from < 0) this.#from = start;
  }

  #flush(): void {
    if (this.#from < 0) return;
    const text = this.#joined
      ? Buffer.concat(this.#joined).toString('utf8')
      : this.#bytes.toString('utf8', this.#from, this.#to);
    this.#from = -1;
    this.#joined = undefined;
    const colon = text.indexOf(': ');
    const name = colon < 0 ? text : text.slice(0, colon);
    const key = colon < 0 ? undefined : this.#names.lowerCase(name);
    if (key === undefined) this.#fault ??= `"${name.slice(0, 40)}" is not an attribute.`;
    else if (this.#attributes.has(key)) this.#fault ??= `The attribute ${name} is repeated in one section.`;
    else this.#attributes.set(key, text.slice(colon + 2));
  }

  /** @param end where the next section begins */
  finish(end: number): ManifestSection {
    this.#flush();
    if (this.#isUnended) this.#fault ??= 'The last line has no line end.';
    return {
      name: this.#attributes.get('name'),
      attributes: this.#attributes,
      bytes: this.#bytes.subarray(this.#start, end),
      hasExtraBlankLines: this.#blanksBefore > 0 || this.#blanksAfter > 1,
      ...(this.#fault === undefined ? {} : { fault: this.#fault }),
    };
  }
}

/**
 * The sections of a manifest, the main attributes first. Together their bytes are the manifest.
 *
 * @throws HullError `file.over-budget`
 */
export function parseJarManifest(given: Uint8Array): ManifestSection[] {
  const bytes = Buffer.from(given.buffer, given.byteOffset, given.byteLength);
  const budget = new Budget(bytes.length, { items: FEW_LINES + Math.floor(bytes.length / 16) });
  const names = new AttributeNames();
  const sections: ManifestSection[] = [];
  let section = new SectionReader(bytes, names, 0);
  for (let offset = 0; offset < bytes.length; ) {
    const start = offset;
    let end = start;
    while (end < bytes.length && bytes[end] !== CR && bytes[end] !== LF) end += 1;
    const isPair = bytes[end] === CR && bytes[end + 1] === LF;
    offset = Math.min(end + (isPair ? 2 : 1), bytes.length);
    if (section.isEnding && end > start) {
      sections.push(section.finish(start));
      section = new SectionReader(bytes, names, start);
    }
    budget.charge('items', 1);
    section.line(start, end, offset);
  }
  if (bytes.length > 0) sections.push(section.finish(bytes.length));
  return sections;
}
