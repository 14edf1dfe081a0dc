import { element, keep, kept } from './app.js';

const wallet = document.querySelector('.wallet');
const form = document.querySelector('form');
const scan = document.querySelector('.scan');
const video = document.querySelector('video');
const said = document.querySelector('.said');

/** A square of dots drawn from the code: for the eye; the gate reads the letters. */
function dots(code) {
  const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
  svg.setAttribute('viewBox', '0 0 11 11');
  svg.setAttribute('class', 'code');
  svg.setAttribute('role', 'img');
  svg.setAttribute('aria-label', `Code ${code}`);
  let state = 7;
  for (const letter of code) state = (state * 131 + letter.codePointAt(0)) >>> 0;
  let path = '';
  for (let y = 0; y < 11; y += 1) {
    for (let x = 0; x < 11; x += 1) {
      state = (state * 1664525 + 1013904223) >>> 0;
      const frame = (x < 3 && y < 3) || (x > 7 && y < 3) || (x < 3 && y > 7);
      const hole = [1, 9].includes(x) && [1, 9].includes(y);
      if (frame ? !hole : state > 0x80000000) path += `M${x} ${y}h1v1h-1z`;
    }
  }
  const shape = document.createElementNS('http://www.w3.org/2000/svg', 'path');
  shape.setAttribute('d', path);
  shape.setAttribute('fill', '#16262d');
  svg.append(shape);
  return svg;
}

function show() {
  const tickets = kept('tickets', []);
  if (tickets.length === 0) {
    wallet.replaceChildren(
      element('section', { class: 'card empty' },
        element('strong', {}, 'No tickets yet'),
        element('p', { class: 'soft small' }, 'Scan the code on your booking, or type it in. Tickets stay on this phone and open without a network.')),
    );
    return;
  }
  wallet.replaceChildren(
    ...tickets.map(({ code, to }) =>
      element('article', { class: 'card ticket' },
        element('header', {}, element('strong', {}, `To ${to}`), element('span', { class: 'small' }, 'Day return')),
        element('div', { class: 'body' },
          element('dl', {},
            element('dt', {}, 'Code'), element('dd', {}, code),
            element('dt', {}, 'For'), element('dd', {}, 'One adult'),
            element('dt', {}, 'Valid'), element('dd', {}, 'Any sailing today')),
          dots(code)))),
  );
}

function add(text) {
  const code = text.trim().toUpperCase();
  if (!/^[A-Z0-9]{3}-?[A-Z0-9]{3}$/.test(code)) {
    said.textContent = 'A code has six letters or digits, as in SFY-204.';
    return;
  }
  const places = ['Heron Point', 'Long Skerry', 'Lantern Isle'];
  const tickets = kept('tickets', []).filter((ticket) => ticket.code !== code);
  keep('tickets', [{ code, to: places[code.codePointAt(0) % places.length] }, ...tickets]);
  said.textContent = `Ticket ${code} is in your wallet.`;
  form.reset();
  show();
}

form.addEventListener('submit', (event) => {
  event.preventDefault();
  add(new FormData(form).get('code'));
});

scan.addEventListener('click', async () => {
  let stream;
  try {
    stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: 'environment' } });
  } catch {
    said.textContent = 'The camera stays off; you can type the code instead.';
    return;
  }
  video.hidden = false;
  video.srcObject = stream;
  await video.play();
  const stop = () => {
    for (const track of stream.getTracks()) track.stop();
    video.hidden = true;
  };
  if (!('BarcodeDetector' in globalThis)) {
    said.textContent = 'This browser shows the camera but cannot read codes; please type it in.';
    setTimeout(stop, 4000);
    return;
  }
  const detector = new BarcodeDetector({ formats: ['qr_code', 'aztec'] });
  const until = Date.now() + 20_000;
  while (Date.now() < until && !video.hidden) {
    const [found] = await detector.detect(video);
    if (found) {
      add(found.rawValue);
      break;
    }
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  stop();
});

show();
