import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ResourceLookup } from '../../../src/core/formats/arsc/lookup.js';
import { readResourceTable } from '../../../src/core/formats/arsc/reader.js';
import type { ConfiguredValue, ResourceConfig, ResourceTable } from '../../../src/core/formats/arsc/types.js';
import { writeResourceTable } from '../../../src/core/formats/arsc/writer.js';
import { ByteReader } from '../../../src/core/formats/bytes/reader.js';
import { readStringPool, writeStringPool } from '../../../src/core/formats/string-pool/string-pool.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { mutations } from '../../support/hostile.js';
import { values } from '../../support/resource-values.js';

const config: fc.Arbitrary<ResourceConfig> = fc
  .record({
    density: fc.constantFrom(undefined, 160, 320, 640, 0xfffe),
    sdk: fc.constantFrom(undefined, 26, 31),
    locale: fc.constantFrom(undefined, 'en', 'nb-NO', 'zh-Hant-TW', 'fil', 'es-419', 'sr-Latn'),
    night: fc.constantFrom(undefined, true, false),
  })
  .map((row) => Object.fromEntries(Object.entries(row).filter(([, value]) => value !== undefined)));

const bag = fc
  .uniqueArray(fc.tuple(fc.integer({ min: 0x01010000, max: 0x0101ffff }), values), {
    maxLength: 4,
    selector: ([key]) => key,
  })
  .map((items) => ({
    type: 'bag' as const,
    parent: 0x01030241,
    items: items.sort(([a], [b]) => a - b).map(([key, value]) => ({ key, value })),
  }));

const configured: fc.Arbitrary<ConfiguredValue[]> = fc.uniqueArray(
  fc.record({ config, value: fc.oneof({ weight: 4, arbitrary: values }, { weight: 1, arbitrary: bag }) }),
  { minLength: 1, maxLength: 4, selector: (item) => JSON.stringify(item.config) },
);

const table: fc.Arbitrary<ResourceTable> = fc
  .uniqueArray(fc.constantFrom('string', 'color', 'mipmap', 'style'), { minLength: 1, maxLength: 4 })
  .chain((names) =>
    fc.tuple(
      ...names.map((name) =>
        fc.array(configured, { minLength: 1, maxLength: 4 }).map((rows) => ({ name, rows })),
      ),
    ),
  )
  .map((types) => ({
    packages: [
      {
        id: 0x7f,
        name: 'example.saltmarsh.ferry',
        types: types.map(({ name, rows }, index) => ({
          id: index + 1,
          name,
          entries: rows.map((list, at) => ({ index: at, name: `${name}_${at}`, values: list })),
        })),
      },
    ],
  }));

/** Values are read back grouped by configuration; their order within an entry says nothing. */
function sorted(item: ResourceTable): ResourceTable {
  const key = (value: ConfiguredValue) => JSON.stringify(Object.entries(value.config).sort());
  return {
    packages: item.packages.map((pack) => ({
      ...pack,
      types: pack.types.map((type) => ({
        ...type,
        entries: type.entries.map((entry) => ({
          ...entry,
          values: [...entry.values].sort((a, b) => (key(a) < key(b) ? -1 : 1)),
        })),
      })),
    })),
  };
}

