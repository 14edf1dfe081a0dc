import { readLanguage } from '../app/language.js';
import { HullError, type Location } from '../errors.js';
import { checkAppId } from '../project/app-id.js';
import { parseColor } from '../project/color.js';
import { DISPLAY_MODES, ORIENTATIONS } from '../project/config.js';
import { checkLabel } from '../project/label.js';
import { checkVersion } from '../project/version.js';

/** What a new `hull.json` is filled with, in the order in which it is shown. */
export const BEGIN_KEYS = [
  'app.id',
  'app.name',
  'app.short_name',
  'app.language',
  'app.version',
  'app.build',
  'web.folder',
  'web.url',
  'web.start',
  'web.fallback',
  'look.display',
  'look.orientation',
  'look.theme_color',
  'look.background_color',
  'look.dark.theme_color',
  'look.dark.background_color',
  'look.icon',
  'android.engine',
] as const;
/** Origin of values that were given. */
export const GIVEN = 'given';

export type BeginKey = (typeof BEGIN_KEYS)[number];

/** A value and where it came from, in words a user can follow. */
export interface Found {
  readonly value: string;
  readonly origin: string;
}

/** Values that are given. */
export type BeginAnswers = Partial<Record<BeginKey, string>>;

/** Values that there must be. */
export const NEEDED_KEYS: ReadonlySet<BeginKey> = new Set([
  'app.id',
  'app.name',
  'app.version',
  'app.build',
  'android.engine',
]);

/** Values of which there are few. */
export const CHOICES_OF: Partial<Record<BeginKey, readonly string[]>> = {
  'android.engine': ['webview', 'browser'],
  'look.display': DISPLAY_MODES,
  'look.orientation': ORIENTATIONS,
};

/** Checks one value as it would be in `hull.json`. Throws `app.*` or `config.bad-value`. */
export function checkAnswer(key: BeginKey, value: string, location: Location): void {
  if (key === 'app.id') checkAppId(value, location);
  if (key === 'app.name' || key === 'app.short_name') checkLabel(value, location);
  if (key === 'app.language') readLanguage(value, location);
  if (key === 'app.version') checkVersion(value, location);
  const choices = CHOICES_OF[key];
  if (choices && !choices.includes(value)) {
    throw new HullError('config.bad-value', `"${value}" is not one of the values known here.`, {
      location,
      fix: `One of: ${choices.join(', ')}.`,
    });
  }
  if (/color$/.test(key) && parseColor(value)?.a !== 255) {
    throw new HullError('config.bad-value', `"${value}" is no opaque colour.`, {
      location,
      fix: 'Write it as in #0b4f6c.',
    });
  }
  if (key === 'web.url' && !/^https?:\/\/[^/]/i.test(value)) {
    throw new HullError('config.bad-value', `"${value}" is not a web address.`, {
      location,
      fix: 'Write it in full, as in https://ferry.saltmarsh.example/',
    });
  }
  if (key === 'app.build' && !(/^[1-9][0-9]*$/.test(value) && Number(value) <= 2_100_000_000)) {
    throw new HullError('config.bad-value', `"${value}" is not a build number.`, {
      location,
      fix: 'Give a whole number from 1 to 2100000000; each release needs a larger one.',
    });
  }
}

export function checkFound(found: ReadonlyMap<BeginKey, Found>): void {
  for (const [key, { value, origin }] of found) {
    checkAnswer(key, value, origin === GIVEN ? { option: `${key}` } : { file: origin });
  }
}
