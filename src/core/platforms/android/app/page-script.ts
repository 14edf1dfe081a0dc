/**
 * Scripts that the shell runs in the app's own pages. Expressions; each may run twice in a page. Nothing in them is newer
 * than the engine of the oldest devices can read (ECMAScript 2016): one word more, and nothing of them would run.
 */

const oneLine = (script: string) => script.replaceAll(/\n */g, ' ');

/**
 * What the shell runs in each of the app's own pages (PageClient.java), for what pages hand out to keep: a page often
 * lets go of a blob's address as soon as its link was followed, and the name is on the link alone, which may be in no
 * document. So names are noted, and such an address is let go of a minute later.
 */
export const PAGE_SCRIPT = oneLine(`(() => {
if (window.hullKept) return;
const names = new Map();
const keyOf = (url) => url.startsWith('data:') ? 'data:' : url;
const note = (link) => {
  if (!link || !link.hasAttribute('download')) return;
  names.set(keyOf(link.href), link.download);
  if (names.size > 20) names.delete(names.keys().next().value);
};
Object.defineProperty(window, 'hullKept', { value: { name: (url) => names.get(keyOf(url)) || '' } });
addEventListener('click', (event) => note(event.target instanceof Element ? event.target.closest('a[download]') : null), true);
const { click } = HTMLElement.prototype;
const { dispatchEvent } = EventTarget.prototype;
Object.assign(HTMLAnchorElement.prototype, {
  click() { note(this); return click.call(this); },
  dispatchEvent(event) { if (event && event.type === 'click') note(this); return dispatchEvent.call(this, event); },
});
const revoke = URL.revokeObjectURL;
URL.revokeObjectURL = (url) => { names.has(url) ? setTimeout(() => revoke.call(URL, url), 60000) : revoke.call(URL, url); };
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
