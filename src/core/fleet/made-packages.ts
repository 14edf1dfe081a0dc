import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { appendLine, fileSha256, keepInCache } from '../util/files.js';
import { isObject } from '../util/json-object.js';

/** A package that was made. */
export interface MadePackage {
  readonly file: string;
  /** Bytes. */
  readonly size: number;
  /** SHA-256 of the package, in hexadecimal. */
  readonly sha256: string;
}

/** What is kept of it: also from what it was made. */
export interface Made extends MadePackage {
  /** As {@link Inputs.digest} gives it. */
  readonly inputs: string;
  /** The key that was named in place of the brand’s own. */
  readonly key?: string | undefined;
}

const STATE = join('.hull', 'fleet.jsonl');
/** Lines beyond one for each package, from which on the file is written again without those that no longer count. */
const MOST_OLD = 1000;

/** A line of the file: a package, and the name of its brand and kind. */
type Line = Made & { readonly name: string };

function lineIn(text: string): Line[] {
  try {
    const line: unknown = JSON.parse(text);
    return isObject(line) && typeof line.name === 'string' ? [line as unknown as Line] : [];
  } catch {
    // What a killed run has left of a line: its package is made again.
    return [];
  }
}

/** Packages that earlier runs made: a line for each, the last of a name counts. Runs side by side add to the same file. */
export class MadePackages {
  readonly #file: string;
  readonly #made = new Map<string, Made>();

  constructor(dir: string) {
    this.#file = join(dir, STATE);
    let texts: string[] = [];
    try {
      texts = readFileSync(this.#file, 'utf8').split('\n');
    } catch {
      // Without it, everything is made.
    }
    for (const { name, ...one } of texts.flatMap(lineIn)) this.#made.set(name, one);
    if (texts.length > this.#made.size + MOST_OLD) this.#shorten();
  }

  #shorten(): void {
    const lines = [...this.#made].map(([name, one]) => `${lineOf(name, one)}\n`);
    keepInCache(this.#file, new TextEncoder().encode(lines.join('')));
  }

  /** The package of a brand, where it is there as it was made, from just these inputs. */
  async unchanged(name: string, inputs: string): Promise<Made | undefined> {
    const made = this.#made.get(name);
    if (made?.inputs !== inputs || !existsSync(made.file)) return undefined;
    return (await fileSha256(made.file)) === made.sha256 ? made : undefined;
  }

  /** What was noted of a package. @param file as it was made */
  noted(name: string, file: string): Made | undefined {
    const made = this.#made.get(name);
    return made?.file === file ? made : undefined;
  }

  /** Notes a package. An end in between leaves what was noted before. */
  keep(name: string, one: Made): Promise<void> {
    this.#made.set(name, one);
    return appendLine(this.#file, lineOf(name, one));
  }
}

const lineOf = (name: string, one: Made): string => JSON.stringify({ name, ...one });
