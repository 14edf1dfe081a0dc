import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { URLPattern } from 'urlpattern-polyfill/urlpattern';
import { describe, expect, it } from 'vitest';
import { readAppleAssociation } from '../../../src/core/domains/documents/apple-association.js';
import { readAssetLinks } from '../../../src/core/domains/documents/asset-links.js';
import { type AppleForm, compileApple } from '../../../src/core/domains/match-apple.js';
import { compileComponents } from '../../../src/core/links/components.js';
import { compileHostRules } from '../../../src/core/links/host-rules.js';
import { compileFilter, type LinkFilter } from '../../../src/core/links/intent-filter.js';
import { LinkUrl, normalizeEncoding } from '../../../src/core/links/link-url.js';
import type { PathRule } from '../../../src/core/links/links.js';
import {
  type PatternKind,
  patternMatcherMatches,
  patternPrefix,
} from '../../../src/core/links/pattern-matcher.js';
import { RuleIndex } from '../../../src/core/links/rule-index.js';
import { extensionMatches, withinScope } from '../../../src/core/links/scope.js';
import { compileWildcard } from '../../../src/core/links/wildcard.js';
import { ROOT } from '../../support/hull.js';

/** Cases out of the specifications' own examples, as data. */
const CASES = JSON.parse(readFileSync(join(ROOT, 'test/fixtures/link-rules.json'), 'utf8')) as {
  apple: { source: string; form?: AppleForm; document: object; opens: string[]; leaves: string[] }[];
  dynamic: { source: string; components: object[]; opens: string[]; leaves: string[] }[];
  patterns: [PatternKind, string, string[], string[]][];
  scope: [string, string[], string[]][];
};
const APP = 'A1B2C3D4E5.example.saltmarsh.ferry';
const HOST = 'https://ferry.saltmarsh.example';
const link = (path: string) => LinkUrl.read(path.startsWith('/') ? `${HOST}${path}` : path) as LinkUrl;
const bytes = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));

describe('the rules of Apple App Site Association', () => {
  it.each(CASES.apple)('$source', ({ document, form = 'components', opens, leaves }) => {
    const rules = compileApple(readAppleAssociation({ file: 'x' }, bytes(document)), APP, form);
    const isOpened = (path: string) => {
      const rule = rules(link(path));
      return rule !== undefined && !rule.exclude;
    };
    for (const path of opens) expect(isOpened(path), path).toBe(true);
    for (const path of leaves) expect(isOpened(path), path).toBe(false);
  });
});

describe('the rules of Digital Asset Links for newer devices', () => {
  it.each(CASES.dynamic)('$source', ({ components, opens, leaves }) => {
    const relation = 'delegate_permission/common.handle_all_urls';
    const read = readAssetLinks(
      { file: 'x' },
      bytes([
        {
          relation: [relation],
          target: {
            namespace: 'android_app',
            package_name: 'example.saltmarsh.ferry',
            sha256_cert_fingerprints: [Array(32).fill('AB').join(':')],
          },
          relation_extensions: { [relation]: { dynamic_app_link_components: components } },
        },
      ]),
    );
    expect(read.faults).toEqual([]);
    const rules = compileComponents(read.statements[0]?.dynamic ?? []);
    const isOpened = (path: string) => rules(link(path))?.exclude === false;
    for (const path of opens) expect(isOpened(path), path).toBe(true);
    for (const path of leaves) expect(isOpened(path), path).toBe(false);
  });
});

