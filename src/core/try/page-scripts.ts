import type { Arrival, SharedFile } from './share.js';

/** What is run in pages for what a device does to them. */

/** Has text drawn larger, as a web view does by the system's setting; `data-` keeps it from the page's own rules. */
export const textSizeScript = (percent: number) => `(() => {
  const id = '__hull-text-size';
  document.querySelector('style[data-' + id + ']')?.remove();
  if (${percent} === 100) return;
  const style = document.createElement('style');
  style.setAttribute('data-' + id, '');
  style.textContent = '*, *::before, *::after { -webkit-text-size-adjust: ${percent}% !important; text-size-adjust: ${percent}% !important; }';
  document.documentElement.append(style);
})()`;

/** A form that a page of the app's origin sends, as a shell sends what was shared. */
export const postForm = (
  { url, form, fields = [], fileField }: Arrival,
  file: SharedFile | undefined,
) => `(() => {
  const form = document.createElement('form');
  form.method = 'post';
  form.action = ${JSON.stringify(url)};
  ${form === undefined ? "form.enctype = 'multipart/form-data';" : ''}
  const add = (name, value) => {
    const field = Object.assign(document.createElement('input'), { type: 'hidden', name, value });
    form.append(field);
  };
  ${[...(form === undefined ? fields : new URLSearchParams(form))].map(([name, value]) => `add(${JSON.stringify(name)}, ${JSON.stringify(value)});`).join('\n  ')}
  ${
    file === undefined || fileField === undefined
      ? ''
      : `const bytes = Uint8Array.from(atob(${JSON.stringify(Buffer.from(file.bytes).toString('base64'))}), (one) => one.charCodeAt(0));
  const data = new DataTransfer();
  data.items.add(new File([bytes], ${JSON.stringify(file.name)}, { type: ${JSON.stringify(file.type)} }));
  const picker = Object.assign(document.createElement('input'), { type: 'file', name: ${JSON.stringify(fileField)} });
  picker.files = data.files;
  form.append(picker);`
  }
  document.documentElement.append(form);
  HTMLFormElement.prototype.submit.call(form);
})()`;
