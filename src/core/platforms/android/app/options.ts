import type { App } from '../../../app/app.js';
import { HullError } from '../../../errors.js';
import type { DeviceKind, Engine, OtherwiseShown } from '../../../project/config.js';
import type { Project } from '../../../project/project.js';

/** What an Android package has beyond the app. */
export interface AndroidOptions {
  readonly engine: Engine;
  /** A scheme of the app's own. */
  readonly scheme: string | undefined;
  readonly devices: readonly DeviceKind[];
  readonly minSdk: number;
  /** Counts for the `browser` engine. */
  readonly otherwise: OtherwiseShown;
}

/** Schemes that belong to the web, the system or other apps. */
const RESERVED = new Set(
  'http https file content intent javascript data blob about filesystem view-source ws wss ftp mailto tel sms smsto mms mmsto geo market android-app android.resource package callto urn jar chrome'.split(
    ' ',
  ),
);

/** Reads `android` out of a project. Throws `config.bad-value`. */
export function readAndroidOptions(project: Project): AndroidOptions {
  const { engine, scheme, devices, min_sdk, otherwise } = project.settings.android;
  // URI scheme (RFC 3986, section 3.1); the platform compares schemes by case, so it has to be a lower one.
  if (scheme !== undefined && !/^[a-z][a-z0-9+.-]{1,60}$/.test(scheme)) {
    throw new HullError('config.bad-value', `"${scheme}" is not a scheme.`, {
      location: project.location('/android/scheme'),
      fix: 'Use lower-case letters, digits and hyphens, beginning with a letter: saltmarsh-ferry',
    });
  }
  if (scheme !== undefined && RESERVED.has(scheme)) {
    throw new HullError('config.bad-value', `The scheme "${scheme}" belongs to others.`, {
      location: project.location('/android/scheme'),
      fix: 'Choose one that only this app uses, best with its name in it: saltmarsh-ferry',
    });
  }
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
  };
}

/** Which of the shells a package gets (shell/android/small): `tabs` is the one without a view of its own. */
export type ShellName = Engine | 'tabs';

export function shellName({ engine, otherwise }: AndroidOptions): ShellName {
  return engine === 'browser' && otherwise === 'none' ? 'tabs' : engine;
}

/** What of an app goes into its package: in a browser the pages come from their host, and none is packed. */
export function appInEngine(app: App, engine: Engine): App {
  if (engine === 'webview') return app;
  const { folder: _folder, ...hosted } = app;
  return { ...hosted, errors: { ...app.errors, offline: undefined } };
}
