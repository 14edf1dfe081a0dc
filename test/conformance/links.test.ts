import { join } from 'node:path';
import { expect } from 'vitest';
import type { FilterPart, LinkFilter } from '../../src/core/links/intent-filter.js';
import type { PatternKind } from '../../src/core/links/pattern-matcher.js';
import { inspectPackage } from '../../src/core/platforms/android/inspect/inspect.js';
import { hull } from '../support/hull.js';
import { ask, readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** Intent filters as another reader prints them: what they say of links has to be what `ask` goes by. */

interface Dumped {
  readonly name: string;
  readonly attributes: Record<string, string>;
  readonly children: Dumped[];
}

/** The tree that `aapt dump xmltree` prints; values as texts, references as `@0x…`. */
function readTree(text: string): Dumped {
  const root: Dumped = { name: '', attributes: {}, children: [] };
  const above: { depth: number; node: Dumped }[] = [{ depth: -1, node: root }];
  for (const line of text.split('\n')) {
    const depth = line.search(/\S/);
    const element = /^\s*E: ([\w-]+)/.exec(line)?.[1];
    const attribute =
      /^\s*A: (?:android:)?(\w+)(?:\(0x\w+\))?=(?:"(.*?)" \(Raw|(@0x\w+)|\(type 0x\w+\)(0x\w+))/.exec(line);
    if (element) {
      while ((above.at(-1)?.depth ?? -1) >= depth) above.pop();
      const node: Dumped = { name: element, attributes: {}, children: [] };
      above.at(-1)?.node.children.push(node);
      above.push({ depth, node });
    } else if (attribute) {
      const [, name = '', quoted, reference, number] = attribute;
      const owner = above.at(-1)?.node;
      if (owner) owner.attributes[name] = quoted ?? reference ?? number ?? '';
    }
  }
  return root;
}

/** String resources by ID: the default, and the value for API 35. */
function readStrings(text: string): Map<string, { usual: string; from35?: string }> {
  const found = new Map<string, { usual: string; from35?: string }>();
  let config = '';
  let id = '';
  for (const line of text.split('\n')) {
    config = /^\s*config ([^:]+):/.exec(line)?.[1] ?? config;
    id = /^\s*resource (0x\w+) [^:]+:string\//.exec(line)?.[1] ?? id;
    const value = /^\s*\(string\d+\) "(.*)"/.exec(line)?.[1];
    if (value === undefined || id === '') continue;
    if (config === '(default)') found.set(id, { usual: value });
    else if (config === 'v35') found.set(id, { ...(found.get(id) ?? { usual: '' }), from35: value });
    id = '';
  }
  return found;
}

const PARTS = ['path', 'query', 'fragment'] as const;
const KINDS: readonly [string, PatternKind][] = [
  ['', 'literal'],
  ['Prefix', 'prefix'],
  ['Pattern', 'simple'],
];

readerTest('aapt', 'aapt reads the filters that hull domains explain goes by', async () => {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': '<!doctype html><title>Ferry</title>',
    'icon.svg':
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="3"/></svg>',
    'hull.json': JSON.stringify({
      app: { id: 'example.saltmarsh.ferry', name: 'Ferry', version: '1.4.0', build: 7 },
      web: { folder: 'site' },
      look: { icon: 'icon.svg' },
      links: [
        { host: 'ferry.saltmarsh.example', paths: ['/timetable/*', '/a.b*c', '!/timetable/old/*', '/fähre'] },
        {
          host: 'tickets.saltmarsh.example',
          paths: [{ path: '/show', query: { code: '*', boat: 'gull-*' }, fragment: 'top' }, '!/show/staff'],
        },
        { host: '*.isles.example' },
      ],
    }),
  });
  expect((await hull(['keys', 'new', '--yes'], { cwd: dir })).code).toBe(0);
  const packed = await hull(['pack', 'apk', '--json'], { cwd: dir });
  expect(packed.code, packed.err).toBe(0);
  const apk = join(dir, 'out/example.saltmarsh.ferry-1.4.0-7.apk');
  const tree = readTree(ask('aapt', 'dump', 'xmltree', apk, 'AndroidManifest.xml'));
  const strings = readStrings(ask('aapt', 'dump', '--values', 'resources', apk));
  // Printed texts have their backslashes doubled.
  const plain = (text: string) => text.replaceAll('\\\\', '\\');
  const values = (text: string): Pick<FilterPart, 'text' | 'since' | 'before'>[] => {
    if (!text.startsWith('@')) return [{ text: plain(text) }];
    const { usual, from35 } = strings.get(text.slice(1)) ?? { usual: '?' };
    return from35 === undefined
      ? [{ text: plain(usual) }]
      : [
          { text: plain(usual), before: 35 },
          { text: plain(from35), since: 35 },
        ];
  };
  const parts = (data: Dumped[]): FilterPart[] =>
    data.flatMap(({ attributes }) =>
      PARTS.flatMap((part) =>
        KINDS.flatMap(([ending, kind]) => {
          const text = attributes[`${part}${ending}`];
          return text === undefined ? [] : values(text).map((value) => ({ part, kind, ...value }));
        }),
      ),
    );
  const named = (node: Dumped, name: string): Dumped[] =>
    node.children.filter((child) => child.name === name);
  const all = (node: Dumped): Dumped[] => [node, ...node.children.flatMap(all)];
  const filters = all(tree)
    .filter(({ name }) => name === 'intent-filter')
    .filter((node) => named(node, 'data').some(({ attributes }) => attributes.scheme === 'https'))
    .map(
      (node): LinkFilter => ({
        autoVerify: node.attributes.autoVerify === '0xffffffff',
        forLinks: true,
        schemes: named(node, 'data').flatMap(({ attributes }) => attributes.scheme ?? []),
        hosts: named(node, 'data').flatMap(({ attributes }) =>
          attributes.host === undefined ? [] : [{ host: attributes.host }],
        ),
        paths: parts(named(node, 'data')),
        groups: named(node, 'uri-relative-filter-group').map((group) => ({
          allow: group.attributes.allow !== '0x0',
          parts: parts(named(group, 'data')),
        })),
      }),
    );
  expect(filters).toHaveLength(3);
  const { linkFilters } = await inspectPackage(apk);
  expect(linkFilters).toEqual(filters);
});
