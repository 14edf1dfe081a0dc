import { PHASES, percent } from '../../core/store/release/tracks.js';
import { type Html, html } from '../../core/util/html.js';
import { formatBytes } from '../../core/util/sizes.js';
import { idsOf, reviewedApp, type Shelf, textOf } from './apple-shelf.js';
import type { StoredResource } from './model.js';
import { framed, log, queue } from './page.js';

/** Apple's store as a web page: versions, groups of testers, builds, and what visitors see. */

const LANE_STATES: Readonly<Record<string, readonly [kind: string, words: string]>> = {
  PREPARE_FOR_SUBMISSION: ['draft', 'being prepared'],
  READY_FOR_REVIEW: ['draft', 'ready to be submitted'],
  WAITING_FOR_REVIEW: ['waiting', 'in review'],
  REJECTED: ['rejected', 'rejected'],
  READY_FOR_DISTRIBUTION: ['completed', 'published'],
  REPLACED_WITH_NEW_VERSION: ['', 'replaced by a newer one'],
  READY_FOR_BETA_SUBMISSION: ['draft', 'not sent for review'],
  WAITING_FOR_BETA_REVIEW: ['waiting', 'in review'],
  BETA_REJECTED: ['rejected', 'rejected'],
  BETA_APPROVED: ['', 'approved'],
  IN_BETA_TESTING: ['completed', 'testers have it'],
  READY_FOR_BETA_TESTING: ['', 'ready for testers'],
  PROCESSING: ['draft', 'being processed'],
};
const laneState = (state: string) => LANE_STATES[state] ?? ['', state];

const primaryLocale = (app: StoredResource) => textOf(app, 'primaryLocale');

/** Texts of the newest version in a language, those of the app among them. */
function textsOf(shelf: Shelf, app: StoredResource, locale: string): Readonly<Record<string, string>> {
  const [version] = shelf.versions(app.id);
  const info = shelf.all('appInfos', app.id).at(-1);
  const found = [
    ...(version ? shelf.below('appStoreVersionLocalizations', 'appStoreVersion', version.id) : []),
    ...(info ? shelf.below('appInfoLocalizations', 'appInfo', info.id) : []),
  ].filter((one) => textOf(one, 'locale') === locale);
  return Object.fromEntries(
    found.flatMap(({ attributes }) =>
      Object.entries(attributes).map(([name, value]) => [name, String(value ?? '')]),
    ),
  );
}

export function appleName(shelf: Shelf, app: StoredResource): string {
  const { name = '' } = textsOf(shelf, app, primaryLocale(app));
  return name === '' ? textOf(app, 'bundleId') : name;
}

/** Apps of Apple's store, for the front page. */
export function appleBoats(shelf: Shelf): Html {
  const apps = shelf
    .all('apps')
    .map(
      (app) =>
        html`<div class="boat"><span class="face" aria-hidden="true"></span><div><h2><a href="/apple/${textOf(app, 'bundleId')}">${appleName(shelf, app)}</a></h2><p><code>${textOf(app, 'bundleId')}</code>, Apple’s store</p></div></div>`,
    );
  return html`${apps}`;
}

function versionCard(shelf: Shelf, version: StoredResource): Html {
  const state = shelf.versionState(version);
  const [kind, words] = laneState(state);
  const phased = shelf.phaseOf(version);
  const { state: phase, day } = phased ? shelf.phase(phased) : { state: '', day: 0 };
  const share = PHASES[day - 1] ?? 1;
  const build = shelf.buildNumber(version);
  const reason = state === 'REJECTED' ? `: ${shelf.rejection(version) ?? ''}` : '';
  const tone = kind === 'rejected' ? 'bad' : kind === 'completed' ? 'good' : '';
  return html`<article class="release ${kind}"><b>${textOf(version, 'versionString')}${build === '' ? '' : ` (${build})`}</b> <span>${phased === undefined ? 'for all' : phase === 'PAUSED' ? 'phased, halted' : 'phased'}</span>
<p>${build === '' ? 'no build yet' : `build ${build}`}</p>
${phased !== undefined && phase !== 'INACTIVE' ? html`<p><meter min="0" max="1" value="${share}" aria-label="${percent(share)} of the users"></meter> ${percent(share)} of the users</p>` : ''}
<p class="state ${tone}">${words}${reason}</p></article>`;
}

function groupLane(shelf: Shelf, group: StoredResource): Html {
  const isInternal = group.attributes.isInternalGroup === true;
  const cards = [...idsOf(group, 'builds')].reverse().flatMap((id) => {
    const build = shelf.find(id);
    if (build === undefined) return [];
    const states = shelf.testingStates(build);
    const [kind, words] = laneState(isInternal ? states.internal : states.external);
    const tone = kind === 'rejected' ? 'bad' : kind === 'completed' ? 'good' : '';
    return [
      html`<article class="release ${kind}"><b>build ${textOf(build, 'version')}</b><p class="state ${tone}">${words}</p></article>`,
    ];
  });
  const testers = idsOf(group, 'testers').flatMap((id) => shelf.find(id) ?? []);
  const emails = testers.map((one) => textOf(one, 'email')).join(', ');
  const name = textOf(group, 'name');
  return html`<section class="lane" aria-label="Group ${name}"><h3>${name}<br><small>${isInternal ? 'people of the team' : emails || 'nobody yet'}</small></h3>
<div>${cards.length > 0 ? cards : html`<span class="none">no build</span>`}</div></section>`;
}

