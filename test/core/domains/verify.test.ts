import type { IncomingMessage, ServerResponse } from 'node:http';
import { createServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { mergeAppleAssociation } from '../../../src/core/domains/documents/apple-association.js';
import { mergeAssetLinks } from '../../../src/core/domains/documents/asset-links.js';
import { VerifierFetcher } from '../../../src/core/domains/fetch-documents.js';
import type { Expectation } from '../../../src/core/domains/judge-documents.js';
import type { HostPlan } from '../../../src/core/domains/plan.js';
import { type HostVerdict, judgeHosts } from '../../../src/core/domains/verify.js';
import { formatFix } from '../../../src/core/errors.js';
import { type ThrowAwayAuthority, throwAwayAuthority } from '../../../src/drydock/authority.js';

const HOST = 'ferry.saltmarsh.example';
const OTHER = 'tickets.saltmarsh.example';
const ID = 'example.saltmarsh.ferry';
const APPLE = `A1B2C3D4E5.${ID}`;
const [AB, CD, EF] = ['AB', 'CD', 'EF'].map((pair) => Array(32).fill(pair).join(':')) as [
  string,
  string,
  string,
];
const LINKS = 'delegate_permission/common.handle_all_urls';
const DAY = 86_400_000;

const claim = (fingerprints: string[]) => ({
  packageName: ID,
  fingerprints,
  relations: [LINKS],
  dynamic: [],
});
const appleClaim = {
  appId: APPLE,
  components: [{ '/': '/*' }],
  paths: [],
  credentials: false,
  clip: undefined,
};
const list = (...fingerprints: string[]) => JSON.stringify(mergeAssetLinks([], [claim(fingerprints)]));
const APPLE_DOCUMENT = JSON.stringify(mergeAppleAssociation(undefined, appleClaim));

function plan(host: string, ...links: string[]): HostPlan {
  return {
    host,
    links: (links.length > 0 ? links : [host]).map((one) => ({
      host: one,
      rules: [{ allow: true, pattern: '/*' }],
      credentials: false,
    })),
    documents: [
      {
        kind: 'android',
        path: '/.well-known/assetlinks.json',
        merge: (existing) => mergeAssetLinks(existing, [claim([AB])]),
      },
      {
        kind: 'apple',
        path: '/.well-known/apple-app-site-association',
        merge: (existing) => mergeAppleAssociation(existing, appleClaim),
      },
    ],
  };
}

const expected = (more: Partial<Expectation> = {}): Expectation => ({
  plans: [plan(HOST)],
  ids: { android: ID, apple: APPLE, clip: undefined, web: undefined },
  signers: [{ role: 'own', name: 'release', sha256: AB }],
  packages: [],
  applePackages: [],
  web: undefined,
  browserHosts: [],
  knowsStoreKey: true,
  unknownCertificate: 'breaks',
  now: new Date(),
  ...more,
});

type Listener = (request: IncomingMessage, response: ServerResponse) => void;
const stops: (() => void)[] = [];
let authority: ThrowAwayAuthority;
let good: { key: string; cert: string };

beforeAll(async () => {
  authority = await throwAwayAuthority('Test harbour authority');
  good = await authority.issue([HOST, OTHER]);
});
afterAll(() => {
  for (const stop of stops) stop();
});

/** A real server with TLS; gives its address. */
async function serve(listener: Listener, certificate = good, address = '127.0.0.1'): Promise<string> {
  const server = createServer(certificate, listener);
  await new Promise<void>((resolve) => {
    server.listen(0, address, resolve);
  });
  stops.push(() => {
    server.closeAllConnections();
    server.close();
  });
  const { port } = server.address() as AddressInfo;
  return `${address.includes(':') ? `[${address}]` : address}:${port}`;
}

const json = (body: string | Uint8Array, headers: Record<string, string> = {}): Listener => {
  return (_request, response) => {
    response.writeHead(200, { 'content-type': 'application/json', ...headers }).end(body);
  };
};
/** Answers as a host should, but for what is given. */
const documents =
  (own: Record<string, Listener> = {}): Listener =>
  (request, response) => {
    const path = request.url ?? '';
    const usual = path.endsWith('assetlinks.json') ? json(list(AB)) : json(APPLE_DOCUMENT);
    (own[path.slice('/.well-known/'.length)] ?? usual)(request, response);
  };

async function prove(
  hosts: Record<string, string>,
  facts = expected(),
  more: { ca?: string; timeout?: number } = {},
): Promise<HostVerdict[]> {
  const fetcher = new VerifierFetcher({
    named: Object.keys(hosts),
    resolve: new Map(Object.entries(hosts).map(([host, address]) => [`${host}:443`, address])),
    ca: authority.pem,
    ...more,
  });
  try {
    return await judgeHosts(Object.keys(hosts), facts, fetcher);
  } finally {
    fetcher.close();
  }
}

const problems = (proof: HostVerdict | undefined, platform: string) =>
  (proof?.platforms.find((one) => one.platform === platform)?.findings ?? []).map(
    ({ severity, observed }) => `${severity}: ${observed}`,
  );

describe('a host that does everything right', () => {
  it('is verified', async () => {
    const [proof] = await prove({ [HOST]: await serve(documents()) });
    expect(proof?.platforms.map(({ verified, findings: own }) => [verified, own])).toEqual([
      [true, []],
      [true, []],
    ]);
    expect(proof?.findings).toEqual([]);
  });

  it('is verified over IPv6, and compressed as it says', async () => {
    const packed = json(gzipSync(list(AB)), { 'content-encoding': 'gzip' });
    const address = await serve(documents({ 'assetlinks.json': packed }), good, '::1');
    const [proof] = await prove({ [HOST]: address });
    expect(proof?.platforms.every(({ verified }) => verified)).toBe(true);
  });
});

describe('each fault of a host is told apart', () => {
  const text = (status: number, headers: Record<string, string> = {}, body = ''): Listener => {
    return (_request, response) => void response.writeHead(status, headers).end(body);
  };
  it.each<[string, Listener, RegExp]>([
    [
      'a redirect',
      text(301, { location: 'https://www.other.example/' }),
      /redirects to https:\/\/www\.other\.example\//,
    ],
    ['a document that is not there', text(404), /not there \(status 404\)/],
    ['a sign-in', text(401), /refuses to give it \(status 401\)/],
    ['a server in trouble', text(503), /status 503/],
    ['a wrong type', json(list(AB), { 'content-type': 'text/plain' }), /content type is text\/plain/],
    ['no type', text(200, {}, list(AB)), /has no content type/],
    ['a page', json('<!doctype html>'), /HTML page/],
    ['a byte-order mark', json(`\uFEFF${list(AB)}`), /byte-order mark/],
    ['broken JSON', json('[{]'), /key|value|brace/i],
    ['gzip that it does not tell of', json(gzipSync(list(AB))), /gzip, and the answer does not say so/],
    ['10 MB', json(`[${' '.repeat(10_000_000)}]`), /larger than 1 MiB/],
    [
      'another app',
      json(list(AB).replaceAll(ID, 'example.other')),
      /does not name example\.saltmarsh\.ferry \(it names example\.other\)/,
    ],
    ['another certificate', json(list(CD)), /does not list the certificate of the key "release"/],
    ['a SHA-1 fingerprint', json(list(AB.slice(0, 59))), /SHA-1/],
    ['a fingerprint in small letters', json(list(AB.toLowerCase())), /lower-case/],
    ['an include without TLS', json('[{"include":"http://a.example/"}]'), /not an https address/],
    ['a connection that is cut', (request) => request.socket.destroy(), /did not answer/],
  ])('%s', async (_what, listener, observed) => {
    const [proof] = await prove({ [HOST]: await serve(documents({ 'assetlinks.json': listener })) });
    const [android, apple] = proof?.platforms ?? [];
    expect([android?.verified, apple?.verified]).toEqual([false, true]);
    expect(android?.findings.map(({ observed: own }) => own).join('\n')).toMatch(observed);
    for (const { fix } of android?.findings ?? []) expect(formatFix(fix).length).toBeGreaterThan(10);
  });

  it('a slow drip ends with the time limit', async () => {
    const drip: Listener = (_request, response) => {
      response.writeHead(200, { 'content-type': 'application/json' });
      const timer = setInterval(() => response.write(' '), 20);
      response.on('close', () => clearInterval(timer));
    };
    const [proof] = await prove({ [HOST]: await serve(documents({ 'assetlinks.json': drip })) }, expected(), {
      timeout: 300,
    });
    expect(problems(proof, 'android')[0]).toMatch(/No whole answer came within 0.3 seconds/);
  });

  it('certificates that have expired, are self-signed, of nobody, or for another name', async () => {
    const foreign = await throwAwayAuthority('Somebody else');
    const cases: [Awaited<ReturnType<ThrowAwayAuthority['issue']>>, RegExp, RegExp][] = [
      [await authority.issue([HOST], -1), /has expired/, /^Renew/],
      [
        await foreign.issue([HOST]),
        /authority that is not trusted|certificates between/,
        /public authorities/,
      ],
      [await authority.issue(['other.example']), /for another name/, /names this host/],
    ];
    for (const [certificate, observed, remedy] of cases) {
      const [proof] = await prove({ [HOST]: await serve(documents(), certificate) });
      expect(problems(proof, 'android').join(), String(observed)).toMatch(observed);
      const fix = formatFix(proof?.platforms[0]?.findings[0]?.fix ?? '', () => '');
      expect(fix).toMatch(remedy);
      expect(proof?.platforms.every(({ verified }) => !verified)).toBe(true);
    }
  });

  it('an Apple document that is too large', async () => {
    const large = json(
      `{"applinks":{"details":[{"appIDs":["${APPLE}"],"components":[]}]},"x":"${'x'.repeat(131_072)}"}`,
    );
    const [proof] = await prove({ [HOST]: await serve(documents({ 'apple-app-site-association': large })) });
    expect(problems(proof, 'apple').join()).toMatch(/devices read 131072 at most/);
  });
});

describe('what breaks later is told', () => {
  it('a certificate near its end, caches, the store’s key, other rules', async () => {
    const listener = documents({
      'assetlinks.json': json(list(AB), { 'cache-control': 'public, max-age=604800' }),
    });
    const address = await serve(listener, await authority.issue([HOST], 3));
    const facts = expected({
      signers: [
        { role: 'own', name: 'release', sha256: AB },
        { role: 'store', name: 'store', sha256: CD },
        { role: 'former', name: 'before release', sha256: EF },
      ],
      plans: [
        {
          ...plan(HOST),
          documents: plan(HOST).documents.map((document) => ({
            ...document,
            merge: () => ({ other: true }),
          })),
        },
      ],
    });
    const [proof] = await prove({ [HOST]: address }, facts);
    expect(proof?.platforms.every(({ verified }) => verified)).toBe(true);
    expect(problems(proof, 'android').map((one) => one.slice(0, 44))).toEqual([
      'warning: Caches may keep the document for 7 ',
      'warning: The document does not list the cert',
      'warning: The document does not list the cert',
      'warning: The document says something else of',
    ]);
    expect(proof?.findings[0]?.observed).toMatch(/ends in [23] days/);
  });

  it('that nothing is known of the store’s key, where a bundle is made', async () => {
    const bundle = {
      file: 'out/a.aab',
      kind: 'aab' as const,
      packageName: ID,
      certificates: [AB],
      filters: [],
      belongsTo: [],
    };
    const [proof] = await prove(
      { [HOST]: await serve(documents()) },
      expected({ knowsStoreKey: false, packages: [bundle] }),
    );
    expect(problems(proof, 'android').join('\n')).toMatch(/Nothing says with which key the store signs/);
  });
});

describe('a host whose document cannot be compared', () => {
  it('is not verified, unless only the document is judged', async () => {
    const address = await serve(documents());
    const judged = async (unknownCertificate: Expectation['unknownCertificate']) =>
      (await prove({ [HOST]: address }, expected({ signers: [], unknownCertificate })))[0]?.platforms[0];
    expect((await judged('breaks'))?.findings[0]?.observed).toMatch(/No certificate is known/);
    expect((await judged('passes'))?.verified).toBe(true);
  });
});

describe('packages are compared as they are', () => {
  const filter = (host: string) => ({
    autoVerify: true,
    forLinks: true,
    schemes: ['https'],
    hosts: [{ host }],
    paths: [],
    groups: [],
  });
  const apk = (more: object) => ({
    file: 'out/a.apk',
    kind: 'apk' as const,
    packageName: ID,
    certificates: [AB],
    filters: [filter(HOST)],
    belongsTo: [`https://${HOST}`],
    ...more,
  });

  it.each([
    ['their certificate', apk({ certificates: [CD] }), /does not list the certificate of out\/a\.apk/],
    ['their filters', apk({ filters: [filter(OTHER)] }), /no verified filter for ferry/],
    ['what they belong to', apk({ belongsTo: [] }), /does not say that it belongs to https:\/\/ferry/],
  ])('by %s', async (_what, side, observed) => {
    const facts = expected({ packages: [side], browserHosts: [HOST] });
    const [proof] = await prove({ [HOST]: await serve(documents()) }, facts);
    expect(proof?.platforms[0]?.verified).toBe(false);
    expect(problems(proof, 'android').join()).toMatch(observed);
  });
});

describe('packages for Apple’s systems', () => {
  const ipa = (changes: object = {}) => ({
    file: 'out/a.ipa',
    appId: APPLE,
    domains: [`applinks:${HOST}?mode=developer`, 'webcredentials:other.example'],
    ...changes,
  });

  it('agree where their entitlements are what hull.json says', async () => {
    const [proof] = await prove({ [HOST]: await serve(documents()) }, expected({ applePackages: [ipa()] }));
    expect(problems(proof, 'apple')).toEqual([]);
  });

  it.each([
    [
      'another team',
      ipa({ appId: `OTHERTEAM1.${ID}` }),
      /was signed as OTHERTEAM1\..*by hull\.json the app is A1B2/,
    ],
    ['no such host', ipa({ domains: [`webcredentials:${HOST}`] }), /associated domains do not name ferry/],
  ])('are refused with %s', async (_what, side, observed) => {
    const [proof] = await prove({ [HOST]: await serve(documents()) }, expected({ applePackages: [side] }));
    expect(proof?.platforms[1]?.verified).toBe(false);
    expect(problems(proof, 'apple').join()).toMatch(observed);
    expect(problems(proof, 'android')).toEqual([]);
  });
});

describe('several hosts', () => {
  it('are asked at the same time, told apart and compared with each other', async () => {
    const first = await serve(documents({ 'assetlinks.json': json(list(AB, CD)) }));
    const second = await serve(documents());
    const facts = expected({ plans: [plan(HOST), plan(OTHER)] });
    const proofs = await prove({ [HOST]: first, [OTHER]: second }, facts);
    expect(proofs.map(({ host }) => host)).toEqual([HOST, OTHER]);
    expect(proofs[1]?.findings[0]?.observed).toMatch(/lists other certificates than https:\/\/ferry/);
  });

  it('of which one is broken keep each other out before Android 12', async () => {
    const broken: Listener = (_request, response) => void response.writeHead(404).end();
    const facts = expected({ plans: [plan(HOST), plan(OTHER)] });
    const proofs = await prove({ [HOST]: await serve(documents()), [OTHER]: await serve(broken) }, facts);
    expect(proofs.map(({ platforms }) => platforms[0]?.verified)).toEqual([true, false]);
    expect(proofs[0]?.findings[0]).toMatchObject({ severity: 'suggestion' });
    expect(proofs[0]?.findings[0]?.observed).toContain(OTHER);
  });

  it('are asked for the variant that people type, before it is missed', async () => {
    const facts = expected({ plans: [plan('saltmarsh.example')] });
    const certificate = await authority.issue(['saltmarsh.example', 'www.saltmarsh.example']);
    const host = await serve(documents(), certificate);
    const findings = async (www?: string) => {
      const hosts = ['saltmarsh.example', ...(www === undefined ? [] : ['www.saltmarsh.example'])];
      const fetcher = new VerifierFetcher({
        named: hosts,
        resolve: new Map([
          ['saltmarsh.example:443', host],
          ...(www === undefined ? [] : [['www.saltmarsh.example:443', www] as const]),
        ]),
        ca: authority.pem,
      });
      const [proof] = await judgeHosts(['saltmarsh.example'], facts, fetcher).finally(() => fetcher.close());
      return proof?.findings.map(({ severity, observed }) => `${severity}: ${observed}`);
    };
    // Nothing answers there.
    expect(await findings()).toEqual([]);
    expect(
      await findings(await serve((_request, response) => response.writeHead(404).end(), certificate)),
    ).toEqual([]);
    expect(await findings(await serve(json('{}'), certificate))).toEqual([
      'warning: hull.json names saltmarsh.example, and not www.saltmarsh.example, which answers with pages too.',
    ]);
    const leads = await serve((_request, response) => {
      response.writeHead(301, { location: 'https://saltmarsh.example/' }).end();
    }, certificate);
    expect(await findings(leads)).toEqual([
      'suggestion: hull.json names saltmarsh.example, and not www.saltmarsh.example, which leads to another host.',
    ]);
  });

  it('that answer everything with a page are told so, and nothing else', async () => {
    const page = json('<!doctype html><title>Ferry</title>', { 'content-type': 'text/html' });
    const [proof] = await prove({ [HOST]: await serve(page) });
    for (const platform of ['android', 'apple']) {
      expect(problems(proof, platform)).toEqual([
        'error: The host answers with an HTML page where the document should be.',
      ]);
    }
  });

  it('lists may include lists, of another host too', async () => {
    const shared = await serve(json(list(AB)));
    const own = documents({ 'assetlinks.json': json(`[{"include":"https://${OTHER}/shared.json"}]`) });
    const fetcher = new VerifierFetcher({
      named: [HOST, OTHER],
      resolve: new Map([
        [`${HOST}:443`, await serve(own)],
        [`${OTHER}:443`, shared],
      ]),
      ca: authority.pem,
    });
    const [proof] = await judgeHosts([HOST], expected(), fetcher).finally(() => fetcher.close());
    expect(proof?.platforms[0]?.verified).toBe(true);
  });

  it('that are slow hold up nobody else', async () => {
    const never: Listener = () => undefined;
    const names = Array.from({ length: 30 }, (_none, index) => `pier-${index}.saltmarsh.example`);
    const certificate = await authority.issue(names);
    const [slow, quick] = [await serve(never, certificate), await serve(documents(), certificate)];
    const done: string[] = [];
    const fetcher = new VerifierFetcher({
      named: names,
      resolve: new Map(names.map((name, index) => [`${name}:443`, index === 0 ? slow : quick])),
      ca: authority.pem,
      // Longer than the others take on a busy machine.
      timeout: 12_000,
    });
    const source = {
      document: async (host: string, path: string) => {
        const fetched = await fetcher.document(host, path);
        done.push(host);
        return fetched;
      },
      include: (url: URL) => fetcher.include(url),
    };
    const facts = expected({ plans: names.map((name) => plan(name)) });
    const proofs = await judgeHosts(names, facts, source).finally(() => fetcher.close());
    const broken = proofs.filter(({ platforms }) => platforms.some(({ verified }) => !verified));
    expect(
      broken.flatMap((one) => [one.host, ...problems(one, 'android'), ...problems(one, 'apple')]),
    ).toEqual([
      names[0],
      expect.stringContaining('No whole answer'),
      expect.stringContaining('No whole answer'),
    ]);
    // The slow one is done after all others, which needed no place of its own.
    expect(done.indexOf(names[0] as string)).toBe(done.length - 2);
  });
});

describe('days until a certificate ends', () => {
  it('are counted from the day that is given', async () => {
    const facts = expected({ now: new Date(Date.now() + 20 * DAY) });
    const [proof] = await prove({ [HOST]: await serve(documents()) }, facts);
    expect(proof?.findings[0]?.observed).toMatch(/ends in (9|10) days/);
  });
});
