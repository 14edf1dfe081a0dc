import { describe, expect, it } from 'vitest';
import { readAppleAssociation } from '../../../src/core/domains/documents/apple-association.js';
import { readAssetLinks } from '../../../src/core/domains/documents/asset-links.js';
import { readOriginAssociation } from '../../../src/core/domains/documents/origin-association.js';
import { LinkResolver } from '../../../src/core/domains/explain.js';
import type { AskFacts } from '../../../src/core/domains/explain-types.js';
import type { LinkFilter } from '../../../src/core/links/intent-filter.js';

const ID = 'example.saltmarsh.ferry';
const APPLE = `A1B2C3D4E5.${ID}`;
const [AB, CD] = ['AB', 'CD'].map((pair) => Array(32).fill(pair).join(':')) as [string, string];
const LINKS = 'delegate_permission/common.handle_all_urls';
const HOST = 'ferry.saltmarsh.example';
const bytes = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));
const location = { url: `https://${HOST}/.well-known/x` };

const statement = (more: object = {}) => ({
  relation: [LINKS],
  target: { namespace: 'android_app', package_name: ID, sha256_cert_fingerprints: [AB] },
  ...more,
});
const filter = (more: Partial<LinkFilter> = {}): LinkFilter => ({
  autoVerify: true,
  forLinks: true,
  schemes: ['https'],
  hosts: [{ host: HOST }],
  paths: [{ part: 'path', kind: 'prefix', text: '/' }],
  groups: [],
  ...more,
});

type Android = NonNullable<AskFacts['android']>;
function android(list: unknown, more: Partial<Android> = {}, host = HOST): AskFacts {
  return {
    android: {
      packageName: ID,
      certificates: [AB],
      filters: [filter()],
      from: 'hull.json',
      minSdk: 24,
      links: [],
      documents: new Map([[host, { location, document: readAssetLinks(location, bytes(list)) }]]),
      ...more,
    },
    apple: undefined,
    web: undefined,
    staysInside: () => true,
  };
}
const ask = (facts: AskFacts, url = `https://${HOST}/pier`) => new LinkResolver(facts).ask(url, 'steps');

describe('Android opens a link in the app', () => {
  it('where filter, document and certificate agree', () => {
    expect(ask(android([statement()]))?.android).toMatchObject({ opens: 'app', rule: '/*' });
    const wildcard = android([statement()], { filters: [filter({ hosts: [{ host: `*.${HOST}` }] })] });
    expect(ask(wildcard, `https://isle.${HOST}/`)?.android?.opens).toBe('app');
  });

  it.each<[string, AskFacts, RegExp]>([
    ['the document is about other apps', android([]), /does not name/],
    [
      'it is signed with another key',
      android([statement()], { certificates: [CD] }),
      /no certificate of the app/,
    ],
    ['the host has no document', android([statement()], {}, 'other.example'), /is not there/],
    [
      'the filter is not verified',
      android([statement()], { filters: [filter({ autoVerify: false })] }),
      /without verification/,
    ],
    [
      'the filter is for other hosts',
      android([statement()], { filters: [filter({ hosts: [{ host: 'a.example' }] })] }),
      /another host/,
    ],
    ['the relation is another', android([{ ...statement(), relation: ['x/y'] }]), /for links/],
    ['the list is broken', android([{ relation: 1 }]), /does not name/],
  ])('and not where %s', (_why, facts, rule) => {
    const answer = ask(facts)?.android;
    expect(answer?.opens).toBe('browser');
    expect(answer?.rule).toMatch(rule);
    expect(answer?.steps.at(-1)?.holds).toBe(false);
  });

  it('unless the document leaves it out, for devices that read its rules', () => {
    const rules = {
      [LINKS]: { dynamic_app_link_components: [{ '/': '/pier*', exclude: true }, { '/': '*' }] },
    };
    const facts = android([statement({ relation_extensions: rules })]);
    expect(ask(facts)?.android).toMatchObject({
      opens: 'browser',
      before: { version: 'API 35', opens: 'app' },
    });
    expect(ask(facts, `https://${HOST}/x`)?.android?.opens).toBe('app');
  });

  it('and says where the app would show another page', () => {
    const facts = { ...android([statement()]), staysInside: () => false };
    expect(ask(facts)?.android?.steps.at(-1)?.text).toContain('web.inside');
  });
});

