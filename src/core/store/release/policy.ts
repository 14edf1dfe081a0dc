import { task, withTasks } from '../../errors.js';
import type { Finding } from '../../finding.js';
import type { StoreName } from '../../listing/languages.js';
import type { Project } from '../../project/project.js';
import { CATALOG_FILE, hasCatalog } from '../catalog/read.js';
import type { ByHandFacts } from './by-hand.js';

/** Fees of developer accounts, as the stores' registration pages give them. */
const FEES: Readonly<Record<StoreName, string>> = {
  android: 'The developer account costs 25 US dollars, once.',
  apple: 'The developer program costs 99 US dollars a year; when it ends, apps disappear from the store.',
};
/** Personal accounts made from this day on have to test before they release (Android console help, "App testing requirements"). */
const TESTED_SINCE = '2023-11-13';
const TESTERS = 12;
const TEST_DAYS = 14;

/** What is missing before an app with a catalog can sell for real. */
function sellingFindings(project: Project, store: StoreName): Finding[] {
  if (!hasCatalog(project)) return [];
  const file = project.resolve(CATALOG_FILE);
  const add = (
    name: string,
    severity: Finding['severity'],
    parts: Pick<Finding, 'observed' | 'impact' | 'fix'>,
  ) => [{ code: `policy.${name}`, severity, location: { file }, ...parts }];
  const rule = 'Digital goods may be sold only through the store’s own payment.';
  if (store === 'apple') {
    return add('no-shop', 'warning', {
      observed:
        'The app has a catalog, and its pages cannot sell on Apple’s devices: the shell has no payment there.',
      impact: `${rule} Pages that offer another way to pay are rejected.`,
      fix: 'Let pages offer nothing there: openShop() of the module for pages gives undefined.',
    });
  }
  if (project.settings.android.engine !== 'browser') {
    return add('no-shop', 'warning', {
      observed: 'The app has a catalog, and its pages find no shop in the web view.',
      impact: 'Nobody can buy anything.',
      fix: 'Set android.engine to "browser": browsers hand purchases to the app.',
    });
  }
  if (project.settings.release.done.store_till !== undefined) return [];
  return add('shop-to-fill', 'warning', {
    observed:
      'The app has a catalog. Packages that are made here do not hold the store’s billing library, which is not ours to ship.',
    impact: 'In such a package nobody can buy anything; only a debuggable one can try it, with a stand-in.',
    fix: withTasks`To sell for real, make a source project with ${task('packSourceProject')}, fill in StoreTill.java with the store’s billing library, build it there, and send that bundle. Note the day: "store_till" in release.done.`,
  });
}

/** What stores ask of an app that shows web pages, and of the account that publishes it. */
export function policyFindings(project: Project, store: StoreName, facts: ByHandFacts): Finding[] {
  const findings: Finding[] = [];
  const { release, web, permissions, links, shortcuts, share_target: share } = project.settings;
  const add = (
    name: string,
    severity: Finding['severity'],
    pointer: string,
    parts: Pick<Finding, 'observed' | 'impact' | 'fix'>,
  ) => findings.push({ code: `policy.${name}`, severity, location: project.location(pointer), ...parts });

  if (release.privacy === undefined) {
    add('privacy', 'error', '/release', {
      observed: 'hull.json names no privacy page.',
      impact: 'Stores publish no app without the address of one.',
      fix: 'Add it: "release": { "privacy": "https://…" }',
    });
  }
  if (store === 'android' && release.contact.email === undefined) {
    add('contact', 'error', '/release', {
      observed: 'hull.json names no email address for users.',
      impact: 'The store publishes no app without one, and shows it in the listing.',
      fix: 'Add it: "release": { "contact": { "email": "…" } }',
    });
  }
  if (facts.hasSignIn && release.accounts === undefined) {
    add('account-deletion', 'error', '/release', {
      observed: 'Pages have a sign-in, and hull.json names no page where accounts are deleted.',
      impact: 'Stores want users to be able to delete their account in the app and on the web.',
      fix: 'Make such a page, and name it: "release": { "accounts": { "deletion": "https://…" } }. If nobody can make an account, say so in the review notes and name the page that explains it.',
    });
  }
  if (release.content === 'users') {
    add('moderation', 'warning', '/release/content', {
      observed: 'Users publish to each other.',
      impact:
        'Stores ask for rules that users accept, a way to report and to block, and somebody who acts on it.',
      fix: 'Check that pages offer all of these, and name them in the review notes.',
    });
  }
  findings.push(...sellingFindings(project, store));
  const own = [
    web.folder !== undefined && 'packed pages',
    Object.keys(permissions).length > 0 && 'permissions',
    links.length > 0 && 'links',
    shortcuts.length > 0 && 'shortcuts',
    share !== undefined && 'sharing',
  ].filter((one) => one !== false);
  if (own.length < 2) {
    add('minimum-functionality', 'warning', '/web', {
      observed: `Beyond showing a website, the app has ${own.length === 0 ? 'nothing' : `only ${own[0]}`} of a device.`,
      impact: 'Stores reject apps that are no more than a website ("minimum functionality").',
      fix: withTasks`Pack the pages so that they work offline, let links open in the app, add shortcuts or notifications. ${task('surveyProject')} names what the web app has already.`,
    });
  }
  if (release.account === undefined) {
    add('account-kind', 'suggestion', '/release', {
      observed: 'hull.json does not say what kind of developer account publishes the app.',
      impact:
        'Personal accounts have to test before they release, and cannot publish some kinds of apps, as for banking or health.',
      fix: 'Add "account": "personal" or "organization" to release, and "account_since" with its day.',
    });
  }
  const isNew = release.account_since === undefined || release.account_since >= TESTED_SINCE;
  if (
    store === 'android' &&
    release.account === 'personal' &&
    isNew &&
    release.done.closed_test === undefined
  ) {
    add('closed-test', 'error', '/release/account', {
      observed: 'A personal account of today has to test with users first.',
      impact: `Production is closed until at least ${TESTERS} testers have been in a closed test for ${TEST_DAYS} days in a row.`,
      fix: withTasks`Send to a closed track with ${task('sendRelease', 'alpha')}, invite ${String(TESTERS)} testers, and apply for production in the console after ${String(TEST_DAYS)} days. Then note the day: "closed_test" in release.done.`,
    });
  }
  if (release.done[`${store}_account`] === undefined) {
    add('account-fee', 'suggestion', '/release', {
      observed: FEES[store],
      impact: 'It takes some days until an account is verified, with an identity document.',
      fix: `Where the account is there already, note it: "${store}_account" in release.done.`,
    });
  }
  return findings;
}
