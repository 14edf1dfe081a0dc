import type { App } from '../../../app/app.js';
import { NOTICE_SCRIPT, pageScript } from '../../../packaging/page-script.js';
import { linkSettings, sharedSettings } from '../../../packaging/shell-settings.js';
import { MEDIA_TYPES } from '../../../site/media-types.js';
import type { AppleOptions } from './options.js';
import { BRIDGE_SCRIPT } from './page-bridge.js';
import { APPLE_CAPABILITIES } from './permission-table.js';

/** Where the shell looks for its settings, its words and the packed pages, as paths in the bundle. */
export const SETTINGS_PATH = 'hull/shell.json';
export const WORDS_PATH = 'hull/words.txt';
export const SITE_PATH = 'hull/site/';
/** Scheme of packed pages: https itself cannot be answered by an app (WKWebViewConfiguration). */
export const PAGE_SCHEME = 'hull';

const declares = (app: App, ...names: string[]) => app.permissions.some(({ name }) => names.includes(name));

/** What pages learn of capabilities that the app does not declare, or that the system's engine has not got. */
function pageStates(app: App): Record<string, 'granted' | 'denied'> {
  const declared = new Set(app.permissions.map(({ name }) => name));
  const states: Record<string, 'granted' | 'denied'> = {};
  for (const [name, { asks }] of Object.entries(APPLE_CAPABILITIES)) {
    if (asks === 'nobody') states[name] = 'granted';
    else if (asks === 'never' || !declared.has(name)) states[name] = 'denied';
  }
  return states;
}

/** The settings file that the shell reads at start: JSON, UTF-8. Its reader is HullSettings. */
export function buildShellSettings(app: App, options: AppleOptions): Uint8Array {
  const notifies = declares(app, 'notifications', 'push');
  const settings = {
    ...sharedSettings(app),
    pageScheme: PAGE_SCHEME,
    permissions: Object.fromEntries(app.permissions.map(({ name, reason }) => [name, { reason }])),
    links: linkSettings(app),
    scheme: options.scheme,
    types: app.folder && MEDIA_TYPES,
    script: `${BRIDGE_SCRIPT};${pageScript(app.display, { downloads: 'engine', clipboard: 'shell' })}${notifies ? `;${NOTICE_SCRIPT}` : ''}`,
    states: pageStates(app),
    frames: app.frames,
    appBound: options.appBoundDomains.length > 0,
  };
  return new TextEncoder().encode(JSON.stringify(settings));
}
