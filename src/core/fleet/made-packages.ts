import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileSha256, replaceFile } from '../util/files.js';
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

const STATE = join('.hull', 'fleet.json');

/** Packages that earlier runs made. */
export class MadePackages {
  readonly #file: string;
  readonly #made: Map<string, Made>;
  #writing: Promise<void> = Promise.resolve();

  constructor(dir: string) {
    this.#file = join(dir, STATE);
    this.#made = MadePackages.#read(this.#file);
  }

  static #read(file: string): Map<string, Made> {
    try {
      const kept: unknown = JSON.parse(readFileSync(file, 'utf8'));
      return new Map(
        isObject(kept) ? (Object.entries(kept).filter(([, one]) => isObject(one)) as [string, Made][]) : [],
      );
    } catch {
      // Without it, everything is made.
      return new Map();
    }
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

  /** Notes a package; one after the other, each whole: an end in between leaves what was noted before. */
  keep(name: string, one: Made): Promise<void> {
    this.#made.set(name, one);
    this.#writing = this.#writing.then(() => {
      const text = `${JSON.stringify(Object.fromEntries(this.#made), undefined, 1)}\n`;
      return replaceFile(this.#file, new TextEncoder().encode(text));
    });
    return this.#writing;
  }
}
