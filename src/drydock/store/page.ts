import { storeLanguages } from '../../core/listing/languages.js';
import { percent, TRACKS } from '../../core/store/release/tracks.js';
import { type Html, html, page, trusted } from '../../core/util/html.js';
import { formatBytes } from '../../core/util/sizes.js';
import type { Books } from './books.js';
import {
  type AppState,
  buildsKey,
  type Release,
  type Review,
  type StoredApp,
  type StoredProduct,
} from './model.js';
import { isOnSale, type Order, type OrderAction } from './orders.js';
import { itemDetails } from './shop.js';

/** The stand-in as a web page: what is on each track, what waits for review, what visitors see. */

/** Sends the forms with the run's token, and shows what has changed. */
const SCRIPT = `
const token = document.querySelector('meta[name=token]').content;
const main = document.querySelector('main');
const said = document.querySelector('#said');
const shown = async () => {
  const answer = await fetch(location.href, { headers: { accept: 'text/html' } });
  if (!answer.ok) return;
  const next = new DOMParser().parseFromString(await answer.text(), 'text/html');
  const fresh = next.querySelector('main');
  if (fresh.innerHTML === main.innerHTML || main.contains(document.activeElement) && document.activeElement.matches('input')) return;
  const focused = document.activeElement?.id;
  main.innerHTML = fresh.innerHTML;
  if (focused) document.getElementById(focused)?.focus();
  said.textContent = main.querySelector('.log li')?.textContent ?? '';
};
addEventListener('submit', async (event) => {
  event.preventDefault();
  const form = event.target;
  const answer = await fetch(form.getAttribute('action'), {
    method: 'POST',
    headers: { authorization: 'Bearer ' + token, 'content-type': 'application/json' },
    body: JSON.stringify(Object.fromEntries(new FormData(form, event.submitter))),
  });
  if (!answer.ok) said.textContent = 'Refused: ' + (await answer.text());
  document.activeElement?.blur?.();
  await shown();
});
setInterval(() => document.hidden || shown().catch(() => {}), 1500);
`;

/** A page of the stand-in. */
export function framed(title: string, token: string, body: Html): string {
  return page(
    title,
    ['served', 'store'],
    html`<a class="skip" href="#content">Skip to the content</a>
<meta name="token" content="${token}">
<p class="stand-in" role="note">A stand-in for a store, on this computer alone. Nothing here is published, and nobody pays.</p>
<main id="content">${body}</main>
<p id="said" class="visually-hidden" role="status" aria-live="polite"></p>
<script>${trusted(SCRIPT)}</script>`,
  );
}

const imageOf = (state: AppState, language: string, type: string): string | undefined => {
  const [image] = state.images[`${language}/${type}`] ?? [];
  return image && `/images/${image.sha256}`;
};

function nameOf({ id, state }: StoredApp): string {
  const language = state.details.defaultLanguage;
  return (language === undefined ? undefined : state.listings[language]?.title) ?? id;
}

/** The icon of an app; an empty place where it has none yet. */
function face({ state }: StoredApp): Html {
  const source = imageOf(state, state.details.defaultLanguage ?? '', 'icon');
  return source === undefined
    ? html`<span class="face" aria-hidden="true"></span>`
    : html`<img class="face" src="${source}" alt="">`;
}

const STATUS: Readonly<Record<Release['status'], string>> = {
  draft: 'draft',
  inProgress: 'rolling out',
  halted: 'halted',
  completed: 'for all',
};

function reviewWords(release: Release, review: Review | undefined, now: number): Html {
  if (release.status === 'draft') return html`<p class="state">not sent for review</p>`;
  switch (review?.state) {
    case 'not sent':
      return html`<p class="state">committed, not sent for review</p>`;
    case 'in review': {
      const left = review.due === null ? undefined : Math.max(0, Math.ceil((review.due - now) / 1000));
      return html`<p class="state">in review${left === undefined ? '' : `, about ${left} s left`}</p>`;
    }
    case 'rejected':
      return html`<p class="state bad">rejected: ${review.reason ?? ''}</p>`;
    default:
      return html`<p class="state good">published</p>`;
  }
}

