import { accessSync, constants } from 'node:fs';
import { delimiter, join } from 'node:path';
import { HullError } from '../errors.js';

/** Names of the programs on a search path. */
const NAMES = [
  'chromium',
  'chromium-browser',
  'google-chrome-stable',
  'google-chrome',
  'microsoft-edge-stable',
  'microsoft-edge',
  'chrome',
  'msedge',
];
const ELSEWHERE: Partial<Record<NodeJS.Platform, readonly string[]>> = {
  darwin: [
    '/Applications/Google Chrome.app/Contents/MacOS/Google Chrome',
    '/Applications/Chromium.app/Contents/MacOS/Chromium',
    '/Applications/Microsoft Edge.app/Contents/MacOS/Microsoft Edge',
  ],
  win32: [
    'C:\\Program Files\\Google\\Chrome\\Application\\chrome.exe',
    'C:\\Program Files (x86)\\Google\\Chrome\\Application\\chrome.exe',
    'C:\\Program Files (x86)\\Microsoft\\Edge\\Application\\msedge.exe',
  ],
};

export function canRun(file: string): boolean {
  try {
    accessSync(file, constants.X_OK);
    return true;
  } catch {
    return false;
  }
}

/**
 * The browser to drive: the one that the user named, else the first installed one.
 *
 * @param named value of `HULL_BROWSER`
 * @param searchPath value of `PATH`
 * @param option what wanted a browser
 * @throws HullError `browser.missing`
 */
export function findBrowser(named: string | undefined, searchPath: string, option = 'browser'): string {
  const fix = 'Install Chromium, Chrome or Edge, or name one with HULL_BROWSER=<path>.';
  if (named !== undefined && named !== '') {
    if (canRun(named)) return named;
    throw new HullError('browser.missing', `${named} cannot be run.`, {
      location: { option: 'HULL_BROWSER' },
      fix,
    });
  }
  const ending = process.platform === 'win32' ? '.exe' : '';
  const onPath = searchPath.split(delimiter).flatMap((dir) => NAMES.map((name) => join(dir, name + ending)));
  const found = [...onPath, ...(ELSEWHERE[process.platform] ?? [])].find(canRun);
  if (found === undefined) {
    throw new HullError('browser.missing', 'No Chromium, Chrome or Edge was found.', {
      location: { option },
      fix,
    });
  }
  return found;
}
