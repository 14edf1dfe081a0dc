/**
 * What the shell runs in each of the app's own pages (PageClient.java), for what pages hand out to keep: a page often
 * lets go of a blob's address as soon as its link was followed, and the name stands on the link alone, which may be in no
 * document. So names are noted, and such an address is let go of a minute later. An expression; it may run twice.
 */
export const PAGE_SCRIPT = `(() => {
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
})()`
  .replaceAll('\n  ', ' ')
  .replaceAll('\n', ' ');
