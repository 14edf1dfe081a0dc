import { existsSync } from 'node:fs';
import type { Location } from '../../errors.js';
import type { Project } from '../../project/project.js';
import { readTextFile, shownPath } from '../../util/files.js';
import { type LocatedJson, parseLocatedJson, pointerStep } from '../../util/json-locations.js';
import { isObject } from '../../util/json-object.js';
import { checkJson } from '../../util/json-schema.js';
import { validate } from './catalog-schema.generated.js';
import { type Money, readAmount } from './money.js';

export const CATALOG_FILE = 'catalog.json';

export interface ItemTexts {
  readonly title: string;
  readonly description?: string | undefined;
  readonly benefits: readonly string[];
}

/** What is sold, as the catalog has it or a store. */
export interface Item {
  readonly id: string;
  readonly kind: 'one-time' | 'subscription';
  /** By language: of the catalog BCP 47, of a store its own. */
  readonly texts: ReadonlyMap<string, ItemTexts>;
  readonly price: Money | undefined;
  /** Prices of regions (ISO 3166): of the catalog its own ones, of a store all. */
  readonly prices: ReadonlyMap<string, Money>;
  readonly period: string | undefined;
  readonly trial: string | undefined;
  readonly introduction: { readonly price: Money | undefined; readonly periods: number } | undefined;
  readonly grace: string | undefined;
  readonly active: boolean;
}

export interface Catalog {
  readonly file: string;
  readonly currency: string;
  readonly items: readonly Item[];
  /** Texts that are no price, with their pointers: {@link checkCatalog} says so. */
  location(pointer: string): Location;
  readonly json: LocatedJson;
}

export const itemPointer = (id: string, ...steps: readonly string[]): string =>
  ['/items', pointerStep(id), ...steps.map(pointerStep)].join('/');

interface WrittenItem {
  readonly kind: Item['kind'];
  readonly texts: Readonly<Record<string, { title: string; description?: string; benefits?: string[] }>>;
  readonly price: string;
  readonly prices?: Readonly<Record<string, string>>;
  readonly period?: string;
  readonly trial?: string;
  readonly introduction?: { readonly price: string; readonly periods: number };
  readonly grace?: string;
  readonly active?: boolean;
}

/** A price with its currency: `3.90 GBP`. */
export function readMoney(text: string): Money | undefined {
  const match = /^(\S+)\s+([A-Z]{3})$/.exec(text.trim());
  return match ? readAmount(match[1] as string, match[2] as string) : undefined;
}

function itemOf(id: string, written: WrittenItem, currency: string): Item {
  const { kind, texts, price, prices = {}, period, trial, introduction, grace, active = true } = written;
  return {
    id,
    kind,
    texts: new Map(
      Object.entries(texts).map(([language, { title, description, benefits = [] }]) => [
        language,
        { title, description, benefits },
      ]),
    ),
    price: readAmount(price, currency),
    prices: new Map(
      Object.entries(prices).flatMap(([region, text]): [string, Money][] => {
        const money = readMoney(text);
        return money ? [[region, money]] : [];
      }),
    ),
    period,
    trial,
    introduction: introduction && {
      price: readAmount(introduction.price, currency),
      periods: introduction.periods,
    },
    grace,
    active,
  };
}

/** Whether a project sells anything through stores. */
export const hasCatalog = (project: Project): boolean => existsSync(project.resolve(CATALOG_FILE));

/**
 * Reads the catalog beside `hull.json`; of a brand, its own where it has one.
 *
 * @throws HullError `catalog.malformed`, `file.missing`
 */
export function readCatalog(project: Project): Catalog {
  const file = shownPath(project.resolve(CATALOG_FILE));
  const json = parseLocatedJson(file, readTextFile(file), {
    comments: true,
    code: 'catalog.malformed',
    fix: `Fix ${CATALOG_FILE} here; comments and trailing commas are allowed.`,
  });
  checkJson(json, validate, 'catalog.malformed', 'docs/catalog.md describes every key.');
  const { currency, items } = json.value as {
    currency: string;
    items: Readonly<Record<string, WrittenItem>>;
  };
  return {
    file,
    currency,
    items: Object.entries(items)
      .filter(([, item]) => isObject(item))
      .map(([id, item]) => itemOf(id, item, currency)),
    json,
    location: (pointer) => json.location(pointer),
  };
}
