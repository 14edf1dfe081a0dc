import type { Engine } from '../../../project/config.js';
import type { Settings } from '../../../project/settings.js';
import { SDK } from './attributes.js';

/** How a feature of the web platform fares in an engine. */
export interface Support {
  /** `partly`: it works within what {@link Support.how} says. */
  readonly works: 'yes' | 'partly' | 'no';
  /** API level from which it does. */
  readonly since: number;
  readonly how: string;
}

export interface WebFeature {
  /** As the capability is called (site/capabilities.ts), where a script can be seen to use it. */
  readonly capability?: string;
  readonly title: string;
  readonly engines: Readonly<Record<Engine, Support>>;
  /** What to do instead, for pages that use it in an engine that has not got it. */
  readonly instead?: string;
  /** Whether a project says what an engine that has it in part needs: then nothing is missing. */
  readonly isMet?: (settings: Settings) => boolean;
  /** How much it matters where it is missing, where that is more than for most. */
  readonly severity?: 'warning';
}

const yes = (how = '', since: number = SDK.min): Support => ({ works: 'yes', since, how });
const partly = (how: string, since: number = SDK.min): Support => ({ works: 'partly', since, how });
const no = (how = ''): Support => ({ works: 'no', since: SDK.min, how });
const ENGINE = yes();
const BROWSER = yes('the browser’s own');

const feature = (
  title: string,
  webview: Support,
  browser: Support,
  more: Omit<WebFeature, 'title' | 'engines'> = {},
): WebFeature => ({ title, engines: { webview, browser }, ...more });

/** What only a browser has. */
const onlyBrowser = (capability: string, title: string, instead: string): WebFeature =>
  feature(title, no(), BROWSER, { capability, instead });

/**
 * Features of the web platform that web views and browsers differ in, by how many apps need them. Sources: the platform's
 * `android.webkit` reference, the engine's published status of its features, and the shell's own tests. docs/android.md has the
 * same as a table; a test compares them.
 */
