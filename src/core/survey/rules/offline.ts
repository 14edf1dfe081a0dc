import { locationIn, type Site, type SiteWorker } from '../../site/site.js';
import type { FailureAnswer } from '../browser-facts.js';
import { type Rule, rule } from '../rule.js';
import { unlessApple, unlessPacked } from '../target.js';

const WORKERS = 'W3C Service Workers';

/** The worker that answers for the start page, or the nearest to it. */
function mainWorker(site: Site): SiteWorker | undefined {
  return site.workers.find((worker) => worker.scope && covers(worker.scope, site)) ?? site.workers[0];
}

function covers(scope: URL, site: Site): boolean {
  const start = site.startPage ? new URL(site.startPage.url) : site.start;
  return start.href.startsWith(scope.href);
}

const startLocation = ({ kind, startPage, name }: Site) =>
  startPage ? locationIn(kind, startPage.name, startPage.facts.headPosition) : locationIn(kind, name);

const REGISTER = "if ('serviceWorker' in navigator) navigator.serviceWorker.register('/sw.js');";
const ANSWER_FROM_CACHE = `self.addEventListener('fetch', (event) => {
  if (event.request.mode !== 'navigate') return;
  event.respondWith(fetch(event.request).catch(() => caches.match(event.request, { ignoreSearch: true })));
});`;
const ANSWER_FAILURE = `.then((response) => response.status < 500 ? response : caches.match(request).then((kept) => kept ?? response))`;

const whatCame = (answer: FailureAnswer) =>
  answer.error ??
  `${answer.status === undefined ? 'an answer' : `status ${answer.status}`}${answer.title ? `, “${answer.title}”` : ''}`;

/** Whether a page that a host sent for a missing address is the app's own: it links to files of the app. */
function isOwnPage(site: Site, text: string): boolean {
  const own = new Set<string>();
  for (const { facts } of site.pages.slice(0, 5)) {
    for (const { kind, text: reference } of facts.references) {
      if (kind === 'style' || kind === 'script' || kind === 'module' || kind === 'manifest')
        own.add(reference);
    }
  }
  const { title } = site.startPage?.facts.head ?? {};
  const [name] = title?.split(/[:|·–—-]/) ?? [];
  return (
    [...own].some((reference) => text.includes(reference)) ||
    (name !== undefined && name.trim().length > 3 && text.includes(name.trim()))
  );
}

