import { oneLine } from '../../../packaging/page-script.js';
import type { CompiledPattern } from '../../../project/url-pattern.js';

/**
 * What pages play, told to the shell (Playback.java): the Media Session Standard's names, which a web view lacks, and every
 * media element that is heard. What is shorter than five seconds is a signal, as in browsers, and has no controls.
 */
const MEDIA = `
const SHORTEST = 5;
const watched = new WeakSet();
const elements = new Set();
const handlers = new Map();
let metadata = null;
let stated = 'none';
let position = {};
let last = null;
let told = '';
let pictured = '';
let due = false;
const isHeard = (one) => !one.paused && !one.ended && !one.muted && one.volume > 0 && !(one.duration < SHORTEST);
const tell = () => {
  due = false;
  const heard = Array.from(elements).filter(isHeard);
  if (heard.length > 0) last = heard[heard.length - 1];
  elements.forEach((one) => { if (one.paused && one !== last) elements.delete(one); });
  const state = stated !== 'none' ? stated : heard.length > 0 ? 'playing' : last ? 'paused' : 'none';
  const { title, artist, album, artwork } = metadata || {};
  const known = (value, other) => Number.isFinite(value) ? value : other;
  const what = JSON.stringify({
    state, title: title || document.title, artist: artist || '', album: album || '', actions: Array.from(handlers.keys()),
    duration: known(position.duration, last ? known(last.duration, undefined) : undefined),
    position: known(position.position, last ? last.currentTime : undefined),
    rate: known(position.playbackRate, last ? last.playbackRate : 1),
  });
  if (what !== told) { told = what; post('media', what); }
  const url = state === 'none' ? '' : pictureOf(artwork || []);
  if (url !== pictured) { pictured = url; show(url); }
};
const soon = () => { if (!due) { due = true; Promise.resolve().then(tell); } };
const pictureOf = (artwork) => {
  const side = ({ sizes }) => parseInt(sizes, 10) || 0;
  const fits = Array.from(artwork).sort((a, b) => side(a) - side(b));
  const best = fits.find((one) => side(one) >= 256) || fits[fits.length - 1];
  return best ? best.src : '';
};
const show = (url) => {
  if (url === '') { post('picture', ''); return; }
  const image = new Image();
  image.crossOrigin = 'anonymous';
  image.onload = () => {
    const scale = Math.min(1, 320 / Math.max(image.naturalWidth, image.naturalHeight));
    const canvas = document.createElement('canvas');
    canvas.width = Math.max(1, Math.round(image.naturalWidth * scale));
    canvas.height = Math.max(1, Math.round(image.naturalHeight * scale));
    canvas.getContext('2d').drawImage(image, 0, 0, canvas.width, canvas.height);
    if (url === pictured) post('picture', canvas.toDataURL());
  };
  image.onerror = () => { if (url === pictured) post('picture', ''); };
  image.src = url;
};
const CHANGES = ['playing', 'pause', 'ended', 'emptied', 'volumechange', 'durationchange', 'ratechange', 'seeked'];
const watch = (one) => {
  elements.add(one);
  if (watched.has(one)) return;
  watched.add(one);
  CHANGES.forEach((name) => one.addEventListener(name, soon));
};
const { play } = HTMLMediaElement.prototype;
HTMLMediaElement.prototype.play = function () { watch(this); return play.call(this); };
addEventListener('play', (event) => { if (event.target instanceof HTMLMediaElement) watch(event.target); }, true);
addEventListener('pagehide', () => { last = null; stated = 'none'; elements.clear(); soon(); });
if (!navigator.mediaSession) {
  class MediaMetadata {
    constructor(init) {
      const { title = '', artist = '', album = '', artwork = [] } = init || {};
      const pictures = Array.from(artwork).map(({ src, sizes = '', type = '' }) => {
        if (src === undefined) throw new TypeError('A picture needs an address.');
        return Object.freeze({ src: new URL(src, document.baseURI).href, sizes: String(sizes), type: String(type) });
      });
      const own = { title: String(title), artist: String(artist), album: String(album), artwork: Object.freeze(pictures) };
      Object.keys(own).forEach((name) => Object.defineProperty(this, name, {
        enumerable: true, get: () => own[name], set: (value) => { own[name] = value; soon(); },
      }));
    }
  }
  const NAMES = ['play', 'pause', 'seekbackward', 'seekforward', 'previoustrack', 'nexttrack', 'seekto', 'stop'];
  class MediaSession {
    get metadata() { return metadata; }
    set metadata(value) {
      if (value !== null && !(value instanceof MediaMetadata)) throw new TypeError('This is no MediaMetadata.');
      metadata = value;
      soon();
    }
    get playbackState() { return stated; }
    set playbackState(value) { if (['none', 'paused', 'playing'].includes(value)) { stated = value; soon(); } }
    setActionHandler(name, handler) {
      if (!NAMES.includes(name)) throw new TypeError('There is no such action here: ' + name);
      if (handler) handlers.set(name, handler); else handlers.delete(name);
      soon();
    }
    setPositionState(state) {
      const { duration, position: at = 0, playbackRate = 1 } = state || {};
      if (duration !== undefined && !(duration >= 0 && at >= 0 && at <= duration && playbackRate !== 0)) throw new TypeError('This is no position.');
      position = duration === undefined ? {} : { duration, position: at, playbackRate };
      soon();
    }
  }
  Object.defineProperty(navigator, 'mediaSession', { value: new MediaSession(), configurable: true });
  Object.defineProperty(window, 'MediaSession', { value: MediaSession, writable: true, configurable: true });
  Object.defineProperty(window, 'MediaMetadata', { value: MediaMetadata, writable: true, configurable: true });
}
hidden('hullMedia', { act(action, seconds) {
  const details = { action };
  if (seconds >= 0) details.seekTime = seconds;
  const handler = handlers.get(action);
  if (handler) handler(details);
  else if (last && action === 'play') last.play();
  else if (last && (action === 'pause' || action === 'stop')) elements.forEach((one) => one.pause());
} });
post('media', JSON.stringify({ state: 'none' }));`;

