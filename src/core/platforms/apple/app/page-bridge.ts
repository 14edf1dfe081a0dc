import { oneLine } from '../../../packaging/page-script.js';

/**
 * Gives the page's half of the shell (packaging/page-script.ts) what it speaks to, by way of the engine's own message handler
 * (WKScriptMessageHandlerWithReply). Which frame speaks the engine itself says, so that no token is needed. HullPageServices
 * answers.
 */
export const BRIDGE_SCRIPT = oneLine(`(() => {
const { webkit } = window;
const handler = webkit && webkit.messageHandlers && webkit.messageHandlers.hull;
if (!handler || window !== top || window.hullServices) return;
const post = (what, details) => handler.postMessage({ what, details: details || {} });
let states = {};
const refresh = () => post('states').then((known) => { states = known || {}; }, () => undefined);
const begun = refresh();
const hidden = (name, value) => Object.defineProperty(window, name, { value });
hidden('hullServices', {
  state: (name) => states[name] || '',
  call(token, number, what, details) {
    post(what, JSON.parse(details)).then(
      (text) => window.hullKept.answer(number, text === null || text === undefined ? '' : String(text), ''),
      (error) => window.hullKept.answer(number, '', String(error && error.message || error) || 'NotAllowedError'));
  },
  take: (token, number, data) => post('take', { number, data }).then((taken) => !!taken, () => false),
});
hidden('hullNotices', {
  state: () => states.notifications || 'default',
  ask(token, number) {
    post('askNotices').then((state) => { states.notifications = state; window.hullNotes.answered(number, state); },
      () => window.hullNotes.answered(number, 'denied'));
  },
  show(token, details) { post('showNotice', JSON.parse(details)); },
  close(token, id) { post('closeNotice', { id: String(id) }); },
});
document.addEventListener('visibilitychange', () => { if (!document.hidden) refresh(); });
const open = () => begun.then(() => {
  if (window.hullKept) window.hullKept.open('page');
  if (window.hullNotes) window.hullNotes.open('page');
});
Promise.resolve().then(open);
})()`);
