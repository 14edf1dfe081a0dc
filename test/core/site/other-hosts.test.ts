import { readFileSync } from 'node:fs';
import type { RequestListener } from 'node:http';
import { describe, expect, it } from 'vitest';
import { crawlSite } from '../../../src/core/site/crawl.js';
import { Derived } from '../../../src/core/survey/derived.js';
import { findRule, surveySite } from '../../../src/core/survey/survey.js';
import { host, tlsHost } from '../../support/host.js';
import { THOROUGH } from '../../support/readers.js';
import { testCertificate } from '../../support/tls.js';

/** Hosts that lead elsewhere, answer under two names, in two languages, or with a very large page. */

const TEXT = '<p>The boats of the islands, and when they leave from each of the piers.</p>';
const page =
  (body: string, lang = 'en'): RequestListener =>
  (_request, response) =>
    response
      .writeHead(200, { 'content-type': 'text/html' })
      .end(
        `<!doctype html><html lang="${lang}"><head><title>Ferry</title></head><body>${TEXT}${body}</body></html>`,
      );
const to =
  (address: string): RequestListener =>
  (_request, response) =>
    response.writeHead(302, { location: address }).end();

/** Made-up names over TLS, each with its listener; gives how they are reached. */
async function hosts(listeners: Readonly<Record<string, RequestListener>>) {
  const certificate = await testCertificate(Object.keys(listeners));
  const port = await tlsHost(certificate, (request, response) => {
    const name = (request.headers.host ?? '').split(':')[0] ?? '';
    listeners[name]?.(request, response);
  });
  const resolve = new Map(Object.keys(listeners).map((name) => [`${name}:443`, `127.0.0.1:${port}`]));
  return { resolve, ca: readFileSync(certificate.ca, 'utf8') };
}

const found = (site: Awaited<ReturnType<typeof crawlSite>>, code: string) =>
  surveySite({ site, project: undefined, browser: undefined }).findings.filter((one) => one.code === code);

describe('a host that leads to another', () => {
  it('for its first page is not taken for the app', async () => {
    const options = await hosts({
      'ferry.saltmarsh.example': to('https://sign-in.harbour.example/?next=ferry'),
      'sign-in.harbour.example': page('<input type="password">'),
    });
    const site = await crawlSite(new URL('https://ferry.saltmarsh.example/'), options);
    expect(found(site, 'read.elsewhere')).toMatchObject([
      { severity: 'error', location: { url: 'https://ferry.saltmarsh.example/' } },
    ]);
  });

  it('for inner pages is said, once each host', async () => {
    const listener: RequestListener = (request, response) =>
      request.url === '/'
        ? page('<a href="/tickets">Tickets</a><a href="/account">Account</a>')(request, response)
        : to('https://sign-in.harbour.example/')(request, response);
    const options = await hosts({ 'ferry.saltmarsh.example': listener, 'sign-in.harbour.example': page('') });
    const site = await crawlSite(new URL('https://ferry.saltmarsh.example/'), options);
    expect(found(site, 'read.elsewhere')).toMatchObject([
      { severity: 'warning', observed: 'It leads to https://sign-in.harbour.example', more: 1 },
    ]);
  });

  it('of the same owner is the app', async () => {
    const options = await hosts({
      'saltmarsh.example': to('https://app.saltmarsh.example/'),
      'app.saltmarsh.example': page(''),
    });
    const site = await crawlSite(new URL('https://saltmarsh.example/'), options);
    expect(found(site, 'read.elsewhere')).toEqual([]);
  });
});

describe('a host of two names', () => {
  const twin = async (www: RequestListener) => {
    const options = await hosts({ 'saltmarsh.example': page(''), 'www.saltmarsh.example': www });
    return found(await crawlSite(new URL('https://saltmarsh.example/'), options), 'link.twin-host');
  };

  it('is said where both answer with pages, not where one leads to the other', async () => {
    expect(await twin(page(''))).toMatchObject([{ location: { url: 'https://www.saltmarsh.example/' } }]);
    expect(await twin(to('https://saltmarsh.example/'))).toEqual([]);
    expect(await twin((_request, response) => response.writeHead(404).end())).toEqual([]);
  });
});

