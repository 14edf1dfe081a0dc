import { HullError, type Location } from '../errors.js';

/** Whether a language is one that is known (CLDR). Asked only of others than English: it takes time to load. */
function isKnown(language: string): boolean {
  return (
    language === 'en' ||
    new Intl.DisplayNames(['en'], { type: 'language', fallback: 'none' }).of(language) !== undefined
  );
}

/** A language tag in its canonical form (RFC 5646); `undefined` for what is none. */
export function canonicalLanguage(tag: string): string | undefined {
  let language: string | undefined;
  try {
    [language] = Intl.getCanonicalLocales(tag);
  } catch {
    return undefined;
  }
  return language !== undefined && isKnown(language.split('-')[0] ?? '') ? language : undefined;
}

/**
 * A language tag in its canonical form.
 *
 * @throws HullError `app.bad-language`
 */
export function readLanguage(tag: string, location: Location): string {
  const language = canonicalLanguage(tag);
  if (language !== undefined) return language;
  throw new HullError('app.bad-language', `"${tag}" is no language.`, {
    location,
    fix: 'Write a language tag (BCP 47): de, pt-BR, zh-Hans.',
  });
}
