import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  type AppleClaim,
  mergeAppleAssociation,
  readAppleAssociation,
} from '../../../src/core/domains/documents/apple-association.js';
import {
  type AppClaim,
  fingerprintFault,
  mergeAssetLinks,
  readAssetLinks,
} from '../../../src/core/domains/documents/asset-links.js';
import {
  mergeOriginAssociation,
  readOriginAssociation,
} from '../../../src/core/domains/documents/origin-association.js';
import { isHostFault, readHostName, shownHost } from '../../../src/core/links/host.js';
import { wwwVariant } from '../../../src/core/util/url-path.js';
import { holdsAgainst } from '../../support/errors.js';

const text = (value: string | object) =>
  new TextEncoder().encode(typeof value === 'string' ? value : JSON.stringify(value));
const AB = Array(32).fill('AB').join(':');
const CD = Array(32).fill('CD').join(':');
const LINKS = 'delegate_permission/common.handle_all_urls';
const location = { file: 'assetlinks.json' };
const statement = (packageName: string, fingerprints: string[], relation = LINKS) => ({
  relation: [relation],
  target: { namespace: 'android_app', package_name: packageName, sha256_cert_fingerprints: fingerprints },
});

describe('hosts', () => {
  it.each([
    ['ferry.saltmarsh.example', 'ferry.saltmarsh.example', false],
    ['*.saltmarsh.example', 'saltmarsh.example', true],
    ['fähre.example', 'xn--fhre-loa.example', false],
    ['xn--fhre-loa.example', 'xn--fhre-loa.example', false],
  ])('%s is one', (given, name, wildcard) => {
    expect(readHostName(given)).toMatchObject({ name, wildcard });
  });

  it.each([
    ['https://a.example', 'whole address'],
    ['a.example/x', 'not a host'],
    ['192.0.2.7', 'address of a machine'],
    ['[2001:db8::1]', 'address of a machine'],
    ['2001:db8::1', 'address of a machine'],
    ['a.example:8443', 'names a port'],
    ['a.*.example', 'no platform takes one'],
    ['*example.example', 'no platform takes one'],
    ['A.example', 'capital'],
    ['a.example.', 'ends with a dot'],
    ['a_b.example', 'not a host'],
    ['localhost', 'no domain'],
    ['-a.example', 'not a host'],
    [`${'a'.repeat(64)}.example`, 'not a host'],
  ])('%s is none', (given, why) => {
    const read = readHostName(given);
    if (!isHostFault(read)) throw new Error('taken for a host');
    expect(read.observed).toContain(why);
    expect(read.fix).not.toBe('');
  });

  it('are shown both ways, and have a variant that people type', () => {
    expect(shownHost('xn--fhre-loa.example')).toBe('xn--fhre-loa.example (fähre.example)');
    expect(wwwVariant('saltmarsh.example')).toBe('www.saltmarsh.example');
    expect(wwwVariant('www.saltmarsh.example')).toBe('saltmarsh.example');
    expect(wwwVariant('ferry.saltmarsh.example')).toBeUndefined();
  });
});

describe('documents that are none', () => {
  const gzip = Uint8Array.of(0x1f, 0x8b, 8, 0);
  it.each([
    ['nothing', text(''), 'empty'],
    ['gzip', gzip, 'gzip'],
    ['a byte-order mark', Uint8Array.of(0xef, 0xbb, 0xbf, 0x5b, 0x5d), 'byte-order mark'],
    ['UTF-16', Uint8Array.of(0xff, 0xfe, 0x5b, 0), 'UTF-16'],
    ['a page', text('  <!doctype html><title>x</title>'), 'HTML'],
    ['broken letters', Uint8Array.of(0x5b, 0xff, 0x5d), 'UTF-8'],
    ['a signed one', Uint8Array.of(0x30, 0x82, 1, 2), 'CMS'],
    ['a comment', text('[ // x\n]'), 'Comments'],
    ['a comma too many', text('[1,]'), 'value'],
  ])('%s is told as what it is', (_what, bytes, observed) => {
    for (const read of [readAssetLinks, readAppleAssociation, readOriginAssociation]) {
      const [fault] = read(location, bytes).faults;
      expect(fault).toMatchObject({ severity: 'error' });
      expect(fault?.observed).toContain(observed);
    }
  });

  it('of any bytes are faults, and never an accident', async () => {
    await fc.assert(
      fc.asyncProperty(fc.oneof(fc.uint8Array(), fc.json().map(text)), async (bytes) => {
        for (const read of [readAssetLinks, readAppleAssociation, readOriginAssociation]) {
          expect(await holdsAgainst(() => read(location, bytes))).toBe('result');
        }
      }),
      { numRuns: 300 },
    );
  });
});

