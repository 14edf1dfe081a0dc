import type { Location } from '../errors.js';
import { bySeverity, type Finding, type Severity } from '../finding.js';

/** What comparing two packages gives, whatever platform they are for. */

/** Something that changed and that nobody has to act on. */
export interface Change {
  /** Stable and dotted: `compare.name`. */
  readonly code: string;
  readonly observed: string;
  /** What follows from it, where that is not plain. */
  readonly impact?: string;
}

export interface SizeChange {
  /** A part of the package by its name among the facts, or `package` for the whole. */
  readonly part: string;
  /** Bytes. */
  readonly before: number;
  readonly after: number;
}

export interface Comparison {
  /** False where a store or a device would refuse the update. */
  readonly updates: boolean;
  /** What blocks the update (errors), and what users or reviewers will notice (warnings); errors first. */
  readonly findings: readonly Finding[];
  readonly changes: readonly Change[];
  readonly sizes: readonly SizeChange[];
  readonly files: {
    readonly added: readonly string[];
    readonly removed: readonly string[];
    readonly changed: readonly string[];
  };
}

/** What is collected while two packages are compared. */
export class Differences {
  readonly findings: Finding[] = [];
  readonly changes: Change[] = [];
  readonly #location: Location;

  /** @param file the package that is to follow */
  constructor(file: string) {
    this.#location = { file };
  }

  find(severity: Severity, name: string, parts: Pick<Finding, 'observed' | 'impact' | 'fix'>): void {
    this.findings.push({ code: `compare.${name}`, severity, location: this.#location, ...parts });
  }

  change(name: string, observed: string, impact?: string): void {
    this.changes.push({ code: `compare.${name}`, observed, ...(impact === undefined ? {} : { impact }) });
  }
}

/** Items that only the second list has. */
export const gained = <T>(before: ReadonlySet<T>, after: ReadonlySet<T>): T[] =>
  [...after].filter((item) => !before.has(item));

/** What is compared of every package. Sizes in bytes. */
interface Sized {
  readonly size: number;
  readonly sizes: readonly { readonly part: string; readonly packed: number }[];
  readonly files: readonly {
    readonly path: string;
    /** What it is, where the package says so: that counts, and not its path. */
    readonly resource?: string;
    readonly crc32: number;
  }[];
}

function sizeChanges(old: Sized, next: Sized): SizeChange[] {
  const packed = (facts: Sized, part: string) =>
    facts.sizes.find((share) => share.part === part)?.packed ?? 0;
  const parts = [...new Set([...old.sizes, ...next.sizes].map(({ part }) => part))];
  const changes = parts.map((part) => ({ part, before: packed(old, part), after: packed(next, part) }));
  return [
    ...changes.filter(({ before, after }) => before !== after),
    { part: 'package', before: old.size, after: next.size },
  ];
}

/** Puts together what was found, with sizes and files. @param counts which files count: not those of signatures */
export function comparisonOf<T extends Sized>(
  { findings, changes }: Differences,
  old: T,
  next: T,
  counts: (file: T['files'][number]) => boolean,
): Comparison {
  const byName = (facts: T) =>
    new Map(facts.files.filter(counts).map((file) => [file.resource ?? file.path, file]));
  const [was, is] = [byName(old), byName(next)];
  const pathsOf = (files: readonly T['files'][number][]) => files.map(({ path }) => path).sort();
  return {
    updates: !findings.some(({ severity }) => severity === 'error'),
    findings: bySeverity(findings),
    changes,
    sizes: sizeChanges(old, next),
    files: {
      added: pathsOf([...is].filter(([name]) => !was.has(name)).map(([, file]) => file)),
      removed: pathsOf([...was].filter(([name]) => !is.has(name)).map(([, file]) => file)),
      changed: pathsOf(
        [...is]
          .filter(([name, file]) => was.has(name) && was.get(name)?.crc32 !== file.crc32)
          .map(([, file]) => file),
      ),
    },
  };
}
