import { kilometres, piers } from './data.js';
import { element, keep, kept } from './app.js';

const chart = document.querySelector('.chart .piers');
const list = document.querySelector('.list');
const button = document.querySelector('.find');
const said = document.querySelector('.said');
const svg = (name, attributes) => {
  const node = document.createElementNS('http://www.w3.org/2000/svg', name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  return node;
};

function show(here) {
  const rows = piers
    .map((pier) => ({ ...pier, away: here ? kilometres(here, pier) : undefined }))
    .sort((a, b) => (a.away ?? 0) - (b.away ?? 0));
  list.replaceChildren(
    ...rows.map((pier, index) =>
      element('li', {},
        element('span', { class: 'what' }, pier.name),
        pier.away === undefined
          ? ''
          : element('span', { class: index === 0 ? 'tag' : 'soft small' }, `${pier.away < 10 ? pier.away.toFixed(1) : Math.round(pier.away)} km`)),
    ),
  );
  chart.replaceChildren(
    ...piers.flatMap((pier) => {
      const nearest = here && pier.id === rows[0].id;
      const label = svg('text', { x: pier.x, y: pier.y - 20, 'text-anchor': 'middle', 'font-size': 20, fill: 'currentColor', 'font-weight': nearest ? 700 : 500 });
      label.textContent = pier.name;
      return [
        svg('circle', { cx: pier.x, cy: pier.y, r: nearest ? 11 : 7, fill: nearest ? '#e4572e' : '#0b4f6c', stroke: '#fff', 'stroke-width': 3 }),
        label,
      ];
    }),
  );
}

button.addEventListener('click', () => {
  if (!('geolocation' in navigator)) {
    said.textContent = 'This device cannot tell where it is. All piers are listed below.';
    return;
  }
  button.disabled = true;
  said.textContent = 'Looking for you…';
  navigator.geolocation.getCurrentPosition(
    ({ coords }) => {
      const here = { lat: coords.latitude, lon: coords.longitude };
      keep('here', here);
      button.disabled = false;
      said.textContent = 'Sorted by distance from where you are.';
      show(here);
    },
    () => {
      button.disabled = false;
      said.textContent = 'Your location stays unknown; that is fine. All piers are listed below.';
    },
    { timeout: 10_000, maximumAge: 60_000 },
  );
});
show(kept('here', undefined));
