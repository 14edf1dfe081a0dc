import { readdirSync } from 'node:fs';
import { delimiter, join } from 'node:path';
import { HullError } from '../../errors.js';
import { canRun } from '../find.js';

/** What shows pages in WebKit without a monitor. */
export interface WebKitPrograms {
  /** WebKit's own driver (W3C WebDriver). */
  readonly driver: string;
  /** The window that it drives. */
  readonly view: string;
  /** What runs a program on a screen of its own. */
  readonly screen: string;
}

const FIX =
  'Install WebKit’s driver and a screen for it: on Debian and Ubuntu, the packages webkit2gtk-driver and xvfb. HULL_WEBKIT=<path> names a driver.';

/** Folders of the window's program, as distributions have them; the newest of its versions first. */
function viewsIn(): string[] {
  const names = ['webkitgtk-6.0', 'webkit2gtk-4.1', 'webkit2gtk-4.0'];
  const below = (dir: string) => {
    try {
      return readdirSync(dir).map((name) => join(dir, name));
    } catch {
      return [];
    }
  };
  const dirs = ['/usr/libexec', '/usr/lib', '/usr/lib64', ...below('/usr/lib')];
  return dirs.flatMap((dir) => names.map((name) => join(dir, name, 'MiniBrowser')));
}

/**
 * WebKit's driver and what it needs: the driver that the user named, else the first installed one.
 *
 * @param named value of `HULL_WEBKIT`
 * @param searchPath value of `PATH`
 * @param option what wanted WebKit
 * @throws HullError `browser.missing`
 */
export function findWebKit(named: string | undefined, searchPath: string, option: string): WebKitPrograms {
  const missing = (message: string, location: { option: string } = { option }) =>
    new HullError('browser.missing', message, { location, fix: FIX });
  const onPath = (name: string) =>
    searchPath
      .split(delimiter)
      .map((dir) => join(dir, name))
      .find(canRun);
  if (named !== undefined && named !== '' && !canRun(named))
    throw missing(`${named} cannot be run.`, { option: 'HULL_WEBKIT' });
  const driver = named || onPath('WebKitWebDriver');
  if (driver === undefined) throw missing('WebKit’s driver was not found.');
  const view = viewsIn().find(canRun);
  if (view === undefined)
    throw missing('The window that WebKit’s driver drives (MiniBrowser) was not found.');
  const screen = onPath('xvfb-run');
  if (screen === undefined) throw missing('There is no screen for WebKit: xvfb-run was not found.');
  return { driver, view, screen };
}
