import { describe, expect, it } from 'vitest';
import { ENGLISH, PLATFORM_WORDS } from '../../../src/core/words/english.js';
import { shippedLanguage, TRANSLATIONS, WORD_KEYS, wordTable } from '../../../src/core/words/table.js';

/** The shell's words: whole in every language, and the table that the shell reads. */

/** The table as the shell reads it: words by language; the line without one under ''. */
function read(table: string): Map<string, Record<string, string>> {
  const [head = '', ...lines] = table.split('\n').filter((line) => line !== '');
  const [, ...keys] = head.split('\t');
  return new Map(
    lines.map((line) => {
      const [language = '', ...words] = line.split('\t');
      expect(words.length, language).toBe(keys.length);
      return [language, Object.fromEntries(keys.map((key, index) => [key, words[index] ?? '']))];
    }),
  );
}

describe('the translations', () => {
  it('are at least twenty languages, each canonical, with every word that is not the platform’s', () => {
    const own = WORD_KEYS.filter((key) => !(PLATFORM_WORDS as readonly string[]).includes(key));
    expect(Object.keys(TRANSLATIONS).length).toBeGreaterThanOrEqual(20);
    for (const [language, { reviewed, ...words }] of Object.entries(TRANSLATIONS)) {
      expect(Intl.getCanonicalLocales(language)).toEqual([language]);
      expect(typeof reviewed, language).toBe('boolean');
      expect(Object.keys(words).sort(), language).toEqual([...own].sort());
    }
  });

  it('are short texts without tabs, line breaks, numbers or gaps to fill', () => {
    for (const [language, words] of Object.entries(TRANSLATIONS)) {
      for (const [key, text] of Object.entries(words)) {
        if (typeof text !== 'string') continue;
        expect(text, `${language} ${key}`).toMatch(/^[^\t\n\d{}%]+$/);
        expect(text.trim(), `${language} ${key}`).toBe(text);
        const english: string = ENGLISH[key as keyof typeof ENGLISH];
        expect(text.length, `${language} ${key}`).toBeLessThan(english.length * 2 + 20);
      }
    }
  });

  it('are in the script of their language', () => {
    const SCRIPTS = { ar: 'Arabic', el: 'Greek', ko: 'Hangul', ru: 'Cyrillic', uk: 'Cyrillic', zh: 'Han' };
    for (const [language, script] of Object.entries(SCRIPTS)) {
      const { retry, offlineTitle } = TRANSLATIONS[language] as { retry: string; offlineTitle: string };
      expect(`${retry}${offlineTitle}`, language).toMatch(
        new RegExp(`^[\\p{Script=${script}}\\p{M}\\s\\p{P}]+$`, 'u'),
      );
    }
  });
});

describe('the table', () => {
  it('has every language, and English for who speaks none of them', () => {
    const table = read(wordTable());
    expect(table.get('')).toEqual(ENGLISH);
    expect(table.get('de')?.retry).toBe('Noch einmal versuchen');
    expect(table.get('de')?.ok, 'the platform’s').toBe('');
    expect(table.get('en')?.retry, 'what is read in the line without a language').toBe('');
    expect(table.size).toBe(Object.keys(TRANSLATIONS).length + 2);
  });

  it('has the app’s languages alone where it names them, its own for who speaks none of them', () => {
    const table = read(wordTable({}, ['pt-BR', 'zh-TW', 'cy']));
    expect([...table.keys()]).toEqual(['', 'en', 'pt', 'zh-Hant']);
    expect(table.get('')?.retry).toBe('Tentar novamente');
    expect(table.get('')?.ok).toBe('OK');
  });

  it('has a project’s own words before all others', () => {
    const table = read(wordTable({ de: { retry: 'Ahoi' }, cy: { retry: 'Eto' }, en: { ok: 'Aye' } }, ['de']));
    expect([table.get('de')?.retry, table.get('')?.retry]).toEqual(['Ahoi', 'Ahoi']);
    expect(table.get('cy')?.retry).toBe('Eto');
    expect(table.get('en')?.ok).toBe('Aye');
  });

  it('finds the language that says the same', () => {
    const found = ['de-AT', 'no', 'nn-NO', 'zh-HK', 'zh-Hans-SG', 'in', 'en-GB', 'tlh'].map(shippedLanguage);
    expect(found).toEqual(['de', 'nb', 'nb', 'zh-Hant', 'zh', 'id', undefined, undefined]);
  });
});
