import type { DisplayMode } from '../project/config.js';

/**
 * Scripts that the shell runs in the app's own pages. Expressions; each may run twice in a page. Nothing in them is newer
 * than the engine of the oldest devices can read (ECMAScript 2016): one word more, and nothing of them would run.
 */

/** Texts in quotes, and regular expressions that are given a name; what is around them may lose its blanks. */
const LITERAL = /('(?:[^'\\\n]|\\.)*'|= \/(?:[^/\\\n]|\\.)+\/[a-z]*)/;

/** A script without line ends, indents, and blanks beside what needs none. */
export const oneLine = (script: string): string =>
  script
    .replaceAll(/\n */g, ' ')
    .split(LITERAL)
    .map((part, index) => (index % 2 === 1 ? part : part.replaceAll(/ ?([{}()[\];,:?=<>&|!*]) ?/g, '$1')))
    .join('')
    .trim();

/**
 * What the shell runs in each of the app's own pages (BaseClient.java), for what pages hand out to keep: a page often
 * lets go of a blob's address as soon as its link was followed, and the name is on the link alone, which may be in no
 * document. So names are noted, and such an address is let go of a minute later. The blobs themselves are kept as long as their
 * addresses: a page whose policy does not allow `blob:` could not fetch its own.
 */
const KEEPING = `
const names = new Map();
const blobs = new Map();
const keyOf = (url) => url.startsWith('data:') ? 'data:' : url;
const note = (link) => {
  if (!link || !link.hasAttribute('download')) return;
  names.set(keyOf(link.href), link.download);
  if (names.size > 20) names.delete(names.keys().next().value);
};
addEventListener('click', (event) => note(event.target instanceof Element ? event.target.closest('a[download]') : null), true);
const { click } = HTMLElement.prototype;
const { dispatchEvent } = EventTarget.prototype;
Object.assign(HTMLAnchorElement.prototype, {
  click() { note(this); return click.call(this); },
  dispatchEvent(event) { if (event && event.type === 'click') note(this); return dispatchEvent.call(this, event); },
});
const create = URL.createObjectURL;
const revoke = URL.revokeObjectURL;
URL.createObjectURL = (thing) => {
  const url = create.call(URL, thing);
  if (thing instanceof Blob) blobs.set(url, thing);
  return url;
};
const letGo = (url) => { blobs.delete(url); revoke.call(URL, url); };
URL.revokeObjectURL = (url) => { names.has(String(url)) ? setTimeout(() => letGo(String(url)), 60000) : letGo(String(url)); };`;

/** Bytes of a file that a page hands over at once: as Inbox.java has it. */
const SLICE = 192 * 1024;

/**
 * What browsers do for pages and a web view does not: sharing (Web Share), printing, the clipboard (Clipboard API), and
 * telling what is permitted (Permissions). PageServices.java does what they say; the token that opens it comes once the
 * page has begun, and what is asked for before waits for it.
 */