describe('an Apple device opens a link in the app', () => {
  const apple = (older: boolean, hosts = [`*.${HOST}`, HOST]): AskFacts => ({
    android: undefined,
    apple: {
      appId: APPLE,
      hosts,
      older,
      documents: new Map([
        [
          HOST,
          {
            location,
            document: readAppleAssociation(
              location,
              bytes({
                applinks: {
                  apps: [],
                  details: [
                    { appIDs: [APPLE], appID: APPLE, paths: ['/old/*'], components: [{ '/': '/new/*' }] },
                  ],
                },
              }),
            ),
          },
        ],
      ]),
    },
    web: undefined,
    staysInside: () => true,
  });

  it('by the form that it reads', () => {
    expect(ask(apple(true), `https://${HOST}/new/x`)?.apple).toMatchObject({
      opens: 'app',
      before: { version: 'version 13', opens: 'browser' },
    });
    expect(ask(apple(true), `https://isle.${HOST}/old/x`)?.apple).toMatchObject({
      opens: 'browser',
      before: { opens: 'app' },
    });
    expect(ask(apple(false), `https://${HOST}/old/x`)?.apple?.before).toBeUndefined();
  });

  it('on the hosts and the port of its entitlement', () => {
    for (const url of [`https://${HOST}:8443/new/x`, 'https://a.example/new/x']) {
      expect(ask(apple(false), url)?.apple?.opens, url).toBe('browser');
    }
    expect(ask(apple(false, ['b.example']), 'https://b.example/')?.apple?.rule).toContain('is not there');
  });
});

describe('an installed web app opens a link', () => {
  const id = `https://${HOST}/`;
  const web = (documents: Record<string, object>): AskFacts => ({
    android: undefined,
    apple: undefined,
    web: {
      id,
      scope: new URL(`https://${HOST}/app/`),
      extensions: [
        { origin: new URL('https://isles.example'), wildcard: true },
        { origin: new URL('https://tickets.example'), wildcard: false },
      ],
      manifest: 'site/manifest.webmanifest',
      documents: new Map(
        Object.entries(documents).map(([host, value]) => [
          host,
          { location, document: readOriginAssociation(location, bytes(value)) },
        ]),
      ),
    },
    staysInside: () => true,
  });

  it.each([
    [`https://${HOST}/app/x`, {}, 'app'],
    [`https://${HOST}/other`, {}, 'browser'],
    ['https://tickets.example/x', {}, 'browser'],
    ['https://tickets.example/x', { 'tickets.example': { [id]: {} } }, 'app'],
    ['https://tickets.example/x', { 'tickets.example': { [id]: { scope: '/show' } } }, 'browser'],
    ['https://tickets.example/show/1', { 'tickets.example': { [id]: { scope: '/show' } } }, 'app'],
    ['https://tickets.example/x', { 'tickets.example': { 'https://other.example/': {} } }, 'browser'],
    ['https://a.isles.example/', { 'isles.example': { [id]: {} } }, 'app'],
  ])('%s by %j: %s', (url, documents, opens) => {
    expect(ask(web(documents), url)?.web?.opens).toBe(opens);
  });
});

describe('what is no address of the web', () => {
  it.each(['ferry', 'mailto:a@b.example', 'javascript:1', 'https://', '//a.example/'])(
    '%s has no answer',
    (text) => {
      expect(ask(android([]), text)).toBeUndefined();
    },
  );
});
