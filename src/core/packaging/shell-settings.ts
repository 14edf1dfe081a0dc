import type { App } from '../app/app.js';
import { decodePattern } from '../links/link-url.js';
import type { PathRule } from '../links/links.js';
import { toHex } from '../project/color.js';
import { wordTable } from '../words/table.js';

/** What every shell reads alike out of its settings file (hull/shell.json). */

/** A rule as the shell compares it: decoded, as the system gives it links. */
function shellRule({ allow, pattern, query, fragment }: PathRule): object {
  return {
    allow,
    pattern: decodePattern(pattern),
    ...(query
      ? {
          query: Object.fromEntries(
            query.map(([name, value]) => [decodePattern(name), decodePattern(value)]),
          ),
        }
      : {}),
    ...(fragment === undefined ? {} : { fragment: decodePattern(fragment) }),
  };
}

/** Which links of which hosts open in the app. */
export const linkSettings = (app: App) =>
  app.links.map(({ host, rules }) => ({ host, rules: rules.map(shellRule) }));

/** The words file that the shell reads when it first has something to say: UTF-8. Its readers are the shells’ Words. */
export function buildWords(app: App): Uint8Array {
  // An app that says which language it speaks has the shell speak that, and those of its translations.
  const spoken =
    app.language === undefined
      ? undefined
      : [app.language, ...app.translations.map(({ language }) => language)];
  return new TextEncoder().encode(wordTable(app.words, spoken));
}

/** The members that say what is shown and how. */
export const sharedSettings = (app: App) => ({
  name: app.name,
  start: app.start.href,
  base: app.base.href,
  packed: app.answers && { origin: app.base.origin, ...app.answers },
  inside: app.inside,
  display: app.display,
  themeColor: toHex(app.themeColor),
  backgroundColor: toHex(app.backgroundColor),
  dark: { themeColor: toHex(app.dark.themeColor), backgroundColor: toHex(app.dark.backgroundColor) },
  window: app.window,
  errors: { offline: app.errors.offline?.href, notFound: app.errors.notFound, server: app.errors.server },
});
