import type { Finding } from '../../finding.js';
import { storeLength } from '../../listing/fields.js';
import { storeLanguage } from '../../listing/languages.js';
import { isObject } from '../../util/json-object.js';
import { currencyDigits } from './money.js';
import { BILLING_PERIODS, daysOf, readPeriod } from './period.js';
import { type Catalog, type Item, itemPointer, readMoney } from './read.js';

/** Texts of products (Android store, "Create an in-app product", "Create and manage subscriptions"): characters. */
const TEXT_LIMITS = { title: 55, 'one-time': 200, subscription: 80, benefit: 40 } as const;
/** Product IDs: characters, and the form of each (Android store). */
const ID = /^[a-z0-9][a-z0-9_.]*$/;
const RESERVED = 'android.test';
const MOST_ID = 147;
const SHORTEST_TRIAL = 3;
const LONGEST_GRACE = 30;

type Add = (
  name: string,
  steps: readonly string[],
  parts: Pick<Finding, 'observed' | 'fix'> & Partial<Pick<Finding, 'impact' | 'severity'>>,
) => void;

function checkId({ id }: Item, add: Add): void {
  if (ID.test(id) && !id.startsWith(RESERVED) && id.length <= MOST_ID) return;
  add('bad-id', [], {
    observed: `"${id}" is not a product ID.`,
    fix: `Use lower-case letters, digits, _ and dots, beginning with a letter or digit, at most ${MOST_ID} characters. Choose well: an ID can never be changed or used again.`,
  });
}

function checkTexts({ texts, kind }: Item, main: string, add: Add): void {
  if (![...texts.keys()].some((tag) => storeLanguage('android', tag) === storeLanguage('android', main))) {
    add('no-main-language', ['texts'], {
      observed: `There are no texts in the app’s own language, ${main}.`,
      fix: `Add "${main}" to texts.`,
    });
  }
  for (const [language, { title, description = '', benefits }] of texts) {
    const at = ['texts', language];
    if (storeLanguage('android', language) === undefined) {
      add('unknown-language', at, {
        severity: 'warning',
        observed: `The store has no texts in "${language}".`,
        impact: 'It is not sent.',
        fix: 'Write a language that the store has.',
      });
    }
    const long = (what: string, text: string, most: number, ...steps: readonly string[]) => {
      if (storeLength(text) <= most) return;
      add('too-long', [...at, ...steps], {
        observed: `The ${what} has ${storeLength(text)} characters.`,
        fix: `Shorten it to ${most}.`,
      });
    };
    long('title', title, TEXT_LIMITS.title, 'title');
    long('description', description, TEXT_LIMITS[kind], 'description');
    for (const [index, benefit] of benefits.entries())
      long('benefit', benefit, TEXT_LIMITS.benefit, 'benefits', String(index));
    if (kind === 'one-time' && description === '') {
      add('no-description', at, {
        observed: 'There is no description.',
        fix: 'Say in a sentence what buyers get.',
      });
    }
    if (kind === 'one-time' && benefits.length > 0) {
      add('not-a-subscription', [...at, 'benefits'], {
        observed: 'Only subscriptions have benefits.',
        fix: 'Put them into the description.',
      });
    }
  }
}

function checkPrices({ currency, json }: Catalog, item: Item, add: Add): void {
  const written = json.value as {
    items: Record<
      string,
      { price: string; prices?: Record<string, string>; introduction?: { price: string } }
    >;
  };
  const own = written.items[item.id];
  const bad = (text: string, money: string, ...steps: readonly string[]) => {
    const digits = currencyDigits(money);
    add('bad-price', steps, {
      observed:
        digits === undefined ? `"${money}" is not a currency.` : `"${text}" is not a price in ${money}.`,
      fix:
        digits === 0
          ? `${money} has no decimals: write it as "450".`
          : `Write it as "4.50"${steps.includes('prices') ? ` with its currency, as in "4.50 ${money}"` : ''}.`,
    });
  };
  if (item.price === undefined) bad(own?.price ?? '', currency, 'price');
  if (item.price?.micros === 0n) {
    add('free', ['price'], {
      observed: 'The price is nothing.',
      fix: 'Stores sell nothing for free: give it away in the app.',
    });
  }
  for (const [region, text] of Object.entries(own?.prices ?? {})) {
    if (!/^[A-Z]{2}$/.test(region)) {
      add('bad-region', ['prices', region], {
        observed: `"${region}" is not a region.`,
        fix: 'Write it by its two letters (ISO 3166): GB, DK.',
      });
    }
    if (readMoney(text) === undefined)
      bad(text, /([A-Z]{3})$/.exec(text.trim())?.[1] ?? currency, 'prices', region);
  }
  const { introduction } = item;
  if (introduction === undefined) return;
  if (introduction.price === undefined)
    bad(own?.introduction?.price ?? '', currency, 'introduction', 'price');
  else if (item.price && introduction.price.micros >= item.price.micros) {
    add('introduction-price', ['introduction', 'price'], {
      observed: 'The price at the beginning is not lower than the one after it.',
      fix: 'Lower it, or leave the introduction out.',
    });
  }
}

