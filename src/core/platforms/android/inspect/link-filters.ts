import type { ResourceLookup } from '../../../formats/arsc/lookup.js';
import type { XmlElement } from '../../../formats/axml/types.js';
import type { FilterPart, LinkFilter } from '../../../links/intent-filter.js';
import type { PatternKind } from '../../../links/pattern-matcher.js';
import { partAttribute } from '../app/intents.js';
import { attributeFlag, attributeText, attributeValue, childrenNamed } from './manifest-facts.js';

const PARTS = ['path', 'query', 'fragment'] as const;
const KINDS: readonly PatternKind[] = ['literal', 'prefix', 'simple', 'suffix', 'advanced'];
/** A filter's lists are read up to here; a hostile one could hold millions. */
const MAX_ITEMS = 10_000;

interface Text {
  readonly text: string;
  readonly since?: number;
  readonly before?: number;
}

/** An attribute's texts by the API levels that have them: one, but where it is a resource with values by level. */
function textsByLevel(element: XmlElement, name: string, lookup: ResourceLookup): Text[] {
  const value = attributeValue(element, name);
  if (value === undefined) return [];
  if (value.type !== 'reference') return [{ text: attributeText(element, name, lookup) ?? '' }];
  // Values for languages, densities and the like are no texts of a filter: the platform takes none of them.
  const values = lookup
    .values(value.id)
    .filter(({ config }) => Object.keys(config).every((key) => key === 'sdk'))
    .map(({ config, value: own }) => ({ sdk: config.sdk ?? 0, text: own.type === 'string' ? own.text : '' }))
    .sort((a, b) => a.sdk - b.sdk);
  return values.map(({ sdk, text }, index) => {
    const next = values[index + 1]?.sdk;
    return { text, ...(sdk > 0 ? { since: sdk } : {}), ...(next === undefined ? {} : { before: next }) };
  });
}

function partsOf(data: readonly XmlElement[], lookup: ResourceLookup): FilterPart[] {
  return data.slice(0, MAX_ITEMS).flatMap((element) =>
    PARTS.flatMap((part) =>
      KINDS.flatMap((kind) =>
        textsByLevel(element, partAttribute({ part, kind }), lookup).map((text) => ({
          part,
          kind,
          ...text,
        })),
      ),
    ),
  );
}

/** Reads an intent filter's side of links. */
export function readLinkFilter(filter: XmlElement, lookup: ResourceLookup): LinkFilter {
  const data = childrenNamed(filter, 'data');
  const names = (tag: string) =>
    childrenNamed(filter, tag).flatMap((item) => attributeText(item, 'name', lookup) ?? []);
  const all = (name: string) => data.flatMap((item) => attributeText(item, name, lookup) ?? []);
  return {
    autoVerify: attributeFlag(filter, 'autoVerify', false, lookup),
    forLinks:
      names('action').includes('android.intent.action.VIEW') &&
      names('category').includes('android.intent.category.BROWSABLE') &&
      names('category').includes('android.intent.category.DEFAULT'),
    schemes: all('scheme'),
    hosts: data.flatMap((item) => {
      const host = attributeText(item, 'host', lookup);
      if (host === undefined) return [];
      const port = Number(attributeText(item, 'port', lookup) ?? '');
      return [{ host, ...(port > 0 ? { port } : {}) }];
    }),
    // Outside of a group the platform compares paths alone.
    paths: partsOf(data, lookup).filter(({ part }) => part === 'path'),
    groups: childrenNamed(filter, 'uri-relative-filter-group')
      .slice(0, MAX_ITEMS)
      .map((group) => ({
        allow: attributeFlag(group, 'allow', true, lookup),
        parts: partsOf(childrenNamed(group, 'data'), lookup),
      })),
  };
}
