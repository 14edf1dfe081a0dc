import { readScript } from './script.js';
import type { ScriptFacts } from './script-facts.js';
import { readStyle, type StyleFacts } from './style.js';

/** What takes scripts and styles apart. */
export interface ParseTexts {
  script(text: string): ScriptFacts;
  style(text: string): StyleFacts;
}

/** Parses each text where it is met. */
export const PARSE: ParseTexts = { script: readScript, style: readStyle };

/** Scripts and styles that were parsed already: what several sites share is parsed once. */
export class ParsedTexts implements ParseTexts {
  readonly #scripts = new Map<string, ScriptFacts>();
  readonly #styles = new Map<string, StyleFacts>();

  script(text: string): ScriptFacts {
    return once(this.#scripts, text, readScript);
  }

  style(text: string): StyleFacts {
    return once(this.#styles, text, readStyle);
  }
}

function once<T>(known: Map<string, T>, text: string, parse: (text: string) => T): T {
  const before = known.get(text);
  if (before !== undefined) return before;
  const parsed = parse(text);
  known.set(text, parsed);
  return parsed;
}