describe('the patterns of intent filters', () => {
  it.each(CASES.patterns)('%s %s', (kind, pattern, matches, others) => {
    for (const text of matches) {
      expect(patternMatcherMatches(kind, pattern, text), text).toBe(true);
      expect(text.startsWith(patternPrefix(kind, pattern)), text).toBe(true);
    }
    for (const text of others) expect(patternMatcherMatches(kind, pattern, text), text).toBe(false);
  });

  it('are found by what they begin with, whatever they are', () => {
    const pattern = fc.stringMatching(/^\/[ab.*\\]{0,6}$/);
    const text = fc.stringMatching(/^\/[ab.]{0,6}$/);
    fc.assert(
      fc.property(pattern, text, (own, path) => {
        if (patternMatcherMatches('simple', own, path)) {
          expect(path.startsWith(patternPrefix('simple', own))).toBe(true);
        }
      }),
      { numRuns: 2000 },
    );
  });

  const filter: LinkFilter = {
    autoVerify: true,
    forLinks: true,
    schemes: ['https'],
    hosts: [{ host: '*.saltmarsh.example' }, { host: 'saltmarsh.example', port: 8443 }],
    paths: [],
    groups: [],
  };

  it.each([
    ['https://ferry.saltmarsh.example/', true, 'whole-host'],
    ['https://FERRY.saltmarsh.example:99/x', true, 'whole-host'],
    ['https://saltmarsh.example/', false, 'port'],
    ['https://saltmarsh.example:8443/', true, 'whole-host'],
    ['https://other.example/', false, 'host'],
    ['http://ferry.saltmarsh.example/', false, 'scheme'],
  ])('know hosts and ports: %s', (url, matches, why) => {
    expect(compileFilter(filter, 34)(link(url))).toMatchObject({ matches, why });
  });

  it('count paths beside groups, and groups from API 35 on', () => {
    const own: LinkFilter = {
      ...filter,
      hosts: [{ host: 'ferry.saltmarsh.example' }],
      paths: [
        { part: 'path', kind: 'prefix', text: '/', before: 35 },
        { part: 'path', kind: 'prefix', text: '-', since: 35 },
        { part: 'path', kind: 'suffix', text: '.pdf' },
      ],
      groups: [
        { allow: false, parts: [{ part: 'path', kind: 'prefix', text: '/admin/' }] },
        {
          allow: true,
          parts: [
            { part: 'path', kind: 'literal', text: '/show' },
            { part: 'query', kind: 'simple', text: 'code=..*' },
            { part: 'fragment', kind: 'literal', text: 'top' },
          ],
        },
        { allow: true, parts: [] },
      ],
    };
    const at = (level: number, path: string) => compileFilter(own, level)(link(path)).matches;
    expect([at(34, '/admin/x'), at(35, '/admin/x')]).toEqual([true, false]);
    expect([at(35, '/show?a=1&code=%41#top'), at(35, '/show?code=#top'), at(35, '/show?code=1')]).toEqual([
      true,
      false,
      false,
    ]);
    expect(at(35, '/show?x=1;code=2#top')).toBe(true);
    // What stands beside the groups is not asked whether they leave it out.
    expect(at(35, '/admin/x.pdf')).toBe(true);
    expect(at(30, '/x.pdf')).toBe(true);
    expect(at(35, '/other')).toBe(false);
  });

  it('take an address that ends with its host for one without a path, as the framework does', () => {
    const own: LinkFilter = {
      ...filter,
      hosts: [{ host: 'a.example' }],
      paths: [{ part: 'path', kind: 'prefix', text: '/' }],
    };
    expect(compileFilter(own, 33)(link('https://a.example')).matches).toBe(false);
    expect(compileFilter(own, 33)(link('https://a.example/')).matches).toBe(true);
  });
});

describe('scopes of web apps', () => {
  it.each(CASES.scope)('%s', (scope, inside, outside) => {
    for (const url of inside) expect(withinScope(link(url), new URL(scope)), url).toBe(true);
    for (const url of outside) expect(withinScope(link(url), new URL(scope)), url).toBe(false);
  });

  it('extend to origins, and to those below one', () => {
    const origin = new URL('https://isles.example');
    const extends_ = (url: string, wildcard: boolean) => extensionMatches({ origin, wildcard }, link(url));
    expect([extends_('https://isles.example/x', false), extends_('https://a.isles.example/', false)]).toEqual(
      [true, false],
    );
    expect([extends_('https://a.isles.example/x', true), extends_('https://isles.example/', true)]).toEqual([
      true,
      false,
    ]);
    expect(extends_('https://isles.example:444/', false)).toBe(false);
  });
});

