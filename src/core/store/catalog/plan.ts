import type { Location } from '../../errors.js';
import { storeLanguage } from '../../listing/languages.js';
import { formatMoney, sameMoney } from './money.js';
import { type Catalog, type Item, itemPointer } from './read.js';

/** What differs between the catalog and a store, and what sending does about it. */
export type ItemChange =
  | { readonly do: 'create'; readonly item: Item; readonly location: Location }
  | {
      readonly do: 'update';
      readonly item: Item;
      readonly before: Item;
      readonly location: Location;
      readonly fields: readonly ChangedField[];
    }
  | { readonly do: 'activate'; readonly item: Item; readonly location: Location }
  | { readonly do: 'deactivate'; readonly item: Item; readonly location: Location }
  /** In the store alone: nothing is done about it. */
  | { readonly do: 'leave'; readonly item: Item };

export interface ChangedField {
  readonly field: string;
  readonly before: string | undefined;
  readonly after: string;
  readonly location: Location;
}

/** What cannot be taken back. */
export function isFinal(change: ItemChange): boolean {
  return (
    change.do === 'create' ||
    (change.do === 'update' && change.fields.some(({ field }) => field.startsWith('price')))
  );
}

const shown = (value: string | undefined): string => value ?? '';

function changedFields(catalog: Catalog, item: Item, there: Item): ChangedField[] {
  const fields: ChangedField[] = [];
  const compare = (
    field: string,
    before: string | undefined,
    after: string | undefined,
    ...steps: readonly string[]
  ) => {
    if (shown(before) === shown(after) || after === undefined) return;
    fields.push({ field, before, after, location: catalog.location(itemPointer(item.id, ...steps)) });
  };
  for (const [tag, own] of item.texts) {
    const language = storeLanguage('android', tag);
    if (language === undefined) continue;
    const theirs = there.texts.get(language);
    compare(`${language} title`, theirs?.title, own.title, 'texts', tag, 'title');
    compare(`${language} description`, theirs?.description, own.description, 'texts', tag, 'description');
    compare(
      `${language} benefits`,
      theirs?.benefits.join('; '),
      own.benefits.join('; ') || undefined,
      'texts',
      tag,
      'benefits',
    );
  }
  if (item.price && !sameMoney(item.price, there.price))
    compare('price', there.price && formatMoney(there.price), formatMoney(item.price), 'price');
  for (const [region, money] of item.prices) {
    const theirs = there.prices.get(region);
    if (!sameMoney(money, theirs))
      compare(`price in ${region}`, theirs && formatMoney(theirs), formatMoney(money), 'prices', region);
  }
  compare('period', there.period, item.period, 'period');
  compare('trial', there.trial, item.trial, 'trial');
  compare('grace', there.grace, item.grace, 'grace');
  const intro = (one: Item['introduction']) =>
    one && `${one.price ? formatMoney(one.price) : '?'} for ${one.periods} periods`;
  compare('introduction', intro(there.introduction), intro(item.introduction), 'introduction');
  return fields;
}

/** Everything that differs, in the order of the catalog. */
export function catalogChanges(catalog: Catalog, there: readonly Item[]): ItemChange[] {
  const byId = new Map(there.map((item) => [item.id, item]));
  const changes = catalog.items.flatMap((item): ItemChange[] => {
    const before = byId.get(item.id);
    const location = catalog.location(itemPointer(item.id));
    if (before === undefined) return [{ do: 'create', item, location }];
    const fields = changedFields(catalog, item, before);
    return [
      ...(fields.length > 0 ? [{ do: 'update', item, before, location, fields } as const] : []),
      ...(item.active && !before.active ? [{ do: 'activate', item, location } as const] : []),
      ...(!item.active && before.active ? [{ do: 'deactivate', item, location } as const] : []),
    ];
  });
  const known = new Set(catalog.items.map(({ id }) => id));
  const left = there.filter(({ id }) => !known.has(id)).map((item): ItemChange => ({ do: 'leave', item }));
  return [...changes, ...left];
}

/** Items that are of another kind in the store: their IDs are used up. */
export const otherKinds = (catalog: Catalog, there: readonly Item[]): Item[] =>
  catalog.items.filter((item) => there.some(({ id, kind }) => id === item.id && kind !== item.kind));

/** Items whose time between payments is another in the store: that cannot be changed. */
export const otherPeriods = (catalog: Catalog, there: readonly Item[]): Item[] =>
  catalog.items.filter((item) =>
    there.some(({ id, period }) => id === item.id && period !== undefined && period !== item.period),
  );