function releaseCard(release: Release, state: AppState, review: Review | undefined, now: number): Html {
  const { status, userFraction, releaseNotes = [], name } = release;
  const kind = review?.state === 'rejected' ? 'rejected' : review?.state === 'in review' ? 'waiting' : status;
  const share = userFraction ?? 1;
  const words = `${percent(share)} of the users`;
  const builds = release.versionCodes.map((code) => {
    const artifact = state.artifacts.find(({ build }) => build === Number(code));
    return artifact ? `build ${code}, ${artifact.kind}, ${formatBytes(artifact.size)}` : `build ${code}`;
  });
  return html`<article class="release ${kind}"><b>${name ?? buildsKey(release)}</b> <span>${STATUS[status]}</span>
<p>${builds.join('; ')}</p>
${status === 'inProgress' || status === 'halted' ? html`<p><meter min="0" max="1" value="${share}" aria-label="${words}"></meter> ${words}</p>` : ''}
${reviewWords(release, review, now)}
${releaseNotes.length > 0 ? html`<p>Notes in ${releaseNotes.map(({ language }) => language).join(', ')}</p>` : ''}</article>`;
}

function lanes({ state }: StoredApp, reviews: readonly Review[], now: number): Html {
  const names = [...new Set([...TRACKS, ...Object.keys(state.tracks)])];
  return html`${names.map((track) => {
    const cards = (state.tracks[track] ?? []).map((release) =>
      releaseCard(
        release,
        state,
        reviews.find((one) => one.track === track && one.builds === buildsKey(release)),
        now,
      ),
    );
    const testers = state.testers[track] ?? [];
    return html`<section class="lane" aria-label="Track ${track}"><h3>${track}${testers.length > 0 ? html`<br><small>${testers.join(', ')}</small>` : ''}</h3>
<div>${cards.length > 0 ? cards : html`<span class="none">no release</span>`}</div></section>`;
  })}`;
}

/** What waits for review: of all apps, or of one. */
export function queue(books: Books, only?: string): Html {
  const waiting = books.waiting().filter(({ app }) => only === undefined || app === only);
  if (waiting.length === 0) return html`<p>Nothing waits for review.</p>`;
  const rows = waiting.map(({ app, track, builds, since }, index) => {
    const time = new Date(since).toISOString().slice(11, 19);
    const hidden = html`<input type="hidden" name="app" value="${app}"><input type="hidden" name="track" value="${track}"><input type="hidden" name="builds" value="${builds}">`;
    return html`<tr><td>${app}</td><td>${track}</td><td>${builds}</td><td>${time}</td><td>
<form action="/review">${hidden}<button class="go" id="approve-${index}" name="decision" value="approve">Approve</button></form>
<form action="/review">${hidden}<label>Reason <input name="reason" id="reason-${index}" required maxlength="200"></label><button id="reject-${index}" name="decision" value="reject">Reject</button></form></td></tr>`;
  });
  return html`<table><thead><tr><th scope="col">App</th><th scope="col">Track</th><th scope="col">Build</th><th scope="col">Since</th><th scope="col">Decision</th></tr></thead><tbody>${rows}</tbody></table>`;
}

/** What happened last. */
export function log(books: Books): Html {
  const events = books.events();
  if (events.length === 0) return html`<p>Nothing has happened yet.</p>`;
  return html`<ol class="log" tabindex="0" aria-label="What happened, newest first">${events.map(
    ({ at, text }) => html`<li><time>${new Date(at).toISOString().slice(11, 19)}</time>${text}</li>`,
  )}</ol>`;
}

/** The first page: apps, the review queue, what happened. @param others apps of the other store */
export function frontPage(books: Books, token: string, others: Html): string {
  const apps = books
    .apps()
    .map(
      (app) =>
        html`<div class="boat">${face(app)}<div><h2><a href="/app/${app.id}">${nameOf(app)}</a></h2><p><code>${app.id}</code>, Android store, ${app.owner}</p></div></div>`,
    );
  return framed(
    'Stand-in store',
    token,
    html`<h1>Stand-in store</h1>
<section aria-labelledby="apps"><h2 id="apps">Apps</h2>${apps.length > 0 ? apps : html`<p>There is no app of the Android store yet.</p>`}
${others}
<p><form action="/apps"><label>Create an app of the Android store: <input name="id" id="new-app" placeholder="example.saltmarsh.ferry" required pattern="[A-Za-z0-9_.]+"></label><button id="create">Create</button></form></p></section>
<section aria-labelledby="queue"><h2 id="queue">Review queue</h2>${queue(books)}</section>
<section aria-labelledby="events"><h2 id="events">What happened</h2>${log(books)}</section>`,
  );
}