const SERVICES = `
const bridge = window.hullServices;
let open;
const opened = new Promise((resolve) => { open = resolve; });
const asking = new Map();
let count = 0;
const ask = (what, details) => opened.then((token) => new Promise((resolve, reject) => {
  count += 1;
  asking.set(count, [resolve, reject]);
  bridge.call(token, count, what, JSON.stringify(details || {}));
}));
const failed = (name, text) => new DOMException(text, name);
const hand = (file) => opened.then((token) => new Promise((resolve, reject) => {
  count += 1;
  const number = count;
  const send = (at) => {
    if (at >= file.size) { resolve({ number, name: file.name, type: file.type }); return; }
    const reader = new FileReader();
    reader.onerror = () => reject(failed('DataError', 'A file could not be read.'));
    reader.onload = () => {
      Promise.resolve(bridge.take(token, number, String(reader.result))).then((taken) => {
        if (taken) send(at + ${SLICE});
        else reject(failed('DataError', 'A file could not be taken.'));
      });
    };
    reader.readAsDataURL(file.slice(at, at + ${SLICE}));
  };
  send(0);
}));
const supply = (target, members) => Object.keys(members).forEach((name) => {
  if (!(name in target)) Object.defineProperty(target, name, { value: members[name], writable: true, configurable: true });
});
if (bridge && window === top) {
  const addressOf = (data) => {
    if (data.url === undefined) return '';
    const url = new URL(data.url, document.baseURI);
    if (url.protocol !== 'https:' && url.protocol !== 'http:') throw new TypeError('Only web addresses can be shared.');
    return url.href;
  };
  const canShare = (data) => {
    if (!data || !['title', 'text', 'url', 'files'].some((name) => data[name] !== undefined)) return false;
    if (data.files !== undefined && !(data.files.length > 0)) return false;
    try { addressOf(data); } catch (error) { return false; }
    return true;
  };
  let sharing = false;
  supply(navigator, {
    canShare,
    share(data) {
      if (!canShare(data)) return Promise.reject(new TypeError('There is nothing to share.'));
      if (sharing) return Promise.reject(failed('InvalidStateError', 'Something is being shared already.'));
      const { userActivation } = navigator;
      if (userActivation && !userActivation.isActive) return Promise.reject(failed('NotAllowedError', 'Sharing takes a touch.'));
      const text = (name) => data[name] === undefined ? '' : String(data[name]);
      sharing = true;
      const done = () => { sharing = false; };
      const shared = Promise.all(Array.from(data.files || [], hand)).then((files) =>
        ask('share', { title: text('title'), text: text('text'), url: addressOf(data), files })).then(() => undefined);
      shared.then(done, done);
      return shared;
    },
  });
  window.print = () => {
    dispatchEvent(new Event('beforeprint'));
    const after = () => dispatchEvent(new Event('afterprint'));
    ask('print', { title: document.title }).then(after, after);
  };
  if (navigator.clipboard && READS) navigator.clipboard.readText = () => ask('clipboard');
  const { permissions } = navigator;
  const query = (what) => {
    const name = what && what.name;
    return Promise.resolve(typeof name === 'string' ? bridge.state(name) : '').then((state) => {
      if (state) return Object.assign(new EventTarget(), { name, state, onchange: null });
      if (permissions) return permissions.constructor.prototype.query.call(permissions, what);
      throw new TypeError('There is no such permission here.');
    });
  };
  if (permissions) permissions.query = query;
  else supply(navigator, { permissions: { query } });
}
const answer = (number, text, error) => {
  const waiting = asking.get(number);
  asking.delete(number);
  if (waiting) error ? waiting[1](failed(error, 'The app could not do it.')) : waiting[0](text);
};`;

/**
 * Answers `display-mode` as the app is shown (Media Queries 5): a web view says `browser`, and pages offer to install what is
 * installed. Style sheets are changed as they come; of those of other origins nothing can be read.
 */
const displayMode = (mode: DisplayMode) => `
const ASKED = /\\(\\s*display-mode\\s*:\\s*([a-z-]+)\\s*\\)/gi;
const truly = (text) => text.replace(ASKED, (all, name) => name.toLowerCase() === '${mode}' ? '(min-width: 0)' : '(max-width: 0)');
const { matchMedia } = window;
window.matchMedia = (text) => {
  const asked = String(text);
  const list = matchMedia.call(window, truly(asked));
  if (truly(asked) !== asked) Object.defineProperty(list, 'media', { value: asked });
  return list;
};
const settle = (media) => { if (media && truly(media.mediaText) !== media.mediaText) media.mediaText = truly(media.mediaText); };
const settleRules = (rules) => Array.from(rules).forEach((rule) => {
  settle(rule.media);
  if (rule.cssRules) settleRules(rule.cssRules);
  if (rule.styleSheet) settleSheet(rule.styleSheet);
});
const settleSheet = (sheet) => {
  settle(sheet.media);
  try { settleRules(sheet.cssRules); } catch (error) { return; }
};
const settleAll = () => Array.from(document.styleSheets).forEach(settleSheet);
const come = (node) => {
  if (node.localName === 'style' && node.sheet) settleSheet(node.sheet);
  if (node.localName === 'link') node.addEventListener('load', () => { if (node.sheet) settleSheet(node.sheet); });
  if (node.localName === 'html' || node.localName === 'head') { watch.observe(node, { childList: true }); Array.from(node.children).forEach(come); }
};
const watch = new MutationObserver((changes) => changes.forEach((change) => change.addedNodes.forEach(come)));
watch.observe(document, { childList: true });
if (document.documentElement) come(document.documentElement);
addEventListener('DOMContentLoaded', settleAll);
addEventListener('load', settleAll);
settleAll();`;