describe('wildcards', () => {
  const letters = fc.stringMatching(/^[ab/]{0,8}$/);

  it('match what a regular expression of the same meaning does', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[ab/*?]{0,8}$/), letters, (pattern, text) => {
        const same = new RegExp(`^${pattern.replaceAll('*', '.*').replaceAll('?', '.')}$`, 's');
        const own = compileWildcard(pattern, { caseSensitive: true });
        expect(own.test(text)).toBe(same.test(text));
        if (own.test(text)) expect(text.startsWith(own.prefix)).toBe(true);
      }),
      { numRuns: 3000 },
    );
  });

  it('agree with the URL pattern standard where both have the same signs', () => {
    fc.assert(
      fc.property(
        fc.stringMatching(/^\/[ab/*-]{0,8}$/),
        fc.stringMatching(/^\/[ab/-]{0,8}$/),
        (pattern, path) => {
          fc.pre(!path.includes('//') && !pattern.includes('**'));
          const standard = new URLPattern({ pathname: pattern });
          expect(compileWildcard(pattern, { caseSensitive: true }).test(path)).toBe(
            standard.test({ pathname: path }),
          );
        },
      ),
      { numRuns: 2000 },
    );
  });

  // A pattern that goes back at each of its parts would not come to an end here.
  it('come to an end with patterns that are made to be slow', () => {
    const variables = new Map([['v', ['*a', '*aa', 'a*']]]);
    const slow = compileWildcard(`/${'$(v)*a?'.repeat(40)}b`, { caseSensitive: true, variables });
    expect(slow.test(`/${'a'.repeat(2000)}`)).toBe(false);
  });
});

describe('lists of rules', () => {
  it('are decided by the first that matches, however many begin alike', () => {
    const rules = fc.array(fc.stringMatching(/^[ab]{0,3}$/), { maxLength: 12 });
    fc.assert(
      fc.property(rules, fc.stringMatching(/^[ab]{0,5}$/), fc.nat({ max: 3 }), (prefixes, text, odd) => {
        const list = prefixes.map((prefix, index) => ({ prefix, index }));
        const holds = ({ index }: { index: number }) => index % 4 !== odd;
        const expected = list.find((rule) => text.startsWith(rule.prefix) && holds(rule));
        expect(new RuleIndex(list).first(text, holds)).toEqual(expected);
      }),
      { numRuns: 1000 },
    );
  });

  const path = fc.stringMatching(/^\/[ab*/]{0,5}$/);

  it('of hull.json leave out what one of them leaves out, in any order', () => {
    const rule = fc.record({ allow: fc.boolean(), pattern: path });
    fc.assert(
      fc.property(fc.array(rule, { maxLength: 6 }), fc.stringMatching(/^\/[ab/]{0,6}$/), (rules, url) => {
        const matching = rules.filter(({ pattern }) =>
          compileWildcard(pattern, { caseSensitive: true }).test(url),
        );
        const expected = matching.length > 0 && matching.every(({ allow }) => allow);
        const own = link(`${HOST}${url}`);
        fc.pre(own.path === url);
        expect(compileHostRules(rules)(own)?.allow ?? false).toBe(expected);
        expect(compileHostRules([...rules].reverse())(own)?.allow ?? false).toBe(expected);
      }),
      { numRuns: 1000 },
    );
  });

  it('do not mind how a path is encoded', () => {
    const encodeAll = (text: string) =>
      [...Buffer.from(text)].map((byte) => `%${byte.toString(16).padStart(2, '0')}`).join('');
    fc.assert(
      fc.property(fc.stringMatching(/^[a-zä~-]{1,6}$/), (word) => {
        const rules: PathRule[] = [{ allow: true, pattern: normalizeEncoding(`/x/${word}/*`) }];
        const document = {
          applinks: { details: [{ appIDs: [APP], components: [{ '/': `/x/${word}/*` }] }] },
        };
        const apple = compileApple(readAppleAssociation({ file: 'x' }, bytes(document)), APP, 'components');
        for (const written of [
          word,
          encodeURIComponent(word),
          encodeAll(word),
          encodeAll(word).toUpperCase(),
        ]) {
          expect(compileHostRules(rules)(link(`/x/${written}/y`))?.allow, written).toBe(true);
          expect(apple(link(`/x/${written}/y`))?.exclude, written).toBe(false);
        }
      }),
    );
  });
});
