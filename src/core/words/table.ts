import { EASTERN } from './eastern.js';
import { ENGLISH, type Translation, type WordKey } from './english.js';
import { WESTERN } from './western.js';

export const WORD_KEYS = Object.keys(ENGLISH) as WordKey[];

/** Languages besides English that the shell's words are in, by their tags (BCP 47). */
export const TRANSLATIONS: Readonly<Record<string, Translation>> = { ...WESTERN, ...EASTERN };

/** Words of a project's own, by language and key. */
export type OwnWords = Readonly<Record<string, Readonly<Partial<Record<WordKey, string>>>>>;

/** Languages that are read by who speaks another, and older names. */
const ALIASES: Readonly<Record<string, string>> = { no: 'nb', nn: 'nb', iw: 'he', in: 'id' };
const TRADITIONAL = /^zh-(?:Hant|TW|HK|MO)\b/;

/** Under which names a table may have a language: the exact one first (Words.java). */
export function languageNames(tag: string): string[] {
  const primary = tag.split('-')[0] ?? '';
  const alias = ALIASES[primary];
  return [
    tag,
    ...(TRADITIONAL.test(tag) ? ['zh-Hant'] : []),
    primary,
    ...(alias === undefined ? [] : [alias]),
  ];
}

/** The language of the table that says the same as another: `pt` for `pt-BR`; `undefined` for English and for what is not there. */
export const shippedLanguage = (tag: string): string | undefined =>
  languageNames(tag).find((name) => Object.hasOwn(TRANSLATIONS, name));

/**
 * The table that the shell reads (Words.java): UTF-8, a line of keys, then one without a language for who speaks none of
 * those behind it, then one for each language; fields are divided by tabs. An empty field is one that the platform has, or that
 * is read in the line without a language.
 *
 * @param spoken languages of the app, its own first: the table has these alone, and the project's own; all where undefined
 */
export function wordTable(own: OwnWords = {}, spoken?: readonly string[]): string {
  const shipped =
    spoken === undefined
      ? Object.keys(TRANSLATIONS)
      : spoken.map(shippedLanguage).filter((language) => language !== undefined);
  const languages = [...new Set(['en', ...shipped, ...Object.keys(own)])].sort();
  const wordsOf = (language: string): Readonly<Partial<Record<WordKey, string>>> => ({
    ...(TRANSLATIONS[language] ?? {}),
    ...own[language],
  });
  const rows = languages.map((language) => [
    language,
    ...WORD_KEYS.map((key) => wordsOf(language)[key] ?? ''),
  ]);
  const [first = 'en'] = spoken ?? [];
  const otherwise = { ...ENGLISH, ...wordsOf(shippedLanguage(first) ?? 'en'), ...own[first] };
  return [['', ...WORD_KEYS], ['', ...WORD_KEYS.map((key) => otherwise[key])], ...rows]
    .map((row) => `${row.join('\t')}\n`)
    .join('');
}
