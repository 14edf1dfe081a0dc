import type { App } from '../../../app/app.js';
import { NOTICE_SCRIPT, pageScript } from '../../../packaging/page-script.js';
import { linkSettings, sharedSettings } from '../../../packaging/shell-settings.js';
import type { Engine, Orientation, OtherwiseShown } from '../../../project/config.js';
import { MEDIA_TYPES } from '../../../site/media-types.js';
import { type AndroidOptions, notifiesItself, playsInBackground, shellName } from './options.js';
import { originRules, portScript } from './page-port.js';
import { ANDROID_CAPABILITIES, onAndroid } from './permission-table.js';

/** The shell's activity with a web view of its own. */
export const PAGE_ACTIVITY = 'jollyhull.shell.PageActivity';
/** The shell's start where pages run in a browser. */
const BROWSER_ACTIVITY = 'jollyhull.shell.BrowserActivity';
/** Name under which the activity's manifest entry tells the picture of notifications (Notices.java). */
export const NOTICE_ICON = 'hull.notice';
/** What the browser may do in the app's name, and the question that belongs to it. */
export const DELEGATE_SERVICE = 'jollyhull.shell.Delegate';
export const ASK_ACTIVITY = 'jollyhull.shell.AskActivity';
/** Keeps the app alive while its pages play (PlayService.java). */
export const PLAY_SERVICE = 'jollyhull.shell.PlayService';
/** What takes payments of pages in a browser, and says whether it can. */
export const PAY_ACTIVITY = 'jollyhull.shell.PayActivity';
export const PAY_SERVICE = 'jollyhull.shell.PayService';

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
  // Of the device's own: one number would also turn pages where the user has locked that.
  any: 0,
  landscape: 6,
  portrait: 7,
  natural: 8,
};

/** Where the shell looks for its settings and for the packed pages, as paths in the package. */
export const SETTINGS_PATH = 'assets/hull/shell.json';
export const SITE_PATH = 'assets/site/';
/** The shell's own words by language (Words.java). */
export const WORDS_PATH = 'assets/hull/words.txt';

/** Origins that the app and the host's association vouch for together: that of hosted pages first. */
export function trustedOrigins(app: App): string[] {
  const hosts = app.links.filter(({ host }) => !host.startsWith('*.')).map(({ host }) => `https://${host}`);
  return [...new Set([...(app.hosted ? [app.base.origin] : []), ...hosts])];
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
        // From the first level on, where it is not said.
        minSdk: minSdk || undefined,
      }));
      return [[name, { reason, allow: row.allow, system }]];
    }),
  );
}

/** Whether a host of the app's lets it use what is kept for signing in there (Digital Asset Links, `get_login_creds`). */
const hasCredentials = (app: App): boolean => app.links.some(({ credentials }) => credentials);

/** What pages learn of capabilities that the app does not declare (Permissions, "PermissionState"), by W3C name. */
function pageStates(): Record<string, 'granted' | 'denied'> {
  return Object.fromEntries(
    Object.entries(ANDROID_CAPABILITIES).map(([name, { webview }]) => [
      name,
      webview === 'nobody' ? 'granted' : 'denied',
    ]),
  );
}

/** The settings file that the shell reads at start: JSON, UTF-8. Its reader is ShellSettings.java. */
export function buildShellSettings(app: App, options: AndroidOptions): Uint8Array {
  const hasView = shellName(options) !== 'tabs';
  const clipboard = app.permissions.some(({ name }) => name === 'clipboard-read') ? 'shell' : 'engine';
  const origins = originRules(app.inside);
  const plays = playsInBackground(options);
  const notifies = notifiesItself(app, options.engine);
  const settings = {
    ...sharedSettings(app),
    permissions: shellPermissions(app, options.engine),
    links: linkSettings(app),
    scheme: options.scheme,
    browser:
      options.engine === 'browser'
        ? {
            origins: trustedOrigins(app).filter((origin) => origin !== app.base.origin),
            orientation: BROWSER_ORIENTATION[app.orientation],
            fallback: SHELL_FALLBACK[options.otherwise],
          }
        : undefined,
    shop: options.shop && { app: options.shop.app, test: options.shop.test },
    share: app.share && { ...app.share, action: app.share.action.href },
    // By its ending a path is a file's, or one that the app routes by itself.
    types: app.folder && MEDIA_TYPES,
    script: hasView ? pageScript(app.display, { downloads: 'shell', clipboard }) : undefined,
    ...(hasView && origins ? { origins, port: portScript({ notifies, plays }) } : {}),
    ...(plays ? { plays } : {}),
    noticeScript: notifies ? NOTICE_SCRIPT : undefined,
    ...(hasView
      ? {
          states: pageStates(),
          // What is not said is empty, or no.
          frames: app.frames.length > 0 ? app.frames : undefined,
          foreignCookies: app.foreignCookies || undefined,
          passkeys: hasCredentials(app) || undefined,
        }
      : {}),
  };
  return new TextEncoder().encode(JSON.stringify(settings));
}