export const OFFLINE_RULES: readonly Rule[] = [
  rule({
    id: 'offline.update',
    title: 'An update shows only at the second start',
    severity: 'suggestion',
    needs: ['worker'],
    unless: unlessPacked,
    source: `${WORKERS}, "Update" algorithm; the controllerchange event`,
    why: 'A worker that answers with the page that it keeps shows the old version until its successor has taken over: users start an update, and see what they saw before. A page can load itself again once the new worker controls it. Packed apps show new pages at once, since the app’s shell removes the registrations of earlier versions.',
    *check({ site }) {
      const worker = mainWorker(site);
      const units = worker?.script ? [worker.script, ...worker.imported] : [];
      const keeper = units.find(({ facts }) => facts.navigationFallback !== undefined);
      if (!worker || !keeper || site.scripts.some(({ facts }) => facts.words.has('controllerchange'))) return;
      yield {
        location: worker.location,
        observed: `${keeper.name} answers every navigation with the ${keeper.facts.navigationFallback} that it keeps, and no script listens for controllerchange`,
        impact: 'After an update users see the old version once more.',
        fix: "navigator.serviceWorker.addEventListener('controllerchange', () => location.reload());",
      };
    },
  }),
  rule({
    id: 'offline.apple-worker',
    title: 'The service worker does not run on Apple’s devices',
    severity: 'warning',
    platforms: ['apple'],
    needs: ['project', 'worker'],
    unless: (target) => unlessApple(target) ?? unlessPacked(target),
    source: 'WebKit, "App-Bound Domains"',
    why: 'In apps, the engine of Apple’s devices runs service workers only for domains that the app is bound to, and shows pages of these domains alone then. Without that the pages come from the host each time, and are missing without a network.',
    *check({ site, project }) {
      const { hostname } = site.base;
      const domains = project?.settings.apple.app_bound_domains ?? [];
      if (!project || domains.some((one) => hostname === one || hostname.endsWith(`.${one}`))) return;
      yield {
        location: project.location('/apple'),
        observed: `apple.app_bound_domains does not name ${hostname}`,
        impact: 'The worker is not installed there: without a network the app shows the shell’s own page.',
        fix: `"app_bound_domains": ["${hostname}"], beside the domains of every other page that the app shows; or leave it, where pages without a network are not wanted there.`,
      };
    },
  }),
  rule({
    id: 'offline.worker',
    title: 'No service worker is registered',
    severity: 'warning',
    needs: ['start-page'],
    unless: unlessPacked,
    source: WORKERS,
    why: 'Without a network a page from a host is an error page. A service worker keeps the pages on the device and answers with them. Pages that are packed into the app open without one.',
    *check(context) {
      const { site } = context;
      if (site.workers.length > 0 || context.browser?.workerControls) return;
      yield {
        location: startLocation(site),
        observed: 'no script registers a service worker',
        impact: 'Without a network users see an error instead of the app.',
        fix: `Register a worker that keeps the start page:\n${REGISTER}`,
      };
    },
  }),
  rule({
    id: 'offline.worker-script',
    title: 'The service worker’s script is missing or unreadable',
    severity: 'error',
    source: `${WORKERS}, "Update" algorithm`,
    why: 'A registration whose script is missing, broken or sent as a page of HTML fails silently: the app works in the office and nowhere else.',
    *check({ site, target }) {
      for (const { location, url, script } of site.workers) {
        if (url === undefined || url.origin !== site.base.origin) continue;
        const { fault } = script?.facts ?? {};
        if (script && !fault) continue;
        yield {
          location,
          observed: fault
            ? `${script?.name}:${fault.line}:${fault.column} ${fault.message}`
            : `${url.pathname}: nothing that could be read is there`,
          // Packed pages open without it.
          ...(target.packed ? { severity: 'warning' as const } : {}),
          impact: target.packed
            ? 'The worker is never installed: what it does besides keeping pages is not done.'
            : 'The worker is never installed: without a network users see an error.',
          fix: fault
            ? 'Fix the script there.'
            : `Put the worker’s script at ${url.pathname}, sent as text/javascript.`,
        };
      }
    },
  }),
  rule({
    id: 'offline.scope',
    title: 'The start page is outside the worker’s scope',
    severity: 'warning',
    needs: ['start-page'],
    unless: unlessPacked,
    source: `${WORKERS}, "scope"`,
    why: 'A worker answers only for pages below its own folder, or below the scope that its registration names. One in /js/ never sees the start page.',
    *check({ site }) {
      const known = site.workers.filter(({ scope, script }) => scope !== undefined && script !== undefined);
      if (known.length === 0 || known.some(({ scope }) => scope && covers(scope, site))) return;
      const [worker] = known;
      if (!worker) return;
      yield {
        location: worker.location,
        observed: `the worker answers below ${worker.scope?.pathname}; the app starts at ${site.start.pathname}`,
        impact: 'Without a network the start page is an error.',
        fix: `Put the worker’s script at ${site.base.pathname}sw.js, and register that.`,
      };
    },
  }),
  rule({
    id: 'offline.fetch',
    title: 'The worker answers no requests from a cache',
    severity: 'warning',
    needs: ['worker'],
    unless: unlessPacked,
    source: `${WORKERS}, "fetch event", "Cache"`,
    why: 'A worker that does not listen for fetch, or never looks into a cache, changes nothing about a missing network.',
    *check({ site }) {
      const worker = mainWorker(site);
      const script = worker?.script;
      if (!worker || !script || script.facts.fault) return;
      const units = [script, ...worker.imported];
      // Scripts of other origins may do it; they were not read.
      const unread = script.facts.hiddenImports || script.facts.imports.length > worker.imported.length;
      const listens = units.some(({ facts }) => facts.listens.has('fetch'));
      if ((listens && units.some(({ facts }) => facts.readsCache)) || unread) return;
      yield {
        location: locationIn(site.kind, script.name, { line: 1, column: 1 }),
        observed: listens ? 'it never looks into a cache' : 'it does not listen for fetch',
        impact: 'Without a network users see an error although there is a worker.',
        fix: ANSWER_FROM_CACHE,
      };
    },
  }),
  rule({
    id: 'offline.start-page',
    title: 'The start page does not open offline',
    severity: 'warning',
    needs: ['browser', 'start-page'],
    unless: unlessPacked,
    source: `${WORKERS}; proven with the network cut`,
    why: 'Whether a worker really answers is seen only by cutting the network: it may keep another address than the one that the app starts with, or fail to install because one file of its list is missing.',
    *check(context) {
      const { site, browser } = context;
      if (!browser || (browser.offline.answered && browser.offline.own)) return;
      // Where there is no worker, or none in control, another rule has said so.
      if (!browser.workerControls) return;
      yield {
        location: mainWorker(site)?.location ?? startLocation(site),
        observed: `${site.start.pathname}${site.start.search} without a network: ${whatCame(browser.offline)}`,
        impact: 'Without a network users see an error instead of the app.',
        fix: `Keep the start page as the worker is installed, and answer with it whatever the query:\nawait cache.add('${site.base.pathname}'); … caches.match(request, { ignoreSearch: true })`,
      };
    },
  }),
  rule({
    id: 'offline.control',
    title: 'The worker does not take control of the page',
    severity: 'warning',
    needs: ['browser', 'worker'],
    unless: unlessPacked,
    source: `${WORKERS}, "controller"`,
    why: 'A worker whose installation fails is never in control; the only sign is a message that no user sees.',
    *check({ site, browser }) {
      if (!browser || browser.workerControls) return;
      yield {
        location: mainWorker(site)?.location ?? startLocation(site),
        observed: 'no worker controls the start page after it was loaded twice',
        impact: 'Nothing is kept on the device, and nothing opens without a network.',
        fix: 'Look at the console for why its installation fails; every file of its list has to be there.',
      };
    },
  }),
  rule({
    id: 'offline.not-found',
    title: 'No page of the app’s own for missing addresses',
    severity: 'warning',
    source: 'RFC 9110, section 15.5.5; trusted presentation treats an unhandled 404 as the app’s own failure',
    why: 'Old links live long. Inside an app there is no address bar to get away from a server’s bare error page, and a browser engine may close the app over it.',
    *check(context) {
      const { site, browser } = context;
      const impact = 'An old link ends in a bare error page with no way back into the app.';
      if (site.kind === 'folder') {
        const has = site.folder?.files.some(({ path }) => path === '404.html');
        const reached = site.pages.filter((page) => context.derived.isReached(page)).length;
        if (has || reached < 2 || site.folder?.answers.rules.fallback !== undefined) return;
        yield {
          location: { file: site.name },
          observed: 'no 404.html',
          impact,
          fix: 'Add 404.html with the app’s own header and a link to the start page.',
        };
        return;
      }
      const { notFound } = site.probes;
      if (!notFound || notFound.status < 400) return;
      if (isOwnPage(site, notFound.text) || browser?.notFound.own) return;
      yield {
        location: { url: notFound.url },
        observed: `status ${notFound.status}, “${notFound.text
          .replaceAll(/<[^>]*>|\s+/g, ' ')
          .replaceAll(/\s+/g, ' ')
          .trim()
          .slice(0, 60)}”`,
        impact,
        fix: 'Let the server answer with a page of the app’s own, with its header and a link to the start page.',
      };
    },
  }),
  rule({
    id: 'offline.soft-404',
    title: 'Missing addresses are answered as if they existed',
    severity: 'suggestion',
    needs: ['hosted'],
    source: 'RFC 9110, section 15.5.5',
    why: 'A host that answers every address with status 200 hides broken links from every tool, this one too, and workers keep error pages as if they were real ones.',
    *check({ site }) {
      const { notFound } = site.probes;
      if (!notFound || notFound.status >= 300 || notFound.redirects.length > 0) return;
      yield {
        location: { url: notFound.url },
        observed: `status ${notFound.status} for a page that cannot exist`,
        impact: 'Broken links go unseen, and error pages are kept for use without a network.',
        fix: 'Answer unknown addresses with status 404; an app that routes by itself can do so for those it does not know.',
      };
    },
  }),
  rule({
    id: 'offline.server-error',
    title: 'No page of the app’s own for a failing server',
    severity: 'warning',
    needs: ['browser', 'worker'],
    unless: unlessPacked,
    source:
      'RFC 9110, section 15.6; trusted presentation treats an unhandled 5xx at the start as the app’s own failure',
    why: 'A worker that passes on whatever the server says passes on its error page too, though the kept page would do.',
    *check(context) {
      const { site, browser } = context;
      if (!browser || browser.serverError.own || browser.workerControls !== true) return;
      yield {
        location: mainWorker(site)?.location ?? startLocation(site),
        observed: `the server answers 503, and users see ${whatCame(browser.serverError)}`,
        impact: 'Every failure of the server is an error page in the app.',
        fix: `In the worker, take the kept page instead:\nfetch(request)${ANSWER_FAILURE}`,
      };
    },
  }),
];
