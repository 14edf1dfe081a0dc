import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readBinaryXml } from '../../../src/core/formats/axml/reader.js';
import {
  ANDROID_NAMESPACE,
  type XmlAttribute,
  type XmlElement,
} from '../../../src/core/formats/axml/types.js';
import { writeBinaryXml } from '../../../src/core/formats/axml/writer.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { mutations } from '../../support/hostile.js';
import { text, values } from '../../support/resource-values.js';

const word = fc.stringMatching(/^[a-z][a-z-]{0,10}$/);
const id = fc.integer({ min: 0x01010000, max: 0x01010fff });

const attributes: fc.Arbitrary<XmlAttribute[]> = fc
  .uniqueArray(fc.tuple(id, word, values), { maxLength: 5, selector: ([resourceId]) => resourceId })
  .map((list) =>
    list
      .sort(([a], [b]) => a - b)
      .map(([resourceId, name, value]) => ({ namespace: ANDROID_NAMESPACE, name, resourceId, value })),
  );

function elements(depth: number): fc.Arbitrary<XmlElement> {
  const comment = fc.option(
    text.filter((value) => value.trim() !== ''),
    { nil: undefined },
  );
  const children = depth === 0 ? fc.constant([]) : fc.array(elements(depth - 1), { maxLength: 3 });
  return fc.tuple(word, attributes, comment, children).map(([name, list, said, inner]) => ({
    name,
    attributes: list,
    children: inner,
    ...(said === undefined ? {} : { comment: said }),
  }));
}

const tree = elements(3);

/** One resource ID has one name in a document: that of its last use. */
function withOneNameAnId(root: XmlElement): XmlElement {
  const names = new Map<number, string>();
  const visit = (element: XmlElement): void => {
    for (const item of element.attributes)
      if (item.resourceId !== undefined) names.set(item.resourceId, item.name);
    element.children.forEach(visit);
  };
  visit(root);
  const rename = (element: XmlElement): XmlElement => ({
    ...element,
    attributes: element.attributes.map((item) => ({
      ...item,
      name: names.get(item.resourceId ?? -1) ?? item.name,
    })),
    children: element.children.map(rename),
  });
  return rename(root);
}

describe('binary XML', () => {
  it('gives back the tree that was written, in both encodings', () => {
    fc.assert(
      fc.property(tree, fc.constantFrom('utf-8' as const, 'utf-16' as const), (root, encoding) => {
        const plain = withOneNameAnId(root);
        expect(readBinaryXml(writeBinaryXml(plain, encoding))).toEqual(plain);
      }),
      { numRuns: 150 },
    );
  });

  it('keeps text and comments of an element', () => {
    const root: XmlElement = {
      name: 'domain-config',
      attributes: [],
      comment: 'the pier camera has no TLS',
      children: [{ name: 'domain', attributes: [], children: [], text: 'pier-cam.saltmarsh.example' }],
    };
    expect(readBinaryXml(writeBinaryXml(root))).toEqual(root);
  });

  it('never crashes or hangs its reader when its bytes go bad', async () => {
    const bytes = writeBinaryXml({
      name: 'manifest',
      attributes: [
        {
          namespace: ANDROID_NAMESPACE,
          name: 'versionCode',
          resourceId: 0x0101021b,
          value: { type: 'int', value: 7 },
        },
      ],
      children: [
        {
          name: 'application',
          attributes: [{ name: 'package', value: { type: 'string', text: 'example.saltmarsh.ferry' } }],
          children: [],
        },
      ],
    });
    await fc.assert(
      fc.asyncProperty(mutations(bytes), async (bad) => {
        await holdsAgainst(() => readBinaryXml(bad));
      }),
      { numRuns: 3000 },
    );
  });

  it('refuses what is not binary XML, and what is nested without end, with the offset', async () => {
    await refused('axml.malformed', () => readBinaryXml(new TextEncoder().encode('<manifest package="x"/>')));
    let deep: XmlElement = { name: 'a', attributes: [], children: [] };
    for (let i = 0; i < 300; i += 1) deep = { name: 'a', attributes: [], children: [deep] };
    const error = await refused('axml.malformed', () => readBinaryXml(writeBinaryXml(deep)));
    expect(error.location?.offset).toBeGreaterThan(0);
  });
});