/**
 * What the shell runs in each of the app's own pages.
 *
 * @param downloads who saves what pages hand out to keep: the `shell`, which then needs to know names and bytes, or the `engine`
 * @param clipboard who reads the clipboard for pages
 */
export const pageScript = (
  mode: DisplayMode,
  {
    downloads,
    clipboard,
  }: { readonly downloads: 'shell' | 'engine'; readonly clipboard: 'shell' | 'engine' },
): string =>
  oneLine(`(() => {
if (window.hullKept) return;
const READS = ${clipboard === 'shell'};${downloads === 'shell' ? KEEPING : ''}${SERVICES}${displayMode(mode)}
Object.defineProperty(window, 'hullKept', { value: { ${
    downloads === 'shell' ? "name: (url) => names.get(keyOf(url)) || '', blob: (url) => blobs.get(url), " : ''
  }open, answer } });
})()`);

/**
 * Gives pages the names of the Notifications API (WHATWG), which a web view lacks; Notices.java does what they say. Packed
 * pages begin with it, so that it is there before any script of theirs; the token that opens the receiver comes after, and
 * what is asked for before waits for it.
 */
export const NOTICE_SCRIPT = oneLine(`(() => {
const bridge = window.hullNotices;
if (!bridge || window.hullNotes || 'Notification' in window) return;
let open;
const opened = new Promise((resolve) => { open = resolve; });
const asking = new Map();
const shown = new Map();
let count = 0;
const fire = (one, name) => {
  const event = new Event(name);
  const own = one['on' + name];
  if (typeof own === 'function') own.call(one, event);
  one.dispatchEvent(event);
};
const ids = new WeakMap();
class Notification extends EventTarget {
  static get permission() { return bridge.state(); }
  static requestPermission(then) {
    const answer = opened.then((token) => new Promise((resolve) => {
      asking.set(++count, resolve);
      bridge.ask(token, count);
    }));
    if (typeof then === 'function') answer.then(then);
    return answer;
  }
  constructor(title, options = {}) {
    super();
    if (arguments.length === 0) throw new TypeError('A notification needs a title.');
    const { body = '', tag = '', data = null, icon = '', lang = '', dir = 'auto', silent = null } = options || {};
    Object.assign(this, { title: String(title), body: String(body), tag: String(tag), data, icon, lang, dir, silent });
    Object.assign(this, { onclick: null, onshow: null, onerror: null, onclose: null });
    const id = this.tag || Date.now() + '.' + ++count;
    ids.set(this, id);
    if (bridge.state() !== 'granted') {
      Promise.resolve().then(() => fire(this, 'error'));
      return;
    }
    shown.set(id, this);
    opened.then((token) => {
      if (shown.get(id) !== this) return;
      bridge.show(token, JSON.stringify({ id, title: this.title, body: this.body, silent: silent === true }));
      fire(this, 'show');
    });
  }
  close() {
    const id = ids.get(this);
    if (shown.get(id) !== this) return;
    shown.delete(id);
    opened.then((token) => bridge.close(token, id));
    fire(this, 'close');
  }
}
Object.defineProperty(window, 'Notification', { value: Notification, writable: true, configurable: true });
if (window.ServiceWorkerRegistration) Object.assign(ServiceWorkerRegistration.prototype, {
  showNotification(title, options) {
    if (bridge.state() !== 'granted') return Promise.reject(new TypeError('Notifications are not allowed.'));
    new Notification(title, options);
    return Promise.resolve();
  },
  getNotifications(filter) {
    return Promise.resolve([...shown.values()].filter((one) => !filter || !filter.tag || one.tag === filter.tag));
  },
});
const { permissions } = navigator;
if (permissions) {
  const { query } = permissions;
  permissions.query = (what) => {
    if (!what || what.name !== 'notifications') return query.call(permissions, what);
    const state = bridge.state();
    return Promise.resolve(Object.assign(new EventTarget(), { name: what.name, onchange: null, state: state === 'default' ? 'prompt' : state }));
  };
}
Object.defineProperty(window, 'hullNotes', { value: {
  open,
  answered(number, state) {
    const answer = asking.get(number);
    asking.delete(number);
    if (answer) answer(state);
  },
  touched(id) {
    const one = shown.get(id);
    if (!one) return false;
    shown.delete(id);
    fire(one, 'click');
    return true;
  },
} });
})()`);
