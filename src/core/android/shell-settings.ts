import type { App } from '../app.js';
import { toHex } from '../project/color.js';
import { extensionOf, MEDIA_TYPES } from '../site/media-types.js';

/** Where the shell looks for its settings and for the packed pages, as paths in the package. */
export const SETTINGS_PATH = 'assets/hull/shell.json';
export const SITE_PATH = 'assets/site/';

/** The shell's words to users: what a passenger understands, not what a developer would. */
const WORDS = {
  offlineTitle: 'No connection',
  offlineText:
    'This page could not be loaded. Check your internet connection; it will open by itself once you are back online.',
  unsafeTitle: 'This page is not safe to open',
  unsafeText: 'The connection to it could not be made secure, so it was not opened. Please try again later.',
  retry: 'Try again',
  trying: 'Trying…',
  noApp: 'There is no app on this device that can open this.',
} as const;

/** The settings file that the shell reads at start: JSON, UTF-8. Its reader is ShellSettings.java. */
export function buildShellSettings(app: App): Uint8Array {
  const used = new Set(app.folder?.files.map((file) => extensionOf(file.path)) ?? []);
  const types = Object.fromEntries(Object.entries(MEDIA_TYPES).filter(([extension]) => used.has(extension)));
  const settings = {
    name: app.name,
    start: app.start.href,
    packed:
      app.folder === undefined
        ? undefined
        : { origin: app.base.origin, base: app.base.pathname, network: app.hosted },
    inside: app.inside,
    display: app.display,
    themeColor: toHex(app.themeColor),
    backgroundColor: toHex(app.backgroundColor),
    types,
    words: WORDS,
  };
  return new TextEncoder().encode(JSON.stringify(settings));
}
