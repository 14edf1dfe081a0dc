import { parseColor, wantsDarkSymbols } from '../project/color.js';
import { escapeHtml } from '../util/html.js';
import { languageNames } from '../words/table.js';
import { isInside, type PackedSettings } from './settings.js';

/** Why a page is not shown, by the first part of the shells' words for it. */
export type Trouble = 'offline' | 'unsafe' | 'notFound' | 'server';

/** How the request for a page ended: with a status, without a connection, or without a safe one. */
export type PageOutcome = number | 'failed' | 'unsafe';

/** Whether the shell answers in place of a page, and with which words: `shell/vectors/trouble.json` binds it. */
export function troubleOf(settings: PackedSettings, url: URL, outcome: PageOutcome): Trouble | undefined {
  if (outcome === 'failed') return 'offline';
  if (outcome === 'unsafe') return 'unsafe';
  // A page that a server answers with an error is the page's to show, unless the app wants the shell to.
  if (!isInside(settings, url)) return undefined;
  if (outcome === 404 || outcome === 410) return settings.errors.notFound ? 'notFound' : undefined;
  return outcome >= 500 && settings.errors.server ? 'server' : undefined;
}

/** Words of a shell by their keys, for one language. */
export type ShellWords = (key: string) => string;

/**
 * Reads the table of words of a package: a line of keys, then one for each language; the one without a language is for all others.
 *
 * @param language BCP 47
 */
export function readWords(table: string, language: string): ShellWords {
  const [keys = [], ...rows] = table.split('\n').map((line) => line.split('\t'));
  const rowOf = (name: string) => rows.find(([first]) => first === name);
  const own = languageNames(language)
    .map(rowOf)
    .find((row) => row !== undefined);
  const otherwise = rowOf('');
  return (key) => {
    const column = keys.indexOf(key);
    return (column < 0 ? undefined : own?.[column] || otherwise?.[column]) ?? '';
  };
}

const LIGHT_INK = '#f2f4f5';
const DARK_INK = '#101314';

/** What can be read on a colour. */
function inkOn(color: string): string {
  const parsed = parseColor(color);
  return parsed !== undefined && !wantsDarkSymbols(parsed) ? LIGHT_INK : DARK_INK;
}

/** The shell's own page in place of one that does not come: what happened, in a passenger's words, and a retry. */
export function troublePage(
  settings: PackedSettings,
  words: ShellWords,
  why: Trouble,
  scheme: 'light' | 'dark',
  retry: string,
): string {
  const { background, theme } = settings[scheme];
  return `<!doctype html><html><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${escapeHtml(words(`${why}Title`))}</title>
<style>html{color-scheme:${scheme}}body{margin:0;min-height:100vh;display:grid;place-content:center;justify-items:center;text-align:center;padding:32px;box-sizing:border-box;background:${background};color:${inkOn(background)};font:16px/1.25 system-ui,sans-serif}
h1{font-size:22px;margin:0;max-width:420px}p{margin:12px 0 28px;max-width:420px}a{background:${theme};color:${inkOn(theme)};min-height:48px;line-height:48px;padding:0 28px;border-radius:24px;text-decoration:none}</style></head>
<body><h1>${escapeHtml(words(`${why}Title`))}</h1><p>${escapeHtml(words(`${why}Text`))}</p><a href="${escapeHtml(retry)}" onclick="event.preventDefault();location.replace(this.href)">${escapeHtml(words('retry'))}</a></body></html>`;
}
