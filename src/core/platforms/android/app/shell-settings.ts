import type { App } from '../../../app/app.js';
import { decodePattern } from '../../../links/link-url.js';
import type { PathRule } from '../../../links/links.js';
import { toHex } from '../../../project/color.js';
import type { Engine, Orientation, OtherwiseShown } from '../../../project/config.js';
import { MEDIA_TYPES } from '../../../site/media-types.js';
import { type AndroidOptions, shellName } from './options.js';
import { NOTICE_SCRIPT, PAGE_SCRIPT } from './page-script.js';
import { onAndroid } from './permission-table.js';

/** The shell's activity with a web view of its own. */
export const PAGE_ACTIVITY = 'jollyhull.shell.PageActivity';
/** The shell's start where pages run in a browser. */
const BROWSER_ACTIVITY = 'jollyhull.shell.BrowserActivity';
/** Name under which the activity's manifest entry tells the picture of notifications (Notices.java). */
export const NOTICE_ICON = 'hull.notice';
/** What the browser may do in the app's name, and the question that belongs to it. */
export const DELEGATE_SERVICE = 'jollyhull.shell.Delegate';
export const ASK_ACTIVITY = 'jollyhull.shell.AskActivity';

/** The activity that the launcher opens. */
export function startActivity(engine: AndroidOptions['engine']): string {
  return engine === 'browser' ? BROWSER_ACTIVITY : PAGE_ACTIVITY;
}

/** `android.otherwise` as the shell names it (ShellSettings.java). */
const SHELL_FALLBACK: Readonly<Record<OtherwiseShown, string>> = {
  tab: 'custom-tab',
  webview: 'webview',
  none: 'browser-app',
};

/** Orientations as the browsers' protocol for trusted presentation numbers them. */
const BROWSER_ORIENTATION: Readonly<Record<Orientation, number>> = {
  'portrait-primary': 1,
  'portrait-secondary': 2,
  'landscape-primary': 3,
  'landscape-secondary': 4,
  any: 5,
  landscape: 6,
  portrait: 7,
  natural: 8,
};

/** Where the shell looks for its settings and for the packed pages, as paths in the package. */
export const SETTINGS_PATH = 'assets/hull/shell.json';
export const SITE_PATH = 'assets/site/';

/** The shell's words to users: what a passenger understands, not what a developer would. The preview shows some of them. */
export const WORDS = {
  offlineTitle: 'No connection',
  offlineText:
    'This page could not be loaded. Check your internet connection. The page opens when you are back online.',
  unsafeTitle: 'This page is not safe to open',
  unsafeText: 'A secure connection could not be established. Please try again later.',
  retry: 'Try again',
  trying: 'Trying…',
  back: 'Back',
  reload: 'Reload',
  noApp: 'No app on this device can open this.',
  notFoundTitle: 'Page not found',
  notFoundText: 'It may have moved. Go back, or try again later.',
  serverTitle: 'Not working right now',
  serverText: 'Something went wrong on our side. Please try again shortly.',
  askYes: 'Continue',
  askNo: 'Not now',
  allow: 'Allow',
  settings: 'Settings',
  refused: 'You declined this earlier. You can turn it on in Settings.',
  ok: 'OK',
  cancel: 'Cancel',
  leaveTitle: 'Leave this page?',
  leave: 'Leave',
  stay: 'Stay',
  signIn: 'Sign in',
  user: 'Name',
  password: 'Password',
  chooseFile: 'Choose a file',
  saved: 'Saved',
  notSaved: 'It could not be saved.',
  downloading: 'Downloading',
  notShared: 'No browser on this device can take what you share.',
} as const;

/** Origins that the app and the host's association vouch for together: that of hosted pages first. */
export function trustedOrigins(app: App): string[] {
  const hosts = app.links.filter(({ host }) => !host.startsWith('*.')).map(({ host }) => `https://${host}`);
  return [...new Set([...(app.hosted ? [app.base.origin] : []), ...hosts])];
}

/** Whether the app's own view gives its pages notifications, which it else has not got. */
export function notifiesItself(app: App, engine: Engine): boolean {
  return engine === 'webview' && app.permissions.some(({ name }) => name === 'notifications');
}

/** What the shell may grant, and what it says before: by W3C name. */
function shellPermissions(app: App, engine: Engine): Record<string, object> {
  return Object.fromEntries(
    app.permissions.flatMap(({ name, reason }) => {
      const row = onAndroid(name);
      const asks =
        engine === 'browser' ? row?.browser === 'app' : row?.webview !== 'nobody' && row?.webview !== 'never';
      if (!row || !asks) return [];
      const system = row.permissions.map(({ name: permission, minSdk = 0 }) => ({
        name: `android.permission.${permission}`,
        minSdk,
      }));
      return [[name, { reason, allow: row.allow, system }]];
    }),
  );
}

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

/** The settings file that the shell reads at start: JSON, UTF-8. Its reader is ShellSettings.java. */
export function buildShellSettings(app: App, options: AndroidOptions): Uint8Array {
  const settings = {
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
    permissions: shellPermissions(app, options.engine),
    links: app.links.map(({ host, rules }) => ({ host, rules: rules.map(shellRule) })),
    scheme: options.scheme,
    browser:
      options.engine === 'browser'
        ? {
            origins: trustedOrigins(app).filter((origin) => origin !== app.base.origin),
            orientation: BROWSER_ORIENTATION[app.orientation],
            fallback: SHELL_FALLBACK[options.otherwise],
          }
        : undefined,
    share: app.share && { ...app.share, action: app.share.action.href },
    // By its ending a path is a file's, or one that the app routes by itself.
    types: app.folder && MEDIA_TYPES,
    script: shellName(options) === 'tabs' ? undefined : PAGE_SCRIPT,
    noticeScript: notifiesItself(app, options.engine) ? NOTICE_SCRIPT : undefined,
    words: WORDS,
  };
  return new TextEncoder().encode(JSON.stringify(settings));
}