const ACTION_WORDS: Readonly<Record<OrderAction, string>> = {
  complete: 'Complete',
  refund: 'Refund',
  renew: 'Renew',
  fail: 'Payment fails',
  expire: 'Expire',
  cancel: 'Cancel',
};

/** What can be done with an order, by hand. */
function actionsFor({ kind, state }: Order): readonly OrderAction[] {
  if (state === 'pending') return ['complete', 'cancel'];
  if (kind === 'one-time') return state === 'bought' ? ['refund'] : [];
  if (state === 'bought') return ['renew', 'fail', 'cancel', 'expire', 'refund'];
  return state === 'grace' ? ['renew', 'expire'] : [];
}

function orderTable(app: string, orders: readonly Order[]): Html {
  if (orders.length === 0) return html`<p>Nobody has bought anything yet.</p>`;
  const rows = [...orders].reverse().map((order) => {
    const { orderId, product, state, acknowledged, consumed, expires, token } = order;
    const until = expires === null ? '' : `until ${new Date(expires).toISOString().slice(0, 10)}`;
    const buttons = actionsFor(order).map(
      (action) =>
        html`<button name="action" value="${action}" id="${action}-${orderId}">${ACTION_WORDS[action]}</button>`,
    );
    return html`<tr><td><code>${orderId}</code></td><td>${product}</td><td>${state}</td><td>${consumed ? 'used up' : acknowledged ? 'acknowledged' : 'not acknowledged'}</td><td>${until}</td><td>
<form action="/orders"><input type="hidden" name="app" value="${app}"><input type="hidden" name="token" value="${token}">${buttons}</form></td></tr>`;
  });
  return html`<table><thead><tr><th scope="col">Order</th><th scope="col">Product</th><th scope="col">State</th><th scope="col">Server</th><th scope="col">Time</th><th scope="col">What happens</th></tr></thead><tbody>${rows}</tbody></table>
<p><form action="/clock"><label>Let <input name="days" id="days" type="number" min="1" max="400" value="4" size="4"> days go by</label><button id="clock">Pass time</button></form></p>`;
}

function productTable(products: readonly StoredProduct[]): Html {
  if (products.length === 0) return html`<p>The app sells nothing.</p>`;
  const rows = products.map((product) => {
    const { itemId, title, price, subscriptionPeriod } = itemDetails(product, '') as Record<
      string,
      string
    > & {
      price: { value: string; currency: string };
    };
    return html`<tr><td><code>${itemId}</code></td><td>${title}</td><td>${price.value} ${price.currency}${subscriptionPeriod === undefined ? '' : ` every ${subscriptionPeriod}`}</td><td>${isOnSale(product) ? 'on sale' : 'not on sale'}</td></tr>`;
  });
  return html`<table><thead><tr><th scope="col">Product</th><th scope="col">Title</th><th scope="col">Price</th><th scope="col">State</th></tr></thead><tbody>${rows}</tbody></table>`;
}

