import type { App } from '../../../app/app.js';
import { HullError } from '../../../errors.js';
import { pathMatches } from '../../../links/links.js';
import type { AppCategory, DeviceKind, Engine, OtherwiseShown } from '../../../project/config.js';
import type { Project } from '../../../project/project.js';
import { schemeFault } from '../../../project/url-scheme.js';
import { ownRows } from './permission-table.js';

/** Through which store pages in a browser sell. */
export interface ShopOptions {
  /** The app as the store names it. */
  readonly app: string;
  /** Address of a stand-in for the store, in a package for trying; `undefined` where a class of a source project is to be filled in. */
  readonly test: string | undefined;
}

/** What an Android package has beyond the app. */
export interface AndroidOptions {
  readonly engine: Engine;
  /** A scheme of the app's own. */
  readonly scheme: string | undefined;
  readonly devices: readonly DeviceKind[];
  readonly minSdk: number;
  /** Counts for the `browser` engine. */
  readonly otherwise: OtherwiseShown;
  /** What kind of app it is, where that is said. */
  readonly category: AppCategory | undefined;
  /** Whether what pages play goes on while the app is not on screen; counts for the `webview` engine. */
  readonly backgroundAudio: boolean;
  /** Counts for the `browser` engine. */
  readonly shop?: ShopOptions | undefined;
}

/** Reads `android` out of a project. Throws `config.bad-value`. */
export function readAndroidOptions(project: Project): AndroidOptions {
  const { engine, scheme, devices, min_sdk, otherwise, category, background_audio } =
    project.settings.android;
  const fault = scheme === undefined ? undefined : schemeFault(scheme, project.location('/android/scheme'));
  if (fault !== undefined) throw fault;
  if (engine === 'browser' && !project.settings.web.url?.startsWith('https://')) {
    throw new HullError(
      'config.bad-value',
      'The browser engine shows a hosted app, and web.url names none.',
      {
        location: project.location('/android/engine'),
        fix: 'Set web.url to the https address where the app is hosted; or use the webview engine.',
      },
    );
  }
  return {
    engine,
    scheme,
    devices,
    minSdk: min_sdk,
    otherwise,
    category,
    backgroundAudio: background_audio,
  };
}

/** What is made for an app: for debugging or not, and for which devices. */
export interface PackageOptions {
  readonly debuggable: boolean | 'either-way';
  readonly android: AndroidOptions;
}

/**
 * Whether a package has network rules of its own: hosts without TLS, or authorities that the user has installed, which packages for
 * debugging trust. Else `usesCleartextTraffic` says all (API 23), and the platform's rules are the shell's.
 */
export const hasNetworkRules = (app: App, { debuggable }: Pick<PackageOptions, 'debuggable'>): boolean =>
  debuggable !== false || app.insecure.length > 0;

/**
 * Which of the shells a package gets (shell/android/small): `tabs` is the one without a view of its own, `plain` the one for a web view
 * without what most apps do not use, `shop` the one for a browser whose pages sell.
 */
export type ShellName = Engine | 'tabs' | 'plain' | 'shop';

/** Whether the app's own view gives its pages notifications, which it else has not got. */
export function notifiesItself(app: App, engine: Engine): boolean {
  return engine === 'webview' && app.permissions.some(({ name }) => name === 'notifications');
}

/** Whether what pages play goes on while the app is not on screen: a browser does that by itself. */
export const playsInBackground = ({ engine, backgroundAudio }: AndroidOptions): boolean =>
  engine === 'webview' && backgroundAudio;

/** The code that a package gets. */
export function shellCode(app: App, options: AndroidOptions): ShellName {
  const name = shellName(options);
  if (options.engine === 'browser' && options.shop) return 'shop';
  return name === 'webview' && isPlain(app, options) ? 'plain' : name;
}

/** Whether an app wants nothing that the smallest shell of its own view goes without (small/plain.pro). */
function isPlain(app: App, options: AndroidOptions): boolean {
  const wants: readonly boolean[] = [
    app.share !== undefined,
    notifiesItself(app, options.engine),
    playsInBackground(options),
    app.display === 'minimal-ui',
    app.window.pullToRefresh,
    app.window.edges === 'cover',
    (app.answers?.headers ?? []).length > 0,
  ];
  return !wants.includes(true);
}

export function shellName({ engine, otherwise }: AndroidOptions): ShellName {
  return engine === 'browser' && otherwise === 'none' ? 'tabs' : engine;
}

/**
 * How browsers find the app's own service for what it declares (notifications, location) and sells: they ask which app opens a link to
 * the pages. `links`: those of the project say so; `added`: the package says so by itself; `not`: the project's links leave
 * the pages out; `none`: nothing is declared that a browser hands over.
 */
export function delegateIsFound(
  app: App,
  { engine, shop }: Pick<AndroidOptions, 'engine' | 'shop'>,
): 'links' | 'added' | 'not' | 'none' {
  const names = app.permissions.map(({ name }) => name);
  if (engine !== 'browser' || (ownRows(names, engine).length === 0 && shop === undefined)) return 'none';
  const own = app.links.find(({ host }) => host === app.base.hostname);
  if (own === undefined) return app.base.port === '' ? 'added' : 'not';
  const opens = own.rules.filter(({ pattern, query, fragment }) =>
    query === undefined && fragment === undefined ? pathMatches(pattern, app.base.pathname) : false,
  );
  return opens.length > 0 && opens.every(({ allow }) => allow) ? 'links' : 'not';
}

/** What of an app goes into its package: in a browser the pages come from their host, and none is packed. */
export function appInEngine(app: App, options: Pick<AndroidOptions, 'engine' | 'shop'>): App {
  if (options.engine === 'webview') return app;
  const { folder: _folder, ...hosted } = app;
  const rules = [{ allow: true, pattern: `${app.base.pathname}*` }];
  return {
    ...hosted,
    links:
      delegateIsFound(app, options) === 'added'
        ? [...app.links, { host: app.base.hostname, rules, credentials: false }]
        : app.links,
    errors: { ...app.errors, offline: undefined },
  };
}

/** The ID under which a package to be looked into is installed, beside the app itself. */
export const debugId = (id: string): string => `${id}.debug`;
