import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readBundleSettings, writeBundleSettings } from '../../../src/core/formats/aab/config.js';
import { messageType } from '../../../src/core/formats/aab/schema.js';
import { readProtoTable, writeProtoTable } from '../../../src/core/formats/aab/table.js';
import { readProtoXml, writeProtoXml } from '../../../src/core/formats/aab/xml.js';
import type { ResourceTable } from '../../../src/core/formats/arsc/types.js';
import { ANDROID_NAMESPACE, type XmlElement } from '../../../src/core/formats/axml/types.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { mutations } from '../../support/hostile.js';
import { text, values } from '../../support/resource-values.js';

/** Values that the protobuf form has a place for. */
const held = values.filter(({ type }) => type !== 'other' && type !== 'float');

const tree: fc.Arbitrary<XmlElement> = fc.letrec<{ element: XmlElement }>((tie) => ({
  element: fc.record({
    name: fc.stringMatching(/^[a-z][a-z-]{0,12}$/),
    attributes: fc.array(
      fc.record({
        namespace: fc.constant(ANDROID_NAMESPACE),
        name: fc.stringMatching(/^[a-z]{1,12}$/),
        resourceId: fc.integer({ min: 0x01010000, max: 0x0101ffff }),
        value: held,
      }),
      { maxLength: 4 },
    ),
    children: fc.oneof({ maxDepth: 4 }, fc.constant([]), fc.array(tie('element'), { maxLength: 2 })),
  }),
})).element;

describe('XML in a bundle’s form', () => {
  it('is read as it was written', () => {
    fc.assert(
      fc.property(tree, (element) => {
        expect(readProtoXml(writeProtoXml(element))).toEqual(element);
      }),
      { numRuns: 100 },
    );
  });

  it('that is damaged or endlessly deep is an error with a reason', async () => {
    await refused('bundle.malformed', () => readProtoXml(Uint8Array.of(0xff, 0xff)));
    // An element in an element, and so on: field 5 of an element and field 1 of a node, each behind its length.
    let deep = Buffer.alloc(0);
    const length = (count: number) => (count < 128 ? [count] : [(count & 0x7f) | 0x80, count >> 7]);
    for (let i = 0; i < 800; i += 1) {
      deep = Buffer.concat([Buffer.from([i % 2 === 0 ? 0x0a : 0x2a, ...length(deep.length)]), deep]);
    }
    await refused('bundle.malformed', () => readProtoXml(deep));
    const whole = writeProtoXml({
      name: 'manifest',
      attributes: [],
      children: [{ name: 'a', attributes: [], children: [] }],
    });
    await fc.assert(
      fc.asyncProperty(mutations(whole), async (bytes) => {
        await holdsAgainst(() => readProtoXml(bytes));
      }),
    );
  });
});

const table = (
  value: ResourceTable['packages'][number]['types'][number]['entries'][number]['values'],
): ResourceTable => ({
  packages: [
    {
      id: 0x7f,
      name: 'example.saltmarsh.ferry',
      types: [
        { id: 1, name: 'string', entries: [{ index: 3, name: 'label', values: value }] },
        {
          id: 2,
          name: 'mipmap',
          entries: [
            {
              index: 0,
              name: 'icon',
              values: [
                { config: { density: 320 }, value: { type: 'string', text: 'res/mipmap-xhdpi/icon.webp' } },
                {
                  config: { density: 0xfffe, sdk: 26 },
                  value: { type: 'string', text: 'res/mipmap-anydpi-v26/icon.xml' },
                },
              ],
            },
          ],
        },
        {
          id: 3,
          name: 'style',
          entries: [
            {
              index: 0,
              name: 'App',
              values: [
                {
                  config: { night: true },
                  value: {
                    type: 'bag',
                    parent: 0x01030237,
                    items: [{ key: 0x01010056, value: { type: 'boolean', value: true } }],
                  },
                },
              ],
            },
          ],
        },
      ],
    },
  ],
});

describe('a resource table in a bundle’s form', () => {
  it('is read as it was written, with its files, styles and qualifiers', () => {
    fc.assert(
      fc.property(
        held.filter(({ type }) => type !== 'null'),
        text,
        (value, name) => {
          const whole = table([
            { config: {}, value },
            { config: { locale: 'pt-BR' }, value: { type: 'string', text: name } },
          ]);
          const read = readProtoTable(writeProtoTable(whole));
          expect(read.table).toEqual(whole);
          expect([...read.protoXml]).toEqual(['res/mipmap-anydpi-v26/icon.xml']);
          expect(read.passedOver).toBe(0);
        },
      ),
      { numRuns: 100 },
    );
  });

  it('passes over values for devices that cannot be told apart, and says how many', () => {
    const message = {
      package: [
        {
          packageId: { id: 0x7f },
          type: [
            {
              typeId: { id: 1 },
              name: 'string',
              entry: [
                {
                  entryId: { id: 0 },
                  name: 'a',
                  configValue: [
                    { config: {}, value: { item: { str: { value: 'usual' } } } },
                    { config: { smallestScreenWidthDp: 600 }, value: { item: { str: { value: 'large' } } } },
                  ],
                },
                {
                  entryId: { id: 1 },
                  name: 'list',
                  configValue: [
                    {
                      config: {},
                      value: { compoundValue: { array: { element: [{ item: { str: { value: 'x' } } }] } } },
                    },
                  ],
                },
              ],
            },
          ],
        },
      ],
    };
    const { table: read, passedOver } = readProtoTable(messageType('ResourceTable').encode(message).finish());
    expect(passedOver).toBe(1);
    expect(read.packages[0]?.types[0]?.entries[1]?.values[0]?.value).toMatchObject({
      type: 'bag',
      items: [{ key: 0x02000000, value: { type: 'string', text: 'x' } }],
    });
  });

  it('with absurd numbers is refused before room is made for them', async () => {
    const message = {
      package: [
        { packageId: { id: 0x7f }, type: [{ typeId: { id: 1 }, entry: [{ entryId: { id: 0xffffffff } }] }] },
      ],
    };
    await refused('bundle.malformed', () =>
      readProtoTable(messageType('ResourceTable').encode(message).finish()),
    );
    await fc.assert(
      fc.asyncProperty(
        mutations(writeProtoTable(table([{ config: {}, value: { type: 'int', value: 7 } }]))),
        async (bytes) => {
          await holdsAgainst(() => readProtoTable(bytes));
        },
      ),
    );
  });
});

it('a bundle’s settings are read as they were written', () => {
  const settings = {
    version: '1.15.6',
    splits: [
      { by: 'abi', on: true },
      { by: 'language', on: false },
    ],
    uncompressed: ['assets/**.mp4'],
  } as const;
  expect(readBundleSettings(writeBundleSettings(settings))).toEqual(settings);
});
