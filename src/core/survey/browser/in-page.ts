/**
 * Runs inside the page: measures what is wider than the screen, what is too small for a finger, and what lies under the
 * cutout or under a bar. Takes the screen and its insets in CSS px (a page that is too wide makes its window wider); gives the parts of a PageView that it can tell.
 */
export const MEASURE = `({ insets, width, height }) => {
  const most = 12;
  const name = (element) => {
    const own = (one) => one.id ? '#' + one.id : one.tagName.toLowerCase() + (one.classList[0] ? '.' + one.classList[0] : '');
    const parent = element.parentElement;
    return (parent && parent !== document.body && parent !== document.documentElement ? own(parent) + ' ' : '') + own(element);
  };
  const textOf = (element) => (element.getAttribute('aria-label') || element.innerText || element.value || element.alt || '').replace(/\\s+/g, ' ').trim().slice(0, 40);
  const seen = (element, box) => ({ element: name(element), text: textOf(element), x: box.x, y: box.y, width: box.width, height: box.height });
  const shown = (element, style) => style.visibility !== 'hidden' && style.display !== 'none' && Number(style.opacity) > 0.05;
  const scrollers = (element) => {
    for (let at = element.parentElement; at && at !== document.body; at = at.parentElement) {
      if (/auto|scroll|hidden|clip/.test(getComputedStyle(at).overflowX)) return true;
    }
    return false;
  };
  // A page that is too wide makes its fixed bars wider too; they are not the cause.
  const inFixed = (element) => {
    for (let at = element; at && at !== document.body; at = at.parentElement) {
      if (getComputedStyle(at).position === 'fixed') return true;
    }
    return false;
  };
  const wide = [];
  const small = [];
  const underCutout = [];
  const underBar = [];
  const bars = [];
  const all = [...document.body.querySelectorAll('*')].slice(0, 6000);
  for (const element of all) {
    const style = getComputedStyle(element);
    if (!shown(element, style)) continue;
    const box = element.getBoundingClientRect();
    if (box.width === 0 || box.height === 0) continue;
    if (box.right > width + 1 && wide.length < 200 && !scrollers(element) && !inFixed(element)) wide.push({ node: element, box });
    if (style.position === 'fixed' && box.width > width * 0.8 && box.height < height * 0.5) {
      const edge = box.top <= 1 ? 'top' : box.bottom >= height - 1 ? 'bottom' : undefined;
      if (edge) bars.push({ element, box, edge });
    }
    const isControl = element.matches('a[href], button, input:not([type=hidden]), select, textarea, summary, [role=button], [role=link], [role=tab], [role=checkbox], [role=switch]');
    if (isControl && small.length < most) {
      const label = element.closest('label') || (element.labels && element.labels[0]);
      // A tap on the label counts too; the larger of the two is what a finger can hit.
      const own = label ? label.getBoundingClientRect() : box;
      const target = own.width * own.height > box.width * box.height && own.height >= box.height ? own : box;
      // A link inside a line of text is as high as its line (WCAG 2.2, 2.5.8, exception "inline").
      const inline = element.tagName === 'A' && style.display === 'inline' && element.parentElement && element.parentElement.innerText.trim().length > (element.innerText || '').trim().length;
      if (!inline && (target.width < 24 || target.height < 24) && target.right > 0 && target.bottom > 0) small.push(seen(element, target));
    }
  }
  const texts = (root) => {
    const found = [];
    const walker = document.createTreeWalker(root, NodeFilter.SHOW_TEXT);
    for (let node = walker.nextNode(); node && found.length < 200; node = walker.nextNode()) {
      if (node.data.trim() === '' || !node.parentElement) continue;
      if (!shown(node.parentElement, getComputedStyle(node.parentElement))) continue;
      const range = document.createRange();
      range.selectNodeContents(node);
      const box = range.getBoundingClientRect();
      if (box.width > 0 && box.height > 0) found.push({ element: node.parentElement, box });
    }
    return found;
  };
  const hidden = [
    { edge: 'top', at: (box) => insets.top > 0 && box.top < insets.top - 4 && box.bottom > 0 },
    { edge: 'bottom', at: (box) => insets.bottom > 0 && box.bottom > height - insets.bottom + 4 && box.top < height },
    { edge: 'left', at: (box) => insets.left > 0 && box.left < insets.left - 4 && box.right > 0 },
    { edge: 'right', at: (box) => insets.right > 0 && box.right > width - insets.right + 4 && box.left < width },
  ];
  window.scrollTo(0, 0);
  const look = (list, fixed) => {
    for (const { element, box } of list) {
      for (const { edge, at } of hidden) {
        // What scrolls is only told at the sides, and at the top where the page begins.
        if (!fixed && edge === 'bottom') continue;
        if (at(box) && underCutout.length < most && !scrollers(element)) underCutout.push({ ...seen(element, box), edge });
      }
    }
  };
  for (const bar of bars) look(texts(bar.element), true);
  const inBar = (element) => bars.some((bar) => bar.element.contains(element));
  const flow = texts(document.body).filter(({ element }) => !inBar(element));
  look(flow.slice(0, 60), false);
  const cover = (edge, list) => {
    for (const bar of bars.filter((one) => one.edge === edge)) {
      const box = bar.element.getBoundingClientRect();
      for (const { element, box: own } of list) {
        const covered = edge === 'top' ? own.top >= -1 && own.bottom <= box.bottom : own.top >= box.top && own.bottom <= height + 1;
        if (covered && underBar.length < most && getComputedStyle(element).position !== 'fixed') underBar.push({ ...seen(element, own), bar: name(bar.element) });
      }
    }
  };
  cover('top', flow);
  // Engines differ in what innerText takes for text: this counts what is drawn.
  const letters = () => {
    const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    let sum = 0;
    for (let text = walker.nextNode(); text; text = walker.nextNode()) {
      const owner = text.parentElement;
      if (!owner || owner.closest('select, textarea, script, style, noscript, template')) continue;
      if (owner.getClientRects().length > 0) sum += text.data.replace(/\\s+/g, ' ').trim().length;
    }
    return sum;
  };
  const scrollWidth = Math.max(document.documentElement.scrollWidth, document.body.scrollWidth);
  // The cause is the innermost element without which the page would be narrower.
  const measureWidth = () => Math.max(document.documentElement.scrollWidth, document.body.scrollWidth);
  const causes = scrollWidth <= width + 1 ? [] : wide.slice(-60).map(({ node, box }, order) => {
    const before = node.style.display;
    node.style.setProperty('display', 'none', 'important');
    const narrower = scrollWidth - measureWidth();
    node.style.display = before;
    return { node, box, narrower, order };
  }).sort((a, b) => b.narrower - a.narrower || b.order - a.order).slice(0, 3).map(({ node, box }) => seen(node, box));
  window.scrollTo(0, document.documentElement.scrollHeight);
  const after = texts(document.body).filter(({ element }) => !inBar(element)).slice(-40);
  cover('bottom', after);
  window.scrollTo(0, 0);
  return { textLength: letters(), scrollWidth: getComputedStyle(document.body).overflowX === 'hidden' || getComputedStyle(document.documentElement).overflowX === 'hidden' ? Math.min(scrollWidth, width) : scrollWidth, wide: causes, small, underCutout, underBar };
}`;

