/** Letters of a range, each a value of its own. */
const letters = (from: string, to: string) =>
  Array.from({ length: to.charCodeAt(0) - from.charCodeAt(0) + 1 }, (_none, index) =>
    String.fromCharCode(from.charCodeAt(0) + index),
  );

function codes(type: 'region' | 'language'): string[] {
  const names = new Intl.DisplayNames(['en'], { type, fallback: 'none' });
  const alphabet = letters('a', 'z');
  return alphabet
    .flatMap((first) => alphabet.map((second) => first + second))
    .map((code) => (type === 'region' ? code.toUpperCase() : code))
    .filter((code) => names.of(code) !== undefined);
}

/** Variables that need no definition (Apple App Site Association, "applinks.SubstitutionVariables"). */
const KNOWN: Readonly<Record<string, () => readonly string[]>> = {
  alpha: () => [...letters('A', 'Z'), ...letters('a', 'z')],
  upper: () => letters('A', 'Z'),
  lower: () => letters('a', 'z'),
  alnum: () => [...letters('A', 'Z'), ...letters('a', 'z'), ...letters('0', '9')],
  digit: () => letters('0', '9'),
  xdigit: () => [...letters('0', '9'), ...letters('A', 'F'), ...letters('a', 'f')],
  region: () => codes('region'),
  lang: () => codes('language'),
};

/** The values of the variables that patterns use; own definitions come before those that are known without. */
export function variablesFor(
  used: Iterable<string>,
  own: ReadonlyMap<string, readonly string[]>,
): Map<string, readonly string[]> {
  const found = new Map(own);
  for (const name of used) {
    const known = Object.hasOwn(KNOWN, name) ? KNOWN[name] : undefined;
    if (!found.has(name) && known) found.set(name, known());
  }
  return found;
}

export const isKnownVariable = (name: string): boolean => Object.hasOwn(KNOWN, name);
