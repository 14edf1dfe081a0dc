import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { HullError, task, withTasks } from '../errors.js';
import { debugId } from '../platforms/android/app/options.js';
import type { AttachedDevice, BridgeAddress } from '../platforms/android/bridge/bridge.js';
import { isAppId } from '../platforms/android/bridge/names.js';
import { CONFIG_FILE } from '../project/config.js';
import { type Project, readProject } from '../project/project.js';
import { replaceFile } from '../util/files.js';
import { baseOf, decodePath, parseUrl } from '../util/url-path.js';
import { AppWatch } from '../watch/app-watch.js';
import type { WatchEvent } from '../watch/events.js';
import type { ProjectText } from '../watch/source-maps.js';

export interface WatchOptions {
  /** Folder of `hull.json`, whose app is watched, and whose files name the sources of its scripts. */
  readonly project?: string | undefined;
  /** App ID, where it is another. */
  readonly app?: string | undefined;
  readonly bridge: BridgeAddress;
  /** A device's serial number, where several are attached. */
  readonly serial?: string | undefined;
  /** Ends it. */
  readonly signal: AbortSignal;
  readonly onEvent: (event: WatchEvent) => void;
  readonly onDevice?: ((device: AttachedDevice) => void) | undefined;
}

export interface WatchedPicture {
  readonly file: string;
  /** Address of the page that it shows. */
  readonly page: string;
}

/** The app to watch, what is known of its files, and whether a browser shows its pages. */
interface Watched {
  readonly ids: readonly string[];
  readonly inBrowser: string | undefined;
  readonly projectText: ProjectText;
}

const LONGEST_TEXT = 64 * 1024 * 1024;

/** Texts of the web folder by their addresses in the app. */
function textsOf(project: Project): ProjectText {
  const { folder, url } = project.settings.web;
  const base = url === undefined ? undefined : parseUrl(url);
  if (folder === undefined) return () => undefined;
  const below = base === undefined ? undefined : baseOf(base).pathname;
  return ({ pathname }) => {
    const path = decodePath(
      below !== undefined && pathname.startsWith(below) ? pathname.slice(below.length) : pathname.slice(1),
    );
    if (path === undefined || path.split('/').includes('..')) return undefined;
    try {
      const text = readFileSync(join(project.resolve(folder), path), 'utf8');
      return text.length > LONGEST_TEXT ? undefined : text;
    } catch {
      return undefined;
    }
  };
}

function watchedApp({ project = '.', app }: Pick<WatchOptions, 'project' | 'app'>): Watched {
  if (app !== undefined && !isAppId(app)) {
    throw new HullError('app.bad-id', `"${app}" is not an app ID.`, {
      location: { option: 'app' },
      fix: 'Write it as in example.saltmarsh.ferry',
    });
  }
  if (app !== undefined && !existsSync(join(project, CONFIG_FILE)))
    return { ids: [app], inBrowser: undefined, projectText: () => undefined };
  const own = readProject(project);
  const { settings } = own;
  const id = settings.android.id;
  const ids = [debugId(id), id];
  if (app !== undefined && !ids.includes(app))
    return { ids: [app], inBrowser: undefined, projectText: () => undefined };
  const url = settings.web.url === undefined ? undefined : parseUrl(settings.web.url);
  return {
    ids: app === undefined ? ids : [app],
    inBrowser: settings.android.engine === 'browser' ? url?.origin : undefined,
    projectText: textsOf(own),
  };
}

/**
 * Tells what the pages of an app say on an attached Android device, until the signal: console, errors with their sources, requests that
 * fail, navigation, vitals. The package has to be debuggable. It waits for the app, and for the device where that goes away.
 *
 * @throws HullError `device.*`, `config.*`, `app.bad-id`
 */
export async function watchApp(options: WatchOptions): Promise<void> {
  const { bridge, serial, signal, onEvent, onDevice = () => undefined } = options;
  const watch = new AppWatch({ address: bridge, serial, ...watchedApp(options), signal, onEvent });
  await watch.run(onDevice);
}

/** ms that the app has to show a page in. */
const PICTURE = 30_000;
const LOOK = 100;

/**
 * Takes a picture (PNG) of what the app shows on an attached Android device: its newest page.
 *
 * @throws HullError `device.*`, `watch.no-page`, `disk.*`
 */
export async function pictureOfApp(options: WatchOptions, file: string): Promise<WatchedPicture> {
  const { bridge, serial, onDevice = () => undefined } = options;
  const ended = new AbortController();
  const signal = AbortSignal.any([options.signal, ended.signal]);
  const own = watchedApp(options);
  let state = '';
  let isDrawn = true;
  const watch = new AppWatch({
    ...{ address: bridge, serial, ...own, signal },
    onEvent: (event) => {
      if (event.is === 'app') state = event.state;
      options.onEvent(event);
    },
  });
  const running = watch.run(onDevice);
  try {
    const end = Date.now() + PICTURE;
    while (!options.signal.aborted && Date.now() < end) {
      const page = watch.pages.filter(({ page: { type } }) => type === 'page').at(-1);
      if (page !== undefined) {
        // A page that nobody sees, as on a screen that is off, is not drawn.
        const picture = await page.picture().catch(() => undefined);
        if (picture !== undefined) {
          await replaceFile(file, picture);
          return { file, page: page.url };
        }
        isDrawn = false;
      }
      if (state === 'no-socket') break;
      await Promise.race([wait(LOOK), running]);
    }
  } finally {
    ended.abort();
    await running;
  }
  throw new HullError(
    'watch.no-page',
    state === 'no-socket'
      ? `${own.ids.at(-1)} runs, and its pages cannot be inspected.`
      : isDrawn
        ? `${own.ids.at(-1)} has shown no page in ${PICTURE / 1000} seconds.`
        : `${own.ids.at(-1)} runs, and its page is not drawn: is the screen off?`,
    {
      fix: withTasks`Start the app; its package has to be debuggable: ${task('packForInspection')}`,
    },
  );
}