/** What the page's notifications say, by the engine's messages (page-script.ts, `NOTICE_SCRIPT`). */
const NOTICES = `if (notices) {
  const know = (state) => { notices = state; };
  hidden('hullNotices', {
    state: () => notices,
    ask: (token, number) => { ask('ask').then((state) => { know(state); window.hullNotes.answered(number, state); }); },
    show: (token, details) => post('show', details),
    close: (token, id) => post('close', String(id)),
  });
  document.addEventListener('visibilitychange', () => { if (!document.hidden) ask('notices').then(know); });
  ask('notices').then(know);
}`;

/**
 * Gives the page's half of the shell (packaging/page-script.ts) what it speaks to, by way of the engine's own messages
 * (`WebViewCompat.addWebMessageListener`, as the engine names it). Which origin and frame speaks the engine itself says, so that no token
 * is needed. PagePort.java has the other end. An expression: a function that is given what notifications the page may show.
 */
export const portScript = ({
  notifies,
  plays,
}: {
  readonly notifies: boolean;
  readonly plays: boolean;
}): string =>
  oneLine(`(notices) => {
const port = window.hullPort;
if (!port || window !== top || window.hullServices) return;
const waiting = new Map();
let count = 0;
port.onmessage = (event) => {
  const [number, value] = JSON.parse(event.data);
  const then = waiting.get(number);
  waiting.delete(number);
  if (then) then(value);
};
const post = (...said) => port.postMessage(JSON.stringify([0, ...said]));
const ask = (...said) => new Promise((resolve) => {
  waiting.set(++count, resolve);
  port.postMessage(JSON.stringify([count, ...said]));
});
const hidden = (name, value) => Object.defineProperty(window, name, { value });
hidden('hullServices', {
  state: (name) => ask('state', name),
  call: (token, number, what, details) => post('call', number, what, details),
  take: (token, number, data) => ask('take', number, data),
});
${notifies ? NOTICES : ''}${plays ? MEDIA : ''}
}`);

/** A host of a rule as the engine takes it; `undefined` for what it has no words for. */
function hostRule(pattern: string): string | undefined {
  const any = '.*\\.';
  const sub = pattern.startsWith(any) ? '*.' : '';
  const host = (sub === '' ? pattern : pattern.slice(any.length)).replaceAll('\\.', '.');
  return /^[a-z0-9-]+(?:\.[a-z0-9-]+)*$/.test(host) ? `${sub}${host}` : undefined;
}

/**
 * Origins of rules as the engine takes them ("origin rules" of `addWebMessageListener`): `https://host`, `https://*.host`,
 * with a port where it is another than the scheme's.
 *
 * @returns `undefined` where one of the rules cannot be said so
 */
export function originRules(inside: readonly CompiledPattern[]): string[] | undefined {
  const rules = inside.map(({ protocol, hostname, port }) => {
    const host = hostRule(hostname);
    const isPlain = /^https?$/.test(protocol) && /^\d*$/.test(port);
    return host === undefined || !isPlain
      ? undefined
      : `${protocol}://${host}${port === '' ? '' : `:${port}`}`;
  });
  return rules.every((one) => one !== undefined) ? [...new Set(rules)] : undefined;
}
