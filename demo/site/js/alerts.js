import { keep, kept } from './app.js';

const defaults = { north: true, outer: false, lantern: false };
const chosen = kept('alerts', defaults);
for (const input of document.querySelectorAll('.switch input')) {
  input.checked = Boolean(chosen[input.name]);
  input.addEventListener('change', () => {
    chosen[input.name] = input.checked;
    keep('alerts', chosen);
  });
}