describe('statement lists', () => {
  it.each([
    [AB, undefined],
    [AB.toLowerCase(), 'lower-case'],
    [AB.replaceAll(':', ''), 'colon'],
    [AB.slice(0, 59), 'SHA-1'],
    [AB.slice(0, -3), '31 bytes'],
    ['not one', 'hexadecimal'],
  ])('tell of a fingerprint %s: %s', (given, why) => {
    if (why === undefined) expect(fingerprintFault(given)).toBeUndefined();
    else expect(fingerprintFault(given)).toContain(why);
  });

  it('tell what is wrong with its line', () => {
    const list = `[\n  {"relation":"x","target":{}},\n  ${JSON.stringify(statement('a.b', [AB.slice(0, 59)]))}\n]`;
    const { faults, statements } = readAssetLinks(location, text(list));
    expect(faults.map((fault) => [fault.location.line, fault.observed.slice(0, 24)])).toEqual([
      [2, 'The relation is not a li'],
      [3, `The fingerprint ${AB.slice(0, 8)}`],
    ]);
    expect(statements[0]?.fingerprints).toEqual([]);
  });

  const claim = (more: Partial<AppClaim> = {}): AppClaim => ({
    packageName: 'example.saltmarsh.ferry',
    fingerprints: [AB],
    relations: [LINKS],
    dynamic: [],
    ...more,
  });

  it('keep what they say of others, in their order, and what is not ours of the app', () => {
    const others = [
      statement('example.other', [CD]),
      { relation: [LINKS], target: { namespace: 'web', site: 'https://a.example' } },
      { include: 'https://a.example/list.json' },
      statement('example.saltmarsh.ferry', [CD], 'delegate_permission/common.use_as_origin'),
    ];
    const before = [others[0], statement('example.saltmarsh.ferry', [CD]), ...others.slice(1)];
    const after = mergeAssetLinks(before, [claim()]);
    expect(after.filter((_item, index) => index !== 1)).toEqual(others);
    expect(after[1]).toEqual(statement('example.saltmarsh.ferry', [AB]));
    expect(mergeAssetLinks(after, [claim()])).toEqual(after);
    expect(mergeAssetLinks(undefined, [claim()])).toHaveLength(1);
  });

  it('lose rules that are no longer meant', () => {
    const withRules = mergeAssetLinks([], [claim({ dynamic: [{ '/': '/a', exclude: true }] })]);
    expect(readAssetLinks(location, text(withRules)).statements[0]?.dynamic).toHaveLength(1);
    const without = mergeAssetLinks(withRules, [claim()]);
    expect(readAssetLinks(location, text(without)).statements[0]?.dynamic).toBeUndefined();
  });
});

