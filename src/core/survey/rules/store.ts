import { locationIn } from '../../site/site.js';
import { decodePath } from '../../util/url-path.js';
import { letters, ManifestView } from '../manifest-view.js';
import { type Rule, rule } from '../rule.js';
import { DRAWN_BY_SCRIPTS, isDrawnByScripts } from './pages.js';

const NAME = 30;
/** “Privacy” and “data protection” as sites name the page, by their beginnings. */
const PRIVACY =
  /privacy|privacid|confidentialit|datenschutz|protezione dei dati|informativa|privatlivs|personvern|integritet|tietosuoja|gdpr|dsgvo|persónuvernd|prywatno|soukromí|ochrana osobn|adatvédelm|gizlilik|конфиденциал|приватн|απορρήτου|プライバシー|隐私|隱私|개인정보|خصوصية|פרטיות|गोपनीयता|riservatezza|privacitat/i;
/** IDs that belong to documentation, or to the platforms. */
const REFUSED_IDS = /^(com|org|net)\.example(\.|$)|^(android|com\.android|java|javax)\./;

/** A page's path as people read it. */
function pathText(url: string): string {
  const { pathname } = new URL(url);
  return decodePath(pathname) ?? pathname;
}

/** Words of scripts that pay through a store (Digital Goods API; W3C payment method identifiers). */
const STORE_PAYMENT = [['getDigitalGoodsService'], ['play', 'google', 'billing']];

export const STORE_RULES: readonly Rule[] = [
  rule({
    id: 'store.name-length',
    title: 'The name is too long for a listing',
    severity: 'error',
    platforms: ['android', 'apple'],
    source: 'Stores’ listing limits: name of 30 characters',
    why: 'Both large stores take names of 30 characters at most, and refuse longer ones at the upload.',
    *check({ site, project }) {
      const view = site.manifest?.members ? new ManifestView(site) : undefined;
      const fromManifest = view?.text('name');
      const name = project?.settings.app.name ?? (fromManifest?.is === 'ok' ? fromManifest.value : undefined);
      if (name === undefined || letters(name) <= NAME) return;
      yield {
        location: project?.location('/app/name') ?? view?.location('/name') ?? { file: site.name },
        observed: `“${name}”, ${letters(name)} letters`,
        impact: 'The store refuses the listing.',
        fix: `Take ${NAME} letters at most: "${[...name].slice(0, NAME).join('').trim()}"`,
      };
    },
  }),
  rule({
    id: 'store.app-id',
    title: 'The app ID cannot be published',
    severity: 'error',
    needs: ['project'],
    platforms: ['android', 'apple'],
    source: 'Stores refuse application IDs of documentation and of the platform',
    why: 'IDs that begin with com.example, or with the platform’s own name, are refused at the first upload, and an ID can never be changed afterwards.',
    *check({ project }) {
      const id = project?.settings.app.id;
      if (!project || id === undefined || !REFUSED_IDS.test(id)) return;
      yield {
        location: project.location('/app/id'),
        observed: id,
        impact: 'The store refuses the first upload.',
        fix: 'Take a domain of your own in reverse.',
      };
    },
  }),
  rule({
    id: 'store.privacy',
    title: 'No privacy page',
    severity: 'warning',
    needs: ['start-page'],
    platforms: ['android', 'apple'],
    source: 'Stores’ policies: a privacy policy’s address in the listing and in the app',
    why: 'Both large stores ask for the address of a privacy policy, and for a link to it in the app, from every app that uses anything personal: location, camera, an account.',
    blind: ({ site }) => (isDrawnByScripts(site) ? DRAWN_BY_SCRIPTS : undefined),
    *check({ site }) {
      const { startPage } = site;
      const found = site.pages.some(
        ({ facts, url }) =>
          PRIVACY.test(pathText(url).replaceAll('-', ' ')) ||
          facts.linkTexts.some(
            ({ href, text }) => PRIVACY.test(href.replaceAll('-', ' ')) || PRIVACY.test(text),
          ),
      );
      // A page that its scripts draw links to nothing before they run.
      if (!startPage || found || isDrawnByScripts(site)) return;
      yield {
        location: locationIn(site.kind, startPage.name, startPage.facts.headPosition),
        observed: 'no link to a privacy page on any page',
        impact: 'The store refuses the app, or asks for it after the review.',
        fix: '<a href="/privacy.html">Privacy</a>',
      };
    },
  }),
  rule({
    id: 'store.payment',
    title: 'Payments bypass the store',
    severity: 'suggestion',
    platforms: ['android', 'apple'],
    source: 'Stores’ policies on payments: digital goods through the store’s own',
    why: 'Things that are used in the app itself (subscriptions, credits, levels) may have to be sold through the store’s own payment, depending on store and country. Tickets, goods and services outside the app need not.',
    *check({ site, derived }) {
      const impact = 'If digital goods are sold here, the store refuses the app.';
      const fix =
        'Sell digital goods through the store’s own payment, or leave them out of the app; for tickets and goods say so in the review notes, and ignore this rule with that reason.';
      // Scripts that name the store's own method pay through the store.
      const isOwn = site.scripts.some(({ facts }) =>
        STORE_PAYMENT.some((words) => words.every((word) => facts.words.has(word))),
      );
      for (const { names, location, text } of isOwn ? [] : derived.uses) {
        if (!names.includes('payment')) continue;
        yield { location, observed: text, impact, fix };
        return;
      }
      for (const page of site.pages) {
        const field = page.facts.fields.find(({ autocomplete }) => autocomplete.startsWith('cc-'));
        if (!field) continue;
        yield {
          location: locationIn(site.kind, page.name, { line: field.line, column: field.column }),
          observed: `a field for a card: autocomplete="${field.autocomplete}"`,
          impact,
          fix,
        };
        return;
      }
    },
  }),
];
