import { type BrowserOptions, runsUnconfined } from '../core/browser/launch.js';
import type { Io } from './io.js';

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

/** What every start of a browser has in common; notes where it runs without its sandbox. */
export function browserBasics(io: Io): Pick<BrowserOptions, 'environment' | 'signal'> {
  if (runsUnconfined()) {
    io.note(
      `${io.paint.warn('note')} The browser runs without its sandbox, because this is root. Only look at sites that you trust, or run hull as another user.`,
    );
  }
  return { environment: browserEnvironment(io.env), signal: io.signal };
}