describe('Apple documents', () => {
  const APP = 'A1B2C3D4E5.example.saltmarsh.ferry';
  const claim: AppleClaim = {
    appId: APP,
    components: [{ '/': '/*' }],
    paths: [],
    credentials: true,
    clip: 'A1B2C3D4E5.example.saltmarsh.ferry.Clip',
  };

  it('keep other apps, also those that shared an entry, and say it twice alike', () => {
    const before = {
      applinks: {
        details: [
          { appIDs: ['B1B2C3D4E5.example.other', APP], components: [{ '/': '/old/*' }] },
          { appIDs: ['B1B2C3D4E5.example.third'], components: [] },
        ],
      },
      webcredentials: { apps: ['B1B2C3D4E5.example.other'] },
      activitycontinuation: { apps: ['B1B2C3D4E5.example.other'] },
    };
    const after = mergeAppleAssociation(before, claim);
    const read = readAppleAssociation(location, text(after));
    expect(read.details.map(({ appIds }) => appIds)).toEqual([
      [APP],
      ['B1B2C3D4E5.example.other'],
      ['B1B2C3D4E5.example.third'],
    ]);
    expect(read.credentials).toEqual(['B1B2C3D4E5.example.other', APP]);
    expect(read.clips).toEqual([claim.clip]);
    expect(after.activitycontinuation).toEqual(before.activitycontinuation);
    expect(mergeAppleAssociation(after, claim)).toEqual(after);
    const withdrawn = mergeAppleAssociation(after, { ...claim, components: [], credentials: false });
    expect(readAppleAssociation(location, text(withdrawn)).details.map(({ appIds }) => appIds)).toEqual([
      ['B1B2C3D4E5.example.other'],
      ['B1B2C3D4E5.example.third'],
    ]);
  });

  it('have an older form where old devices are meant', () => {
    const after = mergeAppleAssociation(undefined, { ...claim, paths: ['NOT /admin/*', '/*'] });
    const [detail] = readAppleAssociation(location, text(after)).details;
    expect(detail?.paths.map(({ path, exclude }) => [path, exclude])).toEqual([
      ['/admin/*', true],
      ['/*', false],
    ]);
    expect((after.applinks as { apps: unknown }).apps).toEqual([]);
  });

  it.each([
    [{ applinks: { details: [{ components: [] }] } }, 'names no app'],
    [{ applinks: { details: [{ appIDs: ['ferry'], components: [] }] } }, 'is no app ID'],
    [{ applinks: { details: [{ appIDs: [APP], components: [{ '/': '/$(boat)' }] }] } }, 'defined nowhere'],
    [{ applinks: { details: [{ appIDs: [APP], components: [{ '/': 'pier' }] }] } }, 'without a slash'],
    [
      {
        applinks: {
          details: [{ appIDs: [APP], components: [{ '/': '/a/*' }, { '/': '/a/b?', '?': 'x=*' }] }],
        },
      },
      '/a/b? never decides: /a/* before it',
    ],
    [[], 'not an object'],
  ])('tell what is wrong: %j', (document, observed) => {
    const { faults } = readAppleAssociation(location, text(document));
    expect(faults[0]?.observed).toContain(observed);
  });

  it.each([
    [[{ '/': '/a/*', '?': 'x=1' }, { '/': '/a/b' }]],
    [[{ '/': '/a/?' }, { '/': '/a/*' }]],
    [[{ '/': '/a/b' }, { '/': '/a/*' }]],
    [[{ '/': '/a*b' }, { '/': '/a*' }]],
  ])('say nothing of rules that may all decide: %j', (components) => {
    const document = { applinks: { details: [{ appIDs: [APP], components }] } };
    expect(readAppleAssociation(location, text(document)).faults).toEqual([]);
  });

  it('are refused above 128 KiB', () => {
    const components = Array.from({ length: 7000 }, (_none, index) => ({ '/': `/pier-${index}/*` }));
    const document = { applinks: { details: [{ appIDs: [APP], components }] } };
    expect(readAppleAssociation(location, text(document)).faults[0]?.observed).toContain('131072');
  });
});

describe('origin documents', () => {
  it('name web apps and their scope, and keep others', () => {
    const id = 'https://ferry.saltmarsh.example/';
    const before = { 'https://other.example/': { scope: '/x' }, [id]: { scope: '/old', note: 1 } };
    const after = mergeOriginAssociation(before, id, '/');
    expect(after).toEqual({ 'https://other.example/': { scope: '/x' }, [id]: { note: 1 } });
    expect(readOriginAssociation(location, text(after)).apps.map(({ scope }) => scope)).toEqual(['/x', '/']);
    expect(readOriginAssociation(location, text({ ferry: {} })).faults[0]?.observed).toContain('not the id');
  });
});
