import { type Insets, scriptsAsApp, stylesAsApp } from '../app-display.js';
import type { ChangeText } from '../serve-folder.js';
import type { WebKitSession } from './session.js';

/** What pages said while they loaded. */
export interface Watched {
  readonly errors: readonly { readonly text: string; readonly at?: string }[];
  /** Capabilities that were asked for, in words with spaces between. */
  readonly asked: readonly string[];
}

/** Runs before the page's own scripts: keeps errors, and what is asked for. WebKit's driver tells neither. */
const WATCH = `(() => {
  const seen = { errors: [], asked: [] };
  Object.defineProperty(window, '__hullSeen', { value: seen });
  window.__hullAsked = (names) => { seen.asked.push(names); };
  const keep = (text, at) => { if (seen.errors.length < 50) seen.errors.push(at ? { text, at } : { text }); };
  addEventListener('error', (event) => {
    const { target } = event;
    if (event instanceof ErrorEvent) keep('Uncaught ' + event.message.replace(/^Uncaught /, ''), event.filename ? event.filename + ':' + event.lineno : '');
    else if (target && (target.src || target.href)) keep('Failed to load resource: ' + (target.src || target.href));
  }, true);
  addEventListener('unhandledrejection', ({ reason }) => keep('Uncaught (in promise) ' + reason));
  const own = window['console'];
  const { error } = own;
  own.error = function (...said) { keep(said.map(String).join(' ')); return error.apply(this, said); };
})();`;

/** Nobody answers the engine's questions; a refusal is what apps have to live with. */
const REFUSE = `(() => {
  const refuse = (name, method, answer) => {
    const owner = window[name] && window[name].prototype;
    if (owner && owner[method]) owner[method] = answer;
  };
  const denied = { code: 1, message: 'denied', PERMISSION_DENIED: 1, POSITION_UNAVAILABLE: 2, TIMEOUT: 3 };
  const noPosition = (_found, failed) => { if (failed) setTimeout(() => failed(denied)); return 0; };
  refuse('Geolocation', 'getCurrentPosition', noPosition);
  refuse('Geolocation', 'watchPosition', noPosition);
  const noMedia = () => Promise.reject(new DOMException('denied', 'NotAllowedError'));
  refuse('MediaDevices', 'getUserMedia', noMedia);
  refuse('MediaDevices', 'getDisplayMedia', noMedia);
  if (window.Notification) window.Notification.requestPermission = (done) => { if (done) done('denied'); return Promise.resolve('denied'); };
})();`;

/** Where the head of a page begins; a page may do without its tag. */
const HEAD = /<head\b[^>]*>/i;
const BEFORE_HEAD = /<!doctype[^>]*>(?:\s*<html\b[^>]*>)?/i;
const INSET = /env\(\s*safe-area-inset-(top|right|bottom|left)\s*(?:,[^()]*(?:\([^()]*\)[^()]*)*)?\)/g;

/** What pages of a folder are to find, on the screen that is shown now. */
export interface AppWindow {
  /** `display-mode` */
  readonly mode: () => string;
  readonly insets: () => Insets;
  /** Runs before the page's own scripts; it may call `__hullAsked` with capabilities that are asked for. */
  readonly script: () => string;
}

/**
 * Pages of a folder as an app's window shows them, for an engine that has no such window: they find the app's `display-mode`
 * and the insets of a screen, and are watched.
 */
export function asAppWindow({ mode, insets, script }: AppWindow): ChangeText {
  return (type, text) => {
    const now = insets();
    const inset = text.replace(INSET, (_all, edge: keyof Insets) => `${now[edge]}px`);
    if (type === 'text/css') return inset;
    const head = HEAD.exec(inset) ?? BEFORE_HEAD.exec(inset);
    const at = head ? head.index + head[0].length : 0;
    const first = [WATCH, REFUSE, scriptsAsApp(mode()), script()]
      .join('\n')
      .replaceAll('</script', '<\\/script');
    return `${inset.slice(0, at)}<script>${first}</script>${inset.slice(at)}`;
  };
}

/** Opens a page as an app's window shows it. */
export async function openInApp(session: WebKitSession, url: string, mode: string): Promise<void> {
  await session.goto(url);
  await session.run(`return ${stylesAsApp(mode)}`);
}

/** What a watched page said; `undefined` where it is not watched. */
export async function watched(session: WebKitSession): Promise<Watched | undefined> {
  return (await session.run<Watched | null>('return window.__hullSeen || null')) ?? undefined;
}