function checkTimes(item: Item, add: Add): void {
  const { kind, period, trial, introduction, grace } = item;
  if (kind === 'one-time') {
    for (const [key, value] of Object.entries({ period, trial, introduction, grace })) {
      if (value === undefined) continue;
      add('not-a-subscription', [key], {
        observed: `Only subscriptions have "${key}".`,
        fix: 'Take it out, or make this a subscription.',
      });
    }
    return;
  }
  if (period === undefined) {
    add('no-period', [], {
      observed: 'The subscription does not say how often it is paid.',
      fix: 'Add "period": "P1M" for every month.',
    });
  }
  for (const [key, text] of Object.entries({ period, trial, grace })) {
    if (text === undefined || readPeriod(text)) continue;
    add('bad-period', [key], {
      observed: `"${text}" is not a duration.`,
      fix: 'Write it as P7D, P2W, P1M or P1Y (ISO 8601): one number and one unit.',
    });
  }
  if (
    period !== undefined &&
    readPeriod(period) &&
    !(BILLING_PERIODS as readonly string[]).includes(period)
  ) {
    add('unknown-period', ['period'], {
      observed: `The store does not bill every ${period}.`,
      fix: `Choose one of ${BILLING_PERIODS.join(', ')}.`,
    });
  }
  const [free, kept] = [trial && readPeriod(trial), grace && readPeriod(grace)];
  if (free && daysOf(free) < SHORTEST_TRIAL) {
    add('short-trial', ['trial'], {
      observed: `A trial of ${trial} is too short.`,
      fix: `Stores want at least ${SHORTEST_TRIAL} days.`,
    });
  }
  if (kept && daysOf(kept) > LONGEST_GRACE) {
    add('long-grace', ['grace'], {
      observed: `A grace period of ${grace} is too long.`,
      fix: `At most ${LONGEST_GRACE} days.`,
    });
  }
}

/**
 * What a store would refuse of a catalog.
 *
 * @param main language of the app, BCP 47
 */
export function checkCatalog(catalog: Catalog, main: string): Finding[] {
  const findings: Finding[] = [];
  const { value } = catalog.json;
  if (currencyDigits(catalog.currency) === undefined) {
    findings.push({
      code: 'catalog.bad-currency',
      severity: 'error',
      location: catalog.location('/currency'),
      observed: `"${catalog.currency}" is not a currency.`,
      impact: 'No store takes it.',
      fix: 'Write it by its three letters (ISO 4217): EUR, GBP, JPY.',
    });
    return findings;
  }
  if (catalog.items.length === 0 && isObject(value)) {
    findings.push({
      code: 'catalog.empty',
      severity: 'suggestion',
      location: catalog.location('/items'),
      observed: 'The catalog is empty.',
      impact: 'Nothing is sold.',
      fix: 'Add an item.',
    });
  }
  for (const item of catalog.items) {
    const add: Add = (name, steps, { severity = 'error', impact = 'The store refuses it.', ...parts }) =>
      findings.push({
        code: `catalog.${name}`,
        severity,
        location: catalog.location(itemPointer(item.id, ...steps)),
        impact,
        ...parts,
      });
    checkId(item, add);
    checkTexts(item, main, add);
    checkPrices(catalog, item, add);
    checkTimes(item, add);
  }
  return findings;
}
