import { findBrowser } from '../../core/browser/find.js';
import { type BrowserOptions, runsUnconfined } from '../../core/browser/launch.js';
import { findWebKit, type WebKitPrograms } from '../../core/browser/webkit/find.js';
import type { Io } from '../terminal/io.js';
import { type AccessOptions, hostAccess } from './site.js';

/** Variables that a browser needs to start, find its fonts and draw; none of them is a secret. */
const NEEDED = [
  'PATH',
  'HOME',
  'USER',
  'LANG',
  'LANGUAGE',
  'LC_ALL',
  'LC_CTYPE',
  'TZ',
  'TMPDIR',
  'TEMP',
  'TMP',
  'DISPLAY',
  'WAYLAND_DISPLAY',
  'XAUTHORITY',
  'XDG_RUNTIME_DIR',
  'XDG_CONFIG_HOME',
  'XDG_CACHE_HOME',
  'FONTCONFIG_PATH',
  'FONTCONFIG_FILE',
  'LD_LIBRARY_PATH',
  'SystemRoot',
  'SystemDrive',
  'USERPROFILE',
  'APPDATA',
  'LOCALAPPDATA',
  'ProgramFiles',
  'ProgramFiles(x86)',
] as const;

/** The environment that the browser gets. */
export function browserEnvironment(env: NodeJS.ProcessEnv): Record<string, string> {
  return Object.fromEntries(
    NEEDED.flatMap((name): [string, string][] => {
      const value = env[name];
      return value === undefined ? [] : [[name, value]];
    }),
  );
}

/** The browser that is installed. Throws `browser.missing`. @param wanted the option that needs one */
export const installedBrowser = (io: Io, wanted: string): string =>
  findBrowser(io.env.HULL_BROWSER, io.env.PATH ?? '', wanted);

/** WebKit's driver that is installed. Throws `browser.missing`. @param wanted the option that needs it */
export const installedWebKit = (io: Io, wanted: string): WebKitPrograms =>
  findWebKit(io.env.HULL_WEBKIT, io.env.PATH ?? '', wanted);

/** Says where a browser runs without its sandbox. */
export function noteUnconfined(io: Io): void {
  if (!runsUnconfined()) return;
  io.note(
    `${io.paint.warn('note')} The browser runs without its sandbox, because this is root. Only look at sites that you trust, or run hull as another user.`,
  );
}

/** How a browser is started; notes where it runs without its sandbox. */
export function browserOptions(io: Io, executable: string, access: AccessOptions): BrowserOptions {
  noteUnconfined(io);
  const { resolve, ca } = hostAccess(io, access);
  return {
    executable,
    ...(resolve ? { resolve } : {}),
    trustCrawled: ca !== undefined,
    environment: browserEnvironment(io.env),
    signal: io.signal,
  };
}