export const WEB_FEATURES: readonly WebFeature[] = [
  feature(
    'Cookies of other sites, in frames and calls',
    partly('`web.third_party_cookies`; by default only in apps that are hosted nowhere'),
    partly('as the user has set the browser'),
  ),
  feature(
    'Sign-in at another host',
    partly(
      'in a tab of the user’s browser where the answer comes back by `links` or `android.scheme`; else in its place where a start or a form leads there, which many providers refuse',
    ),
    BROWSER,
    {
      capability: 'sign-in',
      instead:
        'Set "scheme" under android, or name the host of the answer under links; and have the provider answer there.',
      isMet: ({ android, links }) => android.scheme !== undefined || links.length > 0,
      severity: 'warning',
    },
  ),
  feature(
    '`display-mode` in scripts and style sheets',
    yes('as `look.display` says; not in style sheets of other origins'),
    BROWSER,
  ),
  feature('Sharing, with files', yes(), BROWSER, { capability: 'web-share' }),
  feature('Being shared to', yes('files of any size'), BROWSER),
  feature('Location', yes('asked for with the app’s reason'), yes('asked for with the app’s reason'), {
    capability: 'geolocation',
  }),
  feature('Camera', yes('frames of `web.trusted_frames` too'), BROWSER, { capability: 'camera' }),
  feature('Microphone', yes('frames of `web.trusted_frames` too'), BROWSER, { capability: 'microphone' }),
  feature(
    'Sound that goes on while the app is not open',
    partly(
      'with `android.background_audio`, where the engine has messages of pages (from about version 88 on); else until the system ends the app, and without controls on the lock screen',
    ),
    BROWSER,
    {
      capability: 'media-session',
      instead: 'Set "background_audio": true under android.',
      isMet: ({ android }) => android.background_audio,
    },
  ),
  feature('Push', no('nothing is received'), yes('shown as the app’s'), {
    capability: 'push',
    instead: 'Use the browser engine: a web view never receives a message.',
  }),
  feature('Notifications', partly('from pages that are open'), yes('shown as the app’s'), {
    capability: 'notifications',
  }),
  feature('Permissions query', yes(), BROWSER),
  feature('Printing', yes(), BROWSER, { capability: 'print' }),
  feature('Saving and opening files that pages make', yes(), BROWSER),
  feature(
    'Passkeys',
    partly('where the engine has them, and `links` with `credentials` names the host'),
    BROWSER,
    {
      capability: 'publickey-credentials',
      instead: 'Offer another way to sign in too; or declare "credentials": true for the host under links.',
    },
  ),
  feature('Payment requests', partly('where the engine has them'), BROWSER, {
    capability: 'payment',
    instead: 'Offer another way to pay where PaymentRequest is missing.',
  }),
  feature('Full-screen video', yes('turned as the user likes'), BROWSER),
  feature('Menu of links and pictures', yes('save, copy, share'), BROWSER),
  feature('Keeping the screen on', ENGINE, BROWSER, { capability: 'screen-wake-lock' }),
  onlyBrowser('speech-synthesis', 'Speaking', 'Serve recorded sound; or use the browser engine.'),
  onlyBrowser('speech-recognition', 'Listening to speech', 'Offer a text field; or use the browser engine.'),
  feature('Writing to the clipboard', ENGINE, BROWSER, { capability: 'clipboard-write' }),
  feature('Reading the clipboard', yes('text, asked for with the app’s reason'), BROWSER, {
    capability: 'clipboard-read',
  }),
  feature('Client certificates', yes(), BROWSER),
  feature('HTTP sign-in', yes(), BROWSER),
  feature('File fields, camera and recorder', yes(), BROWSER),
  feature('Folder fields', partly('where the engine asks for folders'), BROWSER),
  feature('Choosing and saving files from scripts', no(), BROWSER, {
    capability: 'file-save',
    instead: 'Use a link with download, or a file field.',
  }),
  feature('Header fields of packed pages', yes('`web.headers`'), no('nothing is packed')),
  feature('Memory shared by threads', no(), partly('on pages that are cross-origin isolated')),
  feature('Badges', no(), no(), {
    capability: 'badging',
    instead: 'Show the number in the app: launchers take it from notifications alone.',
  }),
  onlyBrowser(
    'background-sync',
    'Background sync',
    'Send what is left when the app is opened; or use the browser engine.',
  ),
  onlyBrowser(
    'periodic-background-sync',
    'Periodic background sync',
    'Load it when the app is opened; or use the browser engine.',
  ),
  onlyBrowser(
    'background-fetch',
    'Background fetch',
    'Load it while the app is open; or use the browser engine.',
  ),
  onlyBrowser('contacts', 'Contacts', 'Offer a field to type into; or use the browser engine.'),
  onlyBrowser('bluetooth', 'Bluetooth', 'Use the browser engine.'),
  onlyBrowser('usb', 'USB', 'Use the browser engine.'),
  onlyBrowser('serial', 'Serial ports', 'Use the browser engine.'),
  onlyBrowser('nfc', 'NFC', 'Use the browser engine.'),
  onlyBrowser(
    'display-capture',
    'Recording the screen',
    'Use the browser engine, on devices whose browser can.',
  ),
  onlyBrowser('idle-detection', 'Knowing whether the user is away', 'Use the browser engine.'),
  onlyBrowser('xr-spatial-tracking', 'Virtual and augmented reality', 'Use the browser engine.'),
  feature('MIDI', yes('asked for with the app’s reason'), BROWSER, { capability: 'midi' }),
  feature('Protected media', yes('asked for with the app’s reason'), BROWSER, {
    capability: 'encrypted-media',
  }),
  feature('Motion sensors', ENGINE, BROWSER, { capability: 'accelerometer' }),
  feature('Vibration', ENGINE, BROWSER, { capability: 'vibration' }),
  feature('Reaching the screen’s edges', yes('`look.window.edges`', 30), BROWSER),
  feature(
    'Links that queries and fragments decide',
    yes('before, the app hands them on', 35),
    yes('before, the app hands them on', 35),
  ),
];

const BY_CAPABILITY = new Map(
  WEB_FEATURES.flatMap((one) => (one.capability ? [[one.capability, one] as const] : [])),
);

/** How a capability fares; `undefined` for one that engines do not differ in. */
export function webFeature(capability: string): WebFeature | undefined {
  return BY_CAPABILITY.get(capability);
}

function cell({ works, since, how }: Support): string {
  const from = since > SDK.min ? `from API ${since}` : '';
  return [works, [from, how].filter(Boolean).join('; ')].filter(Boolean).join(': ');
}

/** The table as docs/android.md has it. */
export function featureTable(): string {
  return [
    '| feature | `webview` | `browser` | what the survey says of pages that use it |',
    '|---|---|---|---|',
    ...WEB_FEATURES.map(
      ({ title, engines, instead }) =>
        `| ${title} | ${cell(engines.webview)} | ${cell(engines.browser)} | ${instead ?? ''} |`,
    ),
    '',
  ].join('\n');
}