describe('a start page', () => {
  it('in another language, by its words or by its address, is said', async () => {
    const speaks: RequestListener = (request, response) =>
      page('', request.headers['accept-language']?.startsWith('de') ? 'de' : 'en')(request, response);
    const leads: RequestListener = (request, response) =>
      request.headers['accept-language'] === 'de' && request.url === '/'
        ? to('/de/')(request, response)
        : page('')(request, response);
    const observed = async (listener: RequestListener) =>
      found(await crawlSite(new URL(await host(listener))), 'read.language').map((one) => one.observed);
    expect(await observed(speaks)).toEqual(['Asked for in "de", the start page answers with lang="de"']);
    expect((await observed(leads))[0]).toMatch(/answers with http:\/\/127\.0\.0\.1:\d+\/de\/$/);
    expect(await observed(page(''))).toEqual([]);
  });

  it.runIf(THOROUGH)('of several MiB is said', async () => {
    const site = await crawlSite(new URL(await host(page(`<p>${'pier '.repeat(990_000)}`))));
    expect(found(site, 'read.large-page')).toMatchObject([{ observed: '4.7 MiB of HTML' }]);
  });
});

describe('a worker that answers with the page it keeps', () => {
  it('shows an update at the second start, unless the page loads itself again', async () => {
    const observed = async (script: string) => {
      const listener: RequestListener = (request, response) => {
        if (request.url?.endsWith('.js')) {
          const worker =
            'self.addEventListener("install", () => {}); addEventListener("fetch", (event) => event.respondWith(caches.match(event.request))); registerRoute(new NavigationRoute(createHandlerBoundToURL("index.html")));';
          response
            .writeHead(200, { 'content-type': 'text/javascript' })
            .end(request.url === '/sw.js' ? worker : script);
        } else page('<script src="/app.js"></script>')(request, response);
      };
      const site = await crawlSite(new URL(await host(listener)));
      return found(site, 'offline.update').map((one) => one.observed);
    };
    const register = "navigator.serviceWorker.register('/sw.js');";
    expect((await observed(register)).join()).toMatch(/sw\.js answers every navigation with the index\.html/);
    const reload = "navigator.serviceWorker.addEventListener('controllerchange', () => location.reload());";
    expect(await observed(register + reload)).toEqual([]);
  });
});

describe('what could not be seen', () => {
  it('is not judged, by name', async () => {
    const listener: RequestListener = (request, response) => {
      if (request.url === '/app.js') {
        response
          .writeHead(200, { 'content-type': 'text/javascript' })
          .end('fetch("http://" + pier + "/cam"); sheet.insertRule(".bar { position: fixed }");');
      } else if (request.url === '/app.css') response.writeHead(503).end();
      else page('<link rel="stylesheet" href="/app.css"><script src="/app.js"></script>')(request, response);
    };
    const site = await crawlSite(new URL(await host(listener)), { patience: 0 });
    const context = { site, project: undefined, browser: undefined };
    const { verdicts, target } = surveySite(context);
    const because = (id: string) => {
      const verdict = verdicts.find(({ rule }) => rule.id === id);
      return verdict?.is === 'not-judged' ? verdict.because : verdict?.is;
    };
    expect(because('feel.height')).toBe('the style sheet /app.css could not be read');
    expect(because('secure.cleartext-host')).toMatch(
      /^http:\/\/… in http.*app\.js:1:7 gets its host as the app runs$/,
    );
    const read = { ...site, styleGroups: site.styleGroups.map((group) => ({ ...group, unread: [] })) };
    const blind = findRule('feel.height').blind?.({
      ...context,
      site: read,
      target,
      derived: new Derived(read),
    });
    expect(blind).toMatch(/^scripts make styles \(http.*app\.js\), and were not run$/);
  });
});