function uploadTable(shelf: Shelf, app: StoredResource): Html {
  const files = shelf.all('buildUploadFiles', app.id).reverse();
  if (files.length === 0) return html`<p>No package was uploaded yet.</p>`;
  const rows = files.map((file) => {
    const upload = shelf.find(String(file.related.buildUpload));
    const faults = Array.isArray(file.attributes.faults) ? file.attributes.faults.map(String) : [];
    const state = textOf(file, 'delivered');
    const words = state === 'COMPLETE' ? 'taken' : state === 'FAILED' ? faults.join(' ') : 'on its way';
    return html`<tr><td>${upload ? textOf(upload, 'cfBundleVersion') : ''}</td><td>${upload ? textOf(upload, 'cfBundleShortVersionString') : ''}</td><td>${formatBytes(Number(file.attributes.fileSize))}</td><td>${words}</td></tr>`;
  });
  return html`<table><thead><tr><th scope="col">Build</th><th scope="col">Version</th><th scope="col">Size</th><th scope="col">State</th></tr></thead><tbody>${rows}</tbody></table>`;
}

const localesOf = (shelf: Shelf, app: StoredResource): string[] => {
  const [version] = shelf.versions(app.id);
  return version === undefined
    ? []
    : shelf
        .below('appStoreVersionLocalizations', 'appStoreVersion', version.id)
        .map((one) => textOf(one, 'locale'));
};

/** One app: its versions, groups of testers, builds and languages. */
export function appleAppPage(shelf: Shelf, app: StoredResource, token: string): string {
  const id = textOf(app, 'bundleId');
  const name = appleName(shelf, app);
  const languages = localesOf(shelf, app).map(
    (locale) =>
      html`<li><a href="/apple/${id}/listing/${locale}">${locale}</a>${locale === primaryLocale(app) ? ' (main)' : ''}</li>`,
  );
  const versions = shelf.versions(app.id).map((one) => versionCard(shelf, one));
  return framed(
    `${name}: stand-in store`,
    token,
    html`<nav class="trail" aria-label="Trail"><a href="/">All apps</a></nav>
<div class="boat"><span class="face" aria-hidden="true"></span><div><h1>${name}</h1><p><code>${id}</code>, Apple’s store</p></div></div>
<section aria-labelledby="tracks"><h2 id="tracks">Versions and testers</h2>
<section class="lane" aria-label="Versions"><h3>production</h3><div>${versions}</div></section>
${shelf.all('betaGroups', app.id).map((group) => groupLane(shelf, group))}</section>
<section aria-labelledby="queue"><h2 id="queue">Review queue</h2>${queue(shelf.books, reviewedApp(id))}</section>
<div class="two"><section aria-labelledby="listing"><h2 id="listing">Listing</h2>
${languages.length > 0 ? html`<ul>${languages}</ul>` : html`<p>There is no listing yet.</p>`}</section>
<section aria-labelledby="events"><h2 id="events">What happened</h2>${log(shelf.books)}</section></div>
<section aria-labelledby="packages"><h2 id="packages">Uploads</h2>${uploadTable(shelf, app)}</section>`,
  );
}

/** Pictures of a language, in their order. */
function shotsOf(shelf: Shelf, app: StoredResource, locale: string): StoredResource[] {
  const [version] = shelf.versions(app.id);
  const texts = version ? shelf.below('appStoreVersionLocalizations', 'appStoreVersion', version.id) : [];
  return texts
    .filter((one) => textOf(one, 'locale') === locale)
    .flatMap((one) => shelf.below('appScreenshotSets', 'appStoreVersionLocalization', one.id))
    .flatMap((set) => shelf.below('appScreenshots', 'appScreenshotSet', set.id))
    .filter((shot) => textOf(shot, 'delivered') === 'COMPLETE');
}

/** Digests of all pictures that the page shows. */
export const appleImages = (shelf: Shelf): string[] =>
  shelf.all('appScreenshots').map((shot) => textOf(shot, 'sha256'));

/** The listing as a visitor sees it. */
export function appleListingPage(
  shelf: Shelf,
  app: StoredResource,
  locale: string,
  token: string,
): string | undefined {
  if (!localesOf(shelf, app).includes(locale)) return undefined;
  const { name = '', subtitle = '', promotionalText = '', description = '' } = textsOf(shelf, app, locale);
  const own = shotsOf(shelf, app, locale);
  const shots = own.length > 0 ? own : shotsOf(shelf, app, primaryLocale(app));
  const id = textOf(app, 'bundleId');
  return framed(
    `${name || id}: stand-in store`,
    token,
    html`<nav class="trail" aria-label="Trail"><a href="/">All apps</a><a href="/apple/${id}">${appleName(shelf, app)}</a></nav>
<article class="visit" lang="${locale}">
<div class="boat"><span class="face" aria-hidden="true"></span><div><h1>${name}</h1><p>${subtitle}</p></div></div>
${shots.length > 0 ? html`<div class="shots" tabindex="0" aria-label="Screenshots">${shots.map((shot, index) => html`<img src="/images/${textOf(shot, 'sha256')}" alt="Screenshot ${index + 1}">`)}</div>` : ''}
${promotionalText === '' ? '' : html`<p>${promotionalText}</p>`}
<p class="long">${description}</p></article>`,
  );
}
