import { readFileSync } from 'node:fs';
import type { RequestListener } from 'node:http';
import { gzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { formatLocation } from '../../../src/core/errors.js';
import { Fetcher, isPrivateAddress } from '../../../src/core/net/fetcher.js';
import { crawlSite } from '../../../src/core/site/crawl.js';
import type { CrawlOptions } from '../../../src/core/site/crawler.js';
import { surveySite } from '../../../src/core/survey/survey.js';
import { refused } from '../../support/errors.js';
import { folderListener, host, tlsHost } from '../../support/host.js';
import { DEMO_SITE } from '../../support/hull.js';
import { testCertificate } from '../../support/tls.js';

/** Real servers on loopback, with and without TLS. */

const HOST = 'ferry.saltmarsh.example';
const html =
  (body: string): RequestListener =>
  (_request, response) =>
    response
      .writeHead(200, { 'content-type': 'text/html' })
      .end(`<!doctype html><html><head></head><body>${body}`);

/** The demo app at its own name over TLS, found on loopback; and beside it what answers without TLS. */
async function demoHost(
  own: Readonly<Record<string, RequestListener>> = {},
  plain?: RequestListener,
  days?: number,
) {
  const certificate = await testCertificate(HOST, days);
  const port = await tlsHost(certificate, folderListener(DEMO_SITE, own));
  const address = plain && new URL(await host(plain));
  const resolve = new Map([[`${HOST}:443`, `127.0.0.1:${port}`]]);
  if (address) resolve.set(`${HOST}:80`, address.host);
  const options: CrawlOptions = { resolve, ca: readFileSync(certificate.ca, 'utf8') };
  return { options, port, certificate };
}

const redirectToTls: RequestListener = (request, response) =>
  response.writeHead(301, { location: `https://${HOST}${request.url}` }).end();
const ASSOCIATION = {
  '/.well-known/assetlinks.json': ((_request, response) =>
    response.writeHead(200, { 'content-type': 'application/json' }).end('[]')) as RequestListener,
  '/.well-known/apple-app-site-association': ((_request, response) =>
    response.writeHead(200, { 'content-type': 'application/json' }).end('{}')) as RequestListener,
};

async function told(options: CrawlOptions, address = `https://${HOST}/`): Promise<string[]> {
  const site = await crawlSite(new URL(address), options);
  const { findings } = surveySite({ site, project: undefined, browser: undefined });
  return findings
    .filter(({ code }) => code !== 'feel.startup-image')
    .map(({ code, location }) => `${code} ${formatLocation(location)}`);
}

/** A host of a start page and more, over plain http, and what it was asked. */
async function smallHost(
  listener: (path: string, headers: Record<string, unknown>) => [number, string, object?],
) {
  const asked: string[] = [];
  const address = await host((request, response) => {
    asked.push(request.url ?? '');
    const [status, body, headers = {}] = listener(request.url ?? '', request.headers);
    response.writeHead(status, { 'content-type': 'text/html', ...headers }).end(body);
  });
  return { address, asked };
}

const links = (...paths: string[]) =>
  `<!doctype html><title>Ferry</title><p>The boats of the islands, and when they leave from each of the piers.</p>${paths.map((path) => `<a href="${path}">${path}</a>`).join('')}`;
const refusals = async (address: string, options: CrawlOptions = {}) => {
  const site = await crawlSite(new URL(address), options);
  const { findings } = surveySite({ site, project: undefined, browser: undefined });
  return {
    pages: site.pages.map(({ url }) => new URL(url).pathname),
    found: findings
      .filter(({ code }) => code.startsWith('read.'))
      .map(({ code, observed }) => `${code} ${observed}`),
    site,
  };
};

describe('a host that does not show everything', () => {
  it('is waited for where it asks for it', async () => {
    let refused = 0;
    const { address } = await smallHost((path) => {
      if (path === '/') return [200, links('/a', '/b')];
      if (path === '/a' && refused < 2) {
        refused += 1;
        return [refused === 1 ? 429 : 503, '', { 'retry-after': '0' }];
      }
      return [path.length === 2 ? 200 : 404, links()];
    });
    const { pages, found } = await refusals(address);
    expect([refused, pages, found]).toEqual([2, ['/', '/a', '/b'], []]);
  });

  it('has its refusals reported, and is not waited for without end', async () => {
    const { address } = await smallHost((path) => {
      if (path === '/') return [200, links('/a', '/b', '/c', '/d')];
      if (path === '/d') return [200, links()];
      if (path === '/c') return [401, ''];
      return /^\/[ab]$/.test(path) ? [429, '', { 'retry-after': '3600' }] : [404, ''];
    });
    const { pages, found } = await refusals(address);
    expect(pages).toEqual(['/', '/d']);
    expect(found.sort()).toEqual([
      'read.refused 1 page refused with status 401',
      'read.refused 2 pages refused with status 429',
    ]);
  });

  it('is read as its robots.txt asks, and to its sitemap’s end', async () => {
    const { address, asked } = await smallHost((path) => {
      if (path === '/') return [200, links('/a', '/private/b')];
      if (path === '/robots.txt')
        return [
          200,
          'User-agent: *\nDisallow: /private/\nSitemap: /pages.xml',
          { 'content-type': 'text/plain' },
        ];
      return path === '/a' || path.startsWith('/private') || path === '/listed' ? [200, links()] : [404, ''];
    });
    const { pages, found, site } = await refusals(address);
    expect(pages).toEqual(['/', '/a']);
    expect(asked).not.toContain('/private/b');
    expect(site.limits.map(({ what }) => what)).toEqual(['robots']);
    expect(found.join()).toContain('robots.txt');
    const all = await refusals(address, { robots: 'ignore' });
    expect(all.pages).toEqual(['/', '/a', '/private/b']);
  });

  it('is asked for the pages of its sitemaps', async () => {
    let origin = '';
    const { address } = await smallHost((path) => {
      const xml = { 'content-type': 'application/xml' };
      if (path === '/sitemap.xml')
        return [200, `<sitemapindex><sitemap><loc>${origin}/more.xml</loc></sitemap></sitemapindex>`, xml];
      if (path === '/more.xml') return [200, `<urlset><url><loc>${origin}/listed</loc></url></urlset>`, xml];
      return path === '/' || path === '/listed' ? [200, links()] : [404, ''];
    });
    origin = new URL(address).origin;
    expect((await refusals(address)).pages).toEqual(['/', '/listed']);
  });

  it('is not taken at its word where it answers everything with its start page', async () => {
    const { address } = await smallHost(() => [
      200,
      `${links('/a')}<img src="/boat.png" alt=""><script src="/x.js"></script>`,
    ]);
    const site = await crawlSite(new URL(address));
    const { findings } = surveySite({ site, project: undefined, browser: undefined });
    const observed = findings.filter(({ code }) => code.startsWith('files.')).map((one) => one.observed);
    expect(observed).toContain('script /x.js: a page of HTML answers');
    expect(observed).toContain('image /boat.png: a page of HTML answers');
    const documents = findings.filter(({ code }) => code === 'link.association').map((one) => one.observed);
    expect(documents).toEqual(['a page of HTML, in place of JSON']);
  });

  it('gets header fields, and no other host does', async () => {
    const seen: Record<string, unknown> = {};
    const other = await smallHost((path, { cookie }) => {
      seen[`other ${path}`] = cookie;
      return [200, ''];
    });
    const elsewhere = other.address.replace('127.0.0.1', 'localhost');
    const { address } = await smallHost((path, { cookie }) => {
      seen[path] = cookie;
      return path === '/' ? [200, `${links('/a')}<script src="${elsewhere}x.js"></script>`] : [200, links()];
    });
    const fields = new Map([['cookie', 'session=1']]);
    await crawlSite(new URL(address), { headers: { for: new URL(address), fields } });
    expect(seen['/']).toBe('session=1');
    expect(seen['/a']).toBe('session=1');
    expect(Object.entries(seen).filter(([key, value]) => key.startsWith('other') && value)).toEqual([]);
  });
});

it('header fields never go out without TLS in place of with it', async () => {
  const seen: (string | undefined)[] = [];
  const plain: RequestListener = (request, response) => {
    seen.push(request.headers.cookie);
    response.writeHead(200, { 'content-type': 'text/html' }).end('<title>x</title>');
  };
  const { options } = await demoHost({}, plain);
  const start = new URL(`https://${HOST}/`);
  await crawlSite(start, { ...options, headers: { for: start, fields: new Map([['cookie', 'session=1']]) } });
  expect(seen.length).toBeGreaterThan(0);
  expect(seen.filter((cookie) => cookie !== undefined)).toEqual([]);
});

/** Where the engine that is chosen for it is a web view, the demo's shop finds a payment only in some. */
const SHOP = `permission.partly-in-engine https://${HOST}/js/shop.js:62:21`;

describe('the demo app on a host', () => {
  it('is read as the folder is', async () => {
    const { options } = await demoHost(ASSOCIATION, redirectToTls);
    const site = await crawlSite(new URL(`https://${HOST}/`), options);
    expect(site.pages.map(({ url }) => new URL(url).pathname).sort()).toEqual([
      '/',
      '/alerts.html',
      '/pier.html',
      '/privacy.html',
      '/tickets.html',
    ]);
    expect(site.base.href).toBe(`https://${HOST}/`);
    expect(site.scripts.map(({ url }) => new URL(url).pathname)).toContain('/sw.js');
    expect(site.workers[0]?.script?.facts.listens.has('fetch')).toBe(true);
    expect(site.pictures.size).toBeGreaterThan(5);
    expect(site.responses.get(`https://${HOST}/`)?.tls?.issuer).toBe('Test harbour authority');
    expect(site.limits).toEqual([]);
    expect(site.faults).toEqual([]);
  });

  it('surveys clean, but for what is there on purpose', async () => {
    const { options } = await demoHost(ASSOCIATION, redirectToTls);
    expect(await told(options)).toEqual([]);
  });

  it('without association documents', async () => {
    const { options } = await demoHost({}, redirectToTls);
    // Nothing was said of Apple devices, so their document is not missing.
    expect(await told(options)).toEqual([`link.association https://${HOST}/.well-known/assetlinks.json`]);
  });

  it('that shows its pages without TLS too', async () => {
    const { options } = await demoHost(ASSOCIATION, folderListener(DEMO_SITE));
    expect(await told(options)).toEqual([`secure.redirect http://${HOST}/`]);
  });

  it('whose certificate is about to end', async () => {
    const { options } = await demoHost(ASSOCIATION, redirectToTls, 5);
    expect(await told(options)).toEqual([`secure.certificate https://${HOST}/`]);
  });

  it('whose manifest is sent as plain text', async () => {
    const manifest = readFileSync(`${DEMO_SITE}/manifest.webmanifest`);
    const { options } = await demoHost(
      {
        ...ASSOCIATION,
        '/manifest.webmanifest': (_request, response) =>
          response.writeHead(200, { 'content-type': 'text/plain' }).end(manifest),
      },
      redirectToTls,
    );
    expect(await told(options)).toEqual([`manifest.content-type https://${HOST}/manifest.webmanifest`]);
  });

  it('whose manifest is a page of HTML', async () => {
    const { options } = await demoHost(
      { ...ASSOCIATION, '/manifest.webmanifest': html('Not found') },
      redirectToTls,
    );
    expect(await told(options)).toEqual([`manifest.reachable https://${HOST}/:10:24`, SHOP]);
  });

  it('that answers what is not there with 200', async () => {
    const demo = folderListener(DEMO_SITE, ASSOCIATION);
    const certificate = await testCertificate(HOST);
    const port = await tlsHost(certificate, (request, response) => {
      if (request.url?.includes('no-such')) html('Not found')(request, response);
      else demo(request, response);
    });
    const options = {
      resolve: new Map([[`${HOST}:443`, `127.0.0.1:${port}`]]),
      ca: readFileSync(certificate.ca, 'utf8'),
    };
    const found = await told(options);
    expect(found).toEqual([`offline.soft-404 https://${HOST}/no-such-page-7f3a9c`]);
  });

  it('that answers what is not there with a bare page', async () => {
    const demo = folderListener(DEMO_SITE, ASSOCIATION);
    const certificate = await testCertificate(HOST);
    const port = await tlsHost(certificate, (request, response) => {
      if (request.url?.includes('no-such'))
        response.writeHead(404, { 'content-type': 'text/html' }).end('<h1>Not Found</h1>');
      else demo(request, response);
    });
    const options = {
      resolve: new Map([[`${HOST}:443`, `127.0.0.1:${port}`]]),
      ca: readFileSync(certificate.ca, 'utf8'),
    };
    expect(await told(options)).toEqual([`offline.not-found https://${HOST}/no-such-page-7f3a9c`, SHOP]);
  });

  it('with a dead link, a missing picture and a failing page', async () => {
    const index = readFileSync(`${DEMO_SITE}/index.html`, 'utf8').replace(
      '</main>',
      '<a href="/gone.html">Gone</a><img src="/gone.png" alt=""><a href="/broken.html">Broken</a></main>',
    );
    const { options } = await demoHost(
      {
        ...ASSOCIATION,
        '/': (_request, response) => response.writeHead(200, { 'content-type': 'text/html' }).end(index),
        '/broken.html': (_request, response) => response.writeHead(500).end('boom'),
      },
      redirectToTls,
    );
    const line = index.split('\n').findIndex((text) => text.includes('/gone.html')) + 1;
    const found = (await told(options)).map((text) => text.replace(/:\d+$/, ''));
    expect(found.sort()).toEqual([
      `files.dead-link https://${HOST}/:${line}`,
      `files.missing https://${HOST}/:${line}`,
      `read.unreadable https://${HOST}/broken.html`,
    ]);
  });
});

it('a page whose address is not well encoded', async () => {
  const base = await host(html('<a href="/%zz">x</a><img src="/%e0%a4%a" alt="">'));
  const site = await crawlSite(new URL(base));
  expect(site.pages).toHaveLength(2);
  const { findings } = surveySite({ site, project: undefined, browser: undefined });
  expect(findings.length).toBeGreaterThan(0);
});

it('an error page that is sent as a good one', async () => {
  const base = await host((request, response) => {
    if (request.url === '/') html('<a href="/lost">x</a>')(request, response);
    else if (request.url === '/lost') {
      response
        .writeHead(200, { 'content-type': 'text/html' })
        .end('<!doctype html>\n<html><head><title>404 Not Found</title>');
    } else response.writeHead(404).end();
  });
  const site = await crawlSite(new URL(base));
  const found = surveySite({ site, project: undefined, browser: undefined }).findings.filter(
    ({ code }) => code === 'read.error-page',
  );
  expect(found.map(({ location, observed }) => [formatLocation(location), observed])).toEqual([
    [`${base}lost:2:7`, 'status 200, “404 Not Found”'],
  ]);
});

describe('a certificate that cannot be trusted', () => {
  it('is told by what is wrong with it', async () => {
    const { port, certificate } = await demoHost();
    const resolve = new Map([
      [`${HOST}:443`, `127.0.0.1:${port}`],
      ['other.saltmarsh.example:443', `127.0.0.1:${port}`],
    ]);
    const unknown = await refused('net.tls', () => crawlSite(new URL(`https://${HOST}/`), { resolve }));
    expect(unknown.message).toContain('authority');
    const ca = readFileSync(certificate.ca, 'utf8');
    const other = await refused('net.tls', () =>
      crawlSite(new URL('https://other.saltmarsh.example/'), { resolve, ca }),
    );
    expect(other.message).toContain('another name');
    const notTls = new URL(await host(html('x')));
    await refused('net.tls', () => crawlSite(new URL(`https://${notTls.host}/`)));
  });
});

describe('a host that answers badly', () => {
  const at = async (listener: RequestListener, options: CrawlOptions = {}) =>
    crawlSite(new URL(await host(listener)), options);

  it('with a redirect loop', async () => {
    const error = await refused('net.redirect-loop', () =>
      at((request, response) =>
        response.writeHead(302, { location: request.url === '/' ? '/a' : '/' }).end(),
      ),
    );
    expect(error.message).toContain('back to where it came from');
    let hop = 0;
    await refused('net.redirect-loop', () =>
      at((_request, response) => {
        hop += 1;
        response.writeHead(302, { location: `/${hop}` }).end();
      }),
    );
  });

  it('with a compressed bomb', async () => {
    const bomb = gzipSync(Buffer.alloc(64 * 1024 * 1024));
    const error = await refused('net.too-large', () =>
      at((_request, response) =>
        response.writeHead(200, { 'content-type': 'text/html', 'content-encoding': 'gzip' }).end(bomb),
      ),
    );
    expect(error.message).toContain('unpacked');
  });

  it('with bytes that do not unpack', async () => {
    await refused('net.unreachable', () =>
      at((_request, response) =>
        response
          .writeHead(200, { 'content-type': 'text/html', 'content-encoding': 'gzip' })
          .end('not packed'),
      ),
    );
  });

  it('too slowly, or in a drip', async () => {
    await refused('net.timeout', () => at(() => undefined, { timeout: 400 }));
    await refused('net.timeout', () =>
      at(
        (_request, response) => {
          response.writeHead(200, { 'content-type': 'text/html' });
          const timer = setInterval(() => response.write('<p>'), 40);
          response.on('close', () => clearInterval(timer));
        },
        { timeout: 500 },
      ),
    );
  });

  it('with a picture, an error, or bytes named a page', async () => {
    await refused('net.not-html', () =>
      at((_request, response) => response.writeHead(200, { 'content-type': 'image/png' }).end('x')),
    );
    await refused('net.http-status', () => at((_request, response) => response.writeHead(500).end()));
    await refused('net.not-html', () =>
      at((_request, response) =>
        response.writeHead(200, { 'content-type': 'text/html' }).end(Buffer.alloc(99)),
      ),
    );
  });

  it('only on some pages: the others are judged', async () => {
    // Made before anyone waits for it.
    const packed = gzipSync(Buffer.alloc(30 * 1024 * 1024));
    const site = await at(
      (request, response) => {
        switch (request.url) {
          case '/':
            return html(
              '<a href="/slow">a</a><a href="/bomb">b</a><a href="/loop">c</a><a href="/binary">d</a><a href="/good">e</a>',
            )(request, response);
          case '/slow':
            return undefined;
          case '/bomb':
            return response
              .writeHead(200, { 'content-type': 'text/html', 'content-encoding': 'gzip' })
              .end(packed);
          case '/loop':
            return response.writeHead(302, { location: '/loop' }).end();
          case '/binary':
            return response.writeHead(200, { 'content-type': 'text/html' }).end(Buffer.alloc(64));
          default:
            return html('<p>good')(request, response);
        }
      },
      { timeout: 4000 },
    );
    expect(site.pages.map(({ url }) => new URL(url).pathname)).toEqual(['/', '/good']);
    expect(site.faults.map(({ kind }) => kind).sort()).toEqual([
      'binary-page',
      'slow',
      'too-large',
      'unreadable',
    ]);
    const rules = surveySite({ site, project: undefined, browser: undefined }).findings.map(
      ({ code }) => code,
    );
    expect(rules).toEqual(expect.arrayContaining(['read.slow', 'read.binary', 'read.unreadable']));
  });
});

describe('the limits of a crawl', () => {
  /** A calendar without an end. */
  const endless: RequestListener = (request, response) => {
    const day = Number(request.url?.slice(1) || 0);
    html(`<a href="/${day + 1}">tomorrow</a><a href="/${day + 1}?again=${day}">again</a>`)(request, response);
  };
  const rulesOf = (site: Awaited<ReturnType<typeof crawlSite>>) =>
    surveySite({ site, project: undefined, browser: undefined }).findings.filter(
      ({ code }) => code === 'read.limit',
    );

  it('pages, depth and bytes end it, and are told', async () => {
    const address = new URL(await host(endless));
    const pages = await crawlSite(address, { maxPages: 5, maxDepth: 100 });
    expect(pages.pages).toHaveLength(5);
    expect(rulesOf(pages).map(({ observed }) => observed)).toEqual([
      '5 pages were read; the others were not.',
    ]);
    const depth = await crawlSite(address, { maxDepth: 3 });
    expect(depth.pages).toHaveLength(4);
    expect(rulesOf(depth).map(({ observed }) => observed)).toEqual([
      'Links were followed 3 deep, and no further.',
    ]);
    const bytes = await crawlSite(address, { maxDepth: 100, maxBytes: 400 });
    expect(bytes.limits.map(({ what }) => what)).toEqual(['bytes']);
    const time = await crawlSite(address, { maxDepth: 1e6, maxPages: 1e6, maxTime: 200 });
    expect(time.limits.map(({ what }) => what)).toEqual(['time']);
  });

  it('stays inside the scope of the manifest', async () => {
    const base = await host((request, response) => {
      if (request.url === '/app/m.json')
        return response
          .writeHead(200, { 'content-type': 'application/json' })
          .end('{"name":"x","scope":"/app/","start_url":"/app/"}');
      return html(
        `<link rel="manifest" href="/app/m.json"><a href="/app/in">in</a><a href="/out">out</a><a href="//127.0.0.1:9/">off</a>`,
      )(request, response);
    });
    const site = await crawlSite(new URL('app/', base));
    expect(site.pages.map(({ url }) => new URL(url).pathname)).toEqual(['/app/', '/app/in']);
  });
});

describe('private addresses', () => {
  it('are known', () => {
    for (const address of [
      '127.0.0.1',
      '10.1.2.3',
      '192.168.0.1',
      '172.20.0.1',
      '169.254.1.1',
      '::1',
      'fd00::1',
      '[fe80::1]',
      '::ffff:10.0.0.1',
      '0.0.0.0',
    ]) {
      expect(isPrivateAddress(address), address).toBe(true);
    }
    for (const address of ['93.184.216.34', '2606:2800:220:1::1', 'ferry.saltmarsh.example', '172.32.0.1']) {
      expect(isPrivateAddress(address), address).toBe(false);
    }
  });

  it('are only asked where the user named them', async () => {
    const inside = new URL(await host(html('secret')));
    const fetcher = new Fetcher({ named: ['ferry.saltmarsh.example'] });
    await refused('net.private-address', () => fetcher.fetch(inside, 1000));
    await refused('net.private-address', () =>
      fetcher.fetch(new URL(`http://localhost:${inside.port}/`), 1000),
    );
    fetcher.close();
    const named = new Fetcher({ named: ['127.0.0.1'] });
    expect((await named.fetch(inside, 1000)).status).toBe(200);
    named.close();
  });

  it('are not reached by a redirect or a script of a public page', async () => {
    const asked: string[] = [];
    const inside = new URL(
      await host((request, response) => {
        asked.push(request.url ?? '');
        response.end('x');
      }),
    );
    const certificate = await testCertificate(HOST);
    const port = await tlsHost(certificate, (request, response) => {
      if (request.url === '/away') response.writeHead(302, { location: `${inside.href}metadata` }).end();
      else html(`<script src="${inside.href}x.js"></script><a href="/away">x</a>`)(request, response);
    });
    const site = await crawlSite(new URL(`https://${HOST}/`), {
      resolve: new Map([[`${HOST}:443`, `127.0.0.1:${port}`]]),
      ca: readFileSync(certificate.ca, 'utf8'),
    });
    expect(asked).toEqual([]);
    expect(site.faults.filter(({ message }) => message.includes('private')).length).toBe(2);
  });
});
