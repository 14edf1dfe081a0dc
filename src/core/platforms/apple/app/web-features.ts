import type { Settings } from '../../../project/settings.js';

/** How a feature of the web platform fares in the web view of Apple's systems. */
export interface AppleSupport {
  /** `partly`: it works within what {@link AppleSupport.how} says. */
  readonly works: 'yes' | 'partly' | 'no';
  readonly how: string;
}

/** Where pages of the app come from: packed ones have a scheme of their own, hosted ones are at https. */
export type Origin = 'packed' | 'hosted';

export interface AppleWebFeature {
  /** As the capability is called (site/capabilities.ts), where a script can be seen to use it. */
  readonly capability?: string;
  readonly title: string;
  readonly support: Readonly<Record<Origin, AppleSupport>>;
  /** Version of the system from which on it is there; where nothing is said, the first that the shell runs on. */
  readonly since?: string;
  /** What to do instead, for pages that use it where it is missing. */
  readonly instead?: string;
  /** Whether a project says what a feature that is there in part needs: then nothing is missing. */
  readonly isMet?: (settings: Settings) => boolean;
  /** How much it matters where it is missing, where that is more than for most. */
  readonly severity?: 'warning';
}

const yes = (how = ''): AppleSupport => ({ works: 'yes', how });
const partly = (how: string): AppleSupport => ({ works: 'partly', how });
const no = (how = ''): AppleSupport => ({ works: 'no', how });

type More = Omit<AppleWebFeature, 'title' | 'support'>;

const feature = (
  title: string,
  packed: AppleSupport,
  hosted: AppleSupport,
  more: More = {},
): AppleWebFeature => ({
  title,
  support: { packed, hosted },
  ...more,
});
const both = (title: string, support: AppleSupport, more: More = {}): AppleWebFeature =>
  feature(title, support, support, more);
const nowhere = (capability: string, title: string, instead: string): AppleWebFeature =>
  both(title, no(), { capability, instead });

const WITH_REASON = yes('asked for with the app’s reason');

/**
 * Features of the web platform that the web view of Apple's systems has, lacks, or has in part, by how many apps need them.
 * Sources: the platform's WebKit reference (WKWebView, WKURLSchemeHandler, App-Bound Domains), the engine's published list of its
 * features (webkit.org, "Feature Status" and release notes), and the shell's own sources. docs/apple.md has the same as a
 * table; a test compares them.
 */