describe('a resource table', () => {
  it('gives back what was written', () => {
    fc.assert(
      fc.property(table, (item) => {
        expect(sorted(readResourceTable(writeResourceTable(item)))).toEqual(sorted(item));
      }),
      { numRuns: 150 },
    );
  });

  it('never crashes or hangs its reader when its bytes go bad', async () => {
    const [sample] = fc.sample(table, { numRuns: 1, seed: 20261123 });
    const bytes = writeResourceTable(sample as ResourceTable);
    await fc.assert(
      fc.asyncProperty(mutations(bytes), async (bad) => {
        await holdsAgainst(() => readResourceTable(bad));
      }),
      { numRuns: 3000 },
    );
  });

  it('follows references, and ends where they go in a circle', () => {
    const reference = (id: number): ConfiguredValue[] => [{ config: {}, value: { type: 'reference', id } }];
    const lookup = new ResourceLookup({
      packages: [
        {
          id: 0x7f,
          name: 'x',
          types: [
            {
              id: 1,
              name: 'string',
              entries: [
                {
                  index: 0,
                  name: 'label',
                  values: [{ config: {}, value: { type: 'string', text: 'Ferry' } }],
                },
                { index: 1, name: 'alias', values: reference(0x7f010000) },
                { index: 2, name: 'round', values: [...reference(0x7f010003), ...reference(0x7f010002)] },
                { index: 3, name: 'about', values: [...reference(0x7f010002), ...reference(0x7f010003)] },
              ],
            },
          ],
        },
      ],
    });
    expect(lookup.resolve({ type: 'reference', id: 0x7f010001 })).toEqual({ type: 'string', text: 'Ferry' });
    expect(lookup.resolve({ type: 'reference', id: 0x7f010002 })).toEqual({
      type: 'reference',
      id: 0x7f010002,
    });
    expect(lookup.name(0x7f010002)).toBe('string/round');
  });

  it('refuses what it cannot say, and what is no table', async () => {
    await refused('resources.malformed', () => readResourceTable(new Uint8Array(40)));
    const bad = (locale: string): ResourceTable => ({
      packages: [
        {
          id: 0x7f,
          name: 'x',
          types: [
            {
              id: 1,
              name: 'string',
              entries: [{ index: 0, name: 'a', values: [{ config: { locale }, value: { type: 'null' } }] }],
            },
          ],
        },
      ],
    });
    await refused('resources.malformed', () => writeResourceTable(bad('english')));
  });
});

describe('string pools of other compilers', () => {
  it('may write halves of characters for themselves (modified UTF-8)', () => {
    const pool = writeStringPool(['Ferry ABCDEF!', 'Fähre'], 'utf-8');
    const at = Buffer.from(pool).indexOf('ABCDEF');
    // U+1F6A2, a ship, as two halves of three bytes.
    pool.set([0xed, 0xa0, 0xbd, 0xed, 0xba, 0xa2], at);
    const read = readStringPool(new ByteReader(pool, 'string-pool.malformed', 0));
    expect(read).toEqual(['Ferry 🚢!', 'Fähre']);
    pool.set([0xed, 0xa0, 0xbd, 0x41, 0x42, 0x43], at);
    expect(readStringPool(new ByteReader(pool, 'string-pool.malformed', 0))[0]).toBe('Ferry \ufffdABC!');
  });
});

describe('files of resources', () => {
  it('are called by what they are, unless two would be called the same', () => {
    const file = (text: string, config: ResourceConfig = {}) => ({
      config,
      value: { type: 'string', text } as const,
    });
    const entry = (index: number, name: string, values: ConfiguredValue[]) => ({ index, name, values });
    const lookup = new ResourceLookup({
      packages: [
        {
          id: 0x7f,
          name: 'example.saltmarsh.ferry',
          types: [
            {
              id: 1,
              name: 'mipmap',
              entries: [
                entry(0, 'icon', [
                  file('res/0.webp', { density: 160 }),
                  file('res/1.webp', { density: 0xfffe, sdk: 26 }),
                  file('res/2.webp', { locale: 'nb', night: true }),
                ]),
                // The same file under another name, and two files whose difference is not read here.
                entry(1, 'round', [file('res/1.webp', { density: 0xfffe })]),
                entry(2, 'wide', [file('res/3.webp'), file('res/4.webp')]),
              ],
            },
            { id: 2, name: 'string', entries: [entry(0, 'name', [file('Saltmarsh Ferry')])] },
          ],
        },
      ],
    });
    expect([...lookup.files()]).toEqual([
      ['res/0.webp', 'mipmap/icon, 160 dpi'],
      ['res/1.webp', 'mipmap/icon, any density, from API 26'],
      ['res/2.webp', 'mipmap/icon, nb, night'],
    ]);
  });
});
