import { clock, routes, sailings } from './data.js';
import { element, keep, kept } from './app.js';

const buttons = document.querySelector('.routes');
const list = document.querySelector('.list');
const time = document.querySelector('.time');
const where = document.querySelector('.next .route');
const until = document.querySelector('.next .in');

function show(route) {
  const now = new Date();
  const minute = now.getHours() * 60 + now.getMinutes();
  const all = sailings(route);
  const next = all.find((sailing) => sailing.at + sailing.late > minute) ?? all[0];
  const wait = next.at + next.late - minute;
  time.textContent = clock(next.at + next.late);
  where.textContent = `${route.from} → ${route.name} · ${route.pier}`;
  until.replaceChildren(
    wait > 0
      ? element('span', {}, 'Leaves in ', element('b', {}, wait >= 60 ? `${Math.floor(wait / 60)} h ${wait % 60} min` : `${wait} min`), ` with the ${next.boat}`)
      : element('span', {}, `First boat tomorrow, with the ${next.boat}`),
  );
  list.replaceChildren(
    ...all.map((sailing) => {
      const row = element(
        'li',
        sailing.at + sailing.late <= minute ? { class: 'gone' } : {},
        element('span', { class: 'hour' }, clock(sailing.at)),
        element('span', { class: 'what' }, element('span', {}, `${sailing.boat}`), element('br'),
          element('span', { class: 'soft small' }, `arrives ${clock(sailing.at + sailing.late + route.minutes)}`)),
        element('span', { class: sailing.late ? 'tag late' : 'tag' }, sailing.late ? `${sailing.late} min late` : 'on time'),
      );
      if (sailing === next) row.dataset.next = '';
      return row;
    }),
  );
  for (const button of buttons.children) button.setAttribute('aria-pressed', String(button.dataset.route === route.id));
}

const choose = (id) => {
  const route = routes.find((item) => item.id === id) ?? routes[0];
  keep('route', route.id);
  show(route);
};

for (const route of routes) {
  const button = element('button', { type: 'button', 'data-route': route.id }, route.name);
  button.addEventListener('click', () => choose(route.id));
  buttons.append(button);
}
choose(kept('route', 'north'));
setInterval(() => choose(kept('route', 'north')), 30_000);