export const APPLE_WEB_FEATURES: readonly AppleWebFeature[] = [
  feature(
    'Service workers',
    no('they need https; packed pages open without a network as they are'),
    partly('where `apple.app_bound_domains` names the domain'),
  ),
  both(
    'Sign-in at another host',
    partly(
      'in the system’s own sheet where the answer has `apple.scheme`; else in its place, which many providers refuse',
    ),
    {
      capability: 'sign-in',
      instead: 'Set "scheme" under apple or android, and have the provider answer there.',
      isMet: ({ apple }) => apple.scheme !== undefined,
      severity: 'warning',
    },
  ),
  both('Sharing, with files', yes(), { capability: 'web-share' }),
  both('Being shared to', no(), {}),
  both('Location', WITH_REASON, { capability: 'geolocation' }),
  both('Camera', WITH_REASON, { capability: 'camera' }),
  both('Microphone', WITH_REASON, { capability: 'microphone' }),
  both('Notifications', partly('while the app runs'), {
    capability: 'notifications',
    instead: 'Show in the app too what was told while it was closed.',
  }),
  both('Push', no('it needs a server of Apple’s, which the shell does not speak to'), {
    capability: 'push',
    instead:
      'Show in the app what is new when it is opened; on Android, the browser engine receives messages.',
  }),
  both('Sound that goes on while the app is not open', no(), {
    capability: 'media-session',
    instead: 'Leave the controls in the page, and say that it stops with the app.',
  }),
  both('Printing', yes(), { capability: 'print' }),
  feature(
    'Passkeys',
    no('the page has no web address'),
    partly('where `links` with `credentials` names the host'),
    {
      capability: 'publickey-credentials',
      instead: 'Offer another way to sign in too.',
    },
  ),
  feature('Payment requests', no(), partly('Apple’s own payment alone'), {
    capability: 'payment',
    instead:
      'Offer another way to pay where PaymentRequest is missing; the store wants its own for what is digital.',
  }),
  both('Keeping the screen on', yes(), {
    capability: 'screen-wake-lock',
    since: '16.4',
    instead: 'Look for navigator.wakeLock before you use it; or set look.window.keep_screen_on.',
  }),
  both('Speaking', yes(), { capability: 'speech-synthesis' }),
  nowhere('speech-recognition', 'Listening to speech', 'Offer a text field: the keyboard has a microphone.'),
  both('Writing to the clipboard', yes('after a touch'), { capability: 'clipboard-write' }),
  both('Reading the clipboard', yes('the system shows “Paste”'), { capability: 'clipboard-read' }),
  both('File fields, camera and recorder', yes()),
  nowhere(
    'file-save',
    'Choosing and saving files from scripts',
    'Use a link with download, or a file field.',
  ),
  nowhere('file-picker', 'Choosing files from scripts', 'Use a file field.'),
  both('Protected media', partly('the vendor’s own protection alone'), {
    capability: 'encrypted-media',
    instead: 'Serve the media in the vendor’s protection too.',
  }),
  both('Motion', partly('as events, once a touch has asked for them (DeviceMotionEvent.requestPermission)'), {
    capability: 'accelerometer',
    instead: 'Ask by DeviceMotionEvent.requestPermission() in a click, and listen for devicemotion.',
  }),
  both(
    'Turning',
    partly('as events, once a touch has asked for them (DeviceOrientationEvent.requestPermission)'),
    {
      capability: 'gyroscope',
      instead:
        'Ask by DeviceOrientationEvent.requestPermission() in a click, and listen for deviceorientation.',
    },
  ),
  both('Compass', partly('as webkitCompassHeading of deviceorientation'), {
    capability: 'magnetometer',
    instead: 'Take webkitCompassHeading of deviceorientation, once a touch has asked for it.',
  }),
  nowhere('vibration', 'Vibration', 'Show what happened on the screen too.'),
  nowhere('badging', 'Badges', 'Show the number in the app.'),
  nowhere('background-sync', 'Background sync', 'Send what is left when the app is opened.'),
  nowhere('periodic-background-sync', 'Periodic background sync', 'Load it when the app is opened.'),
  nowhere('background-fetch', 'Background fetch', 'Load it while the app is open.'),
  nowhere('contacts', 'Contacts', 'Offer a field to type into: the keyboard proposes the user’s own.'),
  nowhere('bluetooth', 'Bluetooth', 'Say that it takes an Android device, or a computer.'),
  nowhere('usb', 'USB', 'Say that it takes an Android device, or a computer.'),
  nowhere('serial', 'Serial ports', 'Say that it takes an Android device, or a computer.'),
  nowhere('hid', 'Input devices', 'Say that it takes a computer.'),
  nowhere('nfc', 'NFC', 'Offer a code to scan with the camera.'),
  nowhere('midi', 'MIDI', 'Say that it takes an Android device, or a computer.'),
  nowhere('display-capture', 'Recording the screen', 'Say that it takes a computer.'),
  nowhere('ambient-light-sensor', 'Brightness around the device', 'Follow prefers-color-scheme.'),
  nowhere('idle-detection', 'Knowing whether the user is away', 'Listen for visibilitychange.'),
  nowhere('xr-spatial-tracking', 'Virtual and augmented reality', 'Show a picture that can be turned.'),
  feature('Memory shared by threads', no(), partly('on pages that are cross-origin isolated')),
  both('Reaching the screen’s edges', yes('`look.window.edges`')),
];

const BY_CAPABILITY = new Map(
  APPLE_WEB_FEATURES.flatMap((one) => (one.capability ? [[one.capability, one] as const] : [])),
);

/** How a capability fares; `undefined` for one of which nothing is known. */
export function appleWebFeature(capability: string): AppleWebFeature | undefined {
  return BY_CAPABILITY.get(capability);
}

/** The table as docs/apple.md has it. */
export function appleFeatureTable(): string {
  const cell = ({ works, how }: AppleSupport, since: string | undefined) => {
    const more = [since === undefined ? '' : `from ${since}`, how].filter(Boolean).join('; ');
    return [works, more].filter(Boolean).join(': ');
  };
  return [
    '| feature | packed pages | hosted pages | what the survey says of pages that use it |',
    '|---|---|---|---|',
    ...APPLE_WEB_FEATURES.map(
      ({ title, support, since, instead }) =>
        `| ${title} | ${cell(support.packed, since)} | ${cell(support.hosted, since)} | ${instead ?? ''} |`,
    ),
    '',
  ].join('\n');
}