/** One app: its tracks, packages and languages. */
export function appPage(books: Books, app: StoredApp, token: string, now: number): string {
  const { state, id } = app;
  const artifacts = [...state.artifacts]
    .reverse()
    .map(
      ({ build, version, kind, size, targetSdk, certificate }) =>
        html`<tr><td>${build}</td><td>${version ?? ''}</td><td>${kind}</td><td>${formatBytes(size)}</td><td>${targetSdk}</td><td><code>${certificate}</code></td></tr>`,
    );
  const languages = Object.keys(state.listings).map(
    (language) =>
      html`<li><a href="/app/${id}/listing/${language}">${language}</a>${language === state.details.defaultLanguage ? ' (default)' : ''}</li>`,
  );
  const { contactEmail, contactWebsite, contactPhone } = state.details;
  return framed(
    `${nameOf(app)}: stand-in store`,
    token,
    html`<nav class="trail" aria-label="Trail"><a href="/">All apps</a></nav>
<div class="boat">${face(app)}<div><h1>${nameOf(app)}</h1><p><code>${id}</code></p></div></div>
<section aria-labelledby="tracks"><h2 id="tracks">Tracks</h2>${lanes(app, books.reviews(id), now)}</section>
<section aria-labelledby="queue"><h2 id="queue">Review queue</h2>${queue(books)}</section>
<div class="two"><section aria-labelledby="listing"><h2 id="listing">Listing</h2>
${languages.length > 0 ? html`<ul>${languages}</ul>` : html`<p>There is no listing yet.</p>`}
<p>${[contactEmail, contactWebsite, contactPhone].filter((one) => one !== undefined).join(', ') || 'No contact.'}</p></section>
<section aria-labelledby="events"><h2 id="events">What happened</h2>${log(books)}</section></div>
<section aria-labelledby="products"><h2 id="products">Products</h2>${productTable(books.products(id))}</section>
<section aria-labelledby="orders"><h2 id="orders">Orders</h2>${orderTable(id, books.orders(id))}</section>
<section aria-labelledby="packages"><h2 id="packages">Packages</h2>${
      artifacts.length > 0
        ? html`<table><thead><tr><th scope="col">Build</th><th scope="col">Version</th><th scope="col">Kind</th><th scope="col">Size</th><th scope="col">Target</th><th scope="col">Certificate, SHA-256</th></tr></thead><tbody>${artifacts}</tbody></table>`
        : html`<p>No package was uploaded yet.</p>`
    }</section>`,
  );
}

const SHOTS = ['phoneScreenshots', 'sevenInchScreenshots', 'tenInchScreenshots'];

/** The listing as a visitor sees it. */
export function listingPage(app: StoredApp, language: string, token: string): string | undefined {
  const { state, id } = app;
  const texts = state.listings[language];
  if (!texts || !storeLanguages('android').includes(language)) return undefined;
  const fallback = state.details.defaultLanguage ?? language;
  const image = (type: string) => imageOf(state, language, type) ?? imageOf(state, fallback, type);
  const shots = SHOTS.flatMap(
    (type) => state.images[`${language}/${type}`] ?? state.images[`${fallback}/${type}`] ?? [],
  );
  const banner = image('featureGraphic');
  const icon = image('icon');
  return framed(
    `${texts.title ?? id}: stand-in store`,
    token,
    html`<nav class="trail" aria-label="Trail"><a href="/">All apps</a><a href="/app/${id}">${nameOf(app)}</a></nav>
<article class="visit" lang="${language}">
${banner === undefined ? '' : html`<img class="banner" src="${banner}" alt="">`}
<div class="boat">${icon === undefined ? html`<span class="face" aria-hidden="true"></span>` : html`<img class="face" src="${icon}" alt="">`}<div><h1>${texts.title ?? ''}</h1><p>${texts.shortDescription ?? ''}</p></div></div>
${shots.length > 0 ? html`<div class="shots" tabindex="0" aria-label="Screenshots">${shots.map(({ sha256 }, index) => html`<img src="/images/${sha256}" alt="Screenshot ${index + 1}">`)}</div>` : ''}
<p class="long">${texts.fullDescription ?? ''}</p></article>`,
  );
}

/** What a tester sees who follows the link to a track. */
export function testerPage(app: StoredApp, token: string): string {
  const tracks = TRACKS.filter((track) => track !== 'production').filter((track) =>
    (app.state.tracks[track] ?? []).some(({ status }) => status !== 'draft'),
  );
  return framed(
    `Test ${nameOf(app)}: stand-in store`,
    token,
    html`<div class="boat">${face(app)}<div><h1>Test ${nameOf(app)}</h1><p><code>${app.id}</code></p></div></div>
${tracks.length > 0 ? html`<p>Testers can join: ${tracks.join(', ')}.</p>` : html`<p>There is nothing to test yet.</p>`}`,
  );
}