/** Letters of a document that are taken at most. */
const MAX_DOCUMENT = 4_000_000;

/**
 * Runs inside the page: its document as scripts have drawn it, with the rules that they put into style sheets, and the
 * addresses of its links.
 */
export const RENDERED = `() => {
  const copy = document.documentElement.cloneNode(true);
  const text = (sheet) => { try { return [...sheet.cssRules].map((rule) => rule.cssText).join('\\n'); } catch { return ''; } };
  const own = [...document.querySelectorAll('style')];
  [...copy.querySelectorAll('style')].forEach((style, index) => {
    const sheet = own[index] && own[index].sheet;
    if (sheet && style.textContent.trim() === '' && sheet.cssRules.length > 0) style.textContent = text(sheet);
  });
  for (const sheet of document.adoptedStyleSheets || []) {
    const style = document.createElement('style');
    style.textContent = text(sheet);
    const head = copy.querySelector('head');
    if (head) head.append(style);
  }
  for (const script of copy.querySelectorAll('script:not([src])')) script.textContent = '';
  return {
    html: '<!doctype html>' + copy.outerHTML.slice(0, ${MAX_DOCUMENT}),
    links: [...document.querySelectorAll('a[href]')].map((one) => one.href).filter((href) => typeof href === 'string').slice(0, 1000),
  };
}`;

/** Runs before the page's own scripts: notes which capabilities are asked for. */
export const NOTE_CAPABILITIES = `(() => {
  const note = (name) => { try { window.__hullAsked(name); } catch {} };
  const wrap = (owner, method, name) => {
    if (!owner || typeof owner[method] !== 'function') return;
    const real = owner[method];
    owner[method] = function (...args) {
      note(typeof name === 'function' ? name(...args) : name);
      return real.apply(this, args);
    };
  };
  const of = (name) => window[name] && window[name].prototype;
  wrap(of('Geolocation'), 'getCurrentPosition', 'geolocation');
  wrap(of('Geolocation'), 'watchPosition', 'geolocation');
  wrap(of('MediaDevices'), 'getUserMedia', (asked) => [asked && asked.video ? 'camera' : '', asked && asked.audio ? 'microphone' : ''].filter(Boolean).join(' '));
  wrap(of('MediaDevices'), 'getDisplayMedia', 'display-capture');
  wrap(window.Notification, 'requestPermission', 'notifications');
  wrap(of('PushManager'), 'subscribe', 'push');
  wrap(of('Clipboard'), 'read', 'clipboard-read');
  wrap(of('Clipboard'), 'readText', 'clipboard-read');
  wrap(of('Bluetooth'), 'requestDevice', 'bluetooth');
  wrap(of('Navigator'), 'requestMIDIAccess', 'midi');
  wrap(of('ContactsManager'), 'select', 'contacts');
  const listen = window.addEventListener;
  window.addEventListener = function (type, ...rest) {
    if (type === 'devicemotion') note('accelerometer');
    if (type === 'deviceorientation' || type === 'deviceorientationabsolute') note('gyroscope');
    return listen.call(this, type, ...rest);
  };
})();`;

/** Runs inside a page that came instead of the one asked for: whether it is the app's own. */
export const DESCRIBE = `() => ({
  title: document.title,
  own: [...document.querySelectorAll('link[rel~=manifest], link[rel~=stylesheet], script[src], a[href]')].some((one) => {
    try { return new URL(one.href || one.src).origin === location.origin; } catch { return false; }
  }),
})`;
