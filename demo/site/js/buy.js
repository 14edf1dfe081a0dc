import { element } from './app.js';
import { openShop } from './shop.js';

const section = document.querySelector('.shop');
const offers = document.querySelector('.offers');
const sold = document.querySelector('.sold');

const WORDS = {
  granted: 'Yours. Show it at the gate.',
  pending: 'The payment is on its way; the ticket comes with it.',
  cancelled: 'Nothing was bought.',
};
const PERIODS = { P1W: 'a week', P1M: 'a month', P1Y: 'a year' };

/** A price with what follows from it: how often, and what it is at the beginning. */
function priceOf({ price, period, trial, introduction }) {
  const every = period ? ` ${PERIODS[period] ?? `every ${period}`}` : '';
  const first = [trial && 'free at first', introduction && `${introduction} at the beginning`].filter(Boolean);
  return `${price}${every}${first.length > 0 ? `, ${first.join(', ')}` : ''}`;
}

/** What is for sale in the store that the app came from. In a browser nothing is: the pier office sells tickets there. */
async function show() {
  const shop = await openShop({ verify: '/api/purchases' });
  const items = shop ? await shop.items(['day_ticket', 'season_pass']) : [];
  if (items.length === 0) return;
  const owned = new Set(await shop.restore());
  offers.replaceChildren(
    ...items.map((item) => {
      const mine = owned.has(item.id);
      const button = element('button', { class: 'button main', type: 'button', 'data-item': item.id }, mine ? 'Yours' : 'Buy');
      button.setAttribute('aria-label', `${mine ? 'Yours' : 'Buy'}: ${item.title}`);
      button.disabled = mine;
      button.addEventListener('click', async () => {
        button.disabled = true;
        const answer = await shop.buy(item.id);
        sold.textContent = WORDS[answer.is] ?? `That did not work: ${answer.why}`;
        button.disabled = answer.is === 'granted';
      });
      return element('li', {},
        element('div', {},
          element('strong', {}, item.title),
          element('p', { class: 'soft small' }, item.description),
          element('p', { class: 'small' }, priceOf(item))),
        button);
    }),
  );
  section.hidden = false;
}

show().catch((error) => {
  section.hidden = false;
  sold.textContent = `The shop is closed: ${error.message}`;
});
