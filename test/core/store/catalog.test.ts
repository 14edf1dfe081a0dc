import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readProject } from '../../../src/core/project/project.js';
import { checkCatalog } from '../../../src/core/store/catalog/check.js';
import { currencyDigits, formatMoney, readAmount } from '../../../src/core/store/catalog/money.js';
import { daysOf, readPeriod } from '../../../src/core/store/catalog/period.js';
import { catalogChanges, isFinal, otherKinds, otherPeriods } from '../../../src/core/store/catalog/plan.js';
import { type Catalog, type Item, readCatalog } from '../../../src/core/store/catalog/read.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

const TICKET = {
  kind: 'one-time',
  texts: { en: { title: 'Day ticket', description: 'Every sailing until midnight.' } },
  price: '4.50',
};
const PASS = {
  kind: 'subscription',
  texts: { en: { title: 'Season pass', benefits: ['All islands'] } },
  price: '29.00',
  period: 'P1M',
};

function catalogOf(items: object, currency = 'EUR'): Catalog {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app: { id: 'example.saltmarsh.ferry', name: 'Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
    }),
    'catalog.json': JSON.stringify({ currency, items }, null, 1),
  });
  return readCatalog(readProject(dir));
}

const codes = (items: object, currency?: string) =>
  checkCatalog(catalogOf(items, currency), 'en').map(({ code }) => code.replace('catalog.', ''));

describe('money', () => {
  it('is read and written without rounding', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 999_999_999 }),
        fc.constantFrom('EUR', 'JPY', 'KWD', 'USD'),
        (count, currency) => {
          const digits = currencyDigits(currency) as number;
          const text = (count / 10 ** digits).toFixed(digits);
          const money = readAmount(text, currency);
          expect(money && formatMoney(money)).toBe(`${text} ${currency}`);
        },
      ),
    );
  });

  it.each([
    ['4.505', 'EUR'],
    ['450.5', 'JPY'],
    ['4,50', 'EUR'],
    ['-1', 'EUR'],
    ['', 'EUR'],
    ['1', 'XXQ'],
  ])('refuses %s %s', (text, currency) => expect(readAmount(text, currency)).toBeUndefined());
});

describe('periods', () => {
  it('are one number and one unit', () => {
    expect(daysOf(readPeriod('P2W') as NonNullable<ReturnType<typeof readPeriod>>)).toBe(14);
    for (const text of ['1M', 'P', 'P0D', 'P1M2D', 'PT1H', 'p1m'])
      expect(readPeriod(text), text).toBeUndefined();
  });
});

describe('checking a catalog', () => {
  it('finds nothing in a good one', () => {
    const full = {
      ...PASS,
      trial: 'P7D',
      introduction: { price: '19.00', periods: 3 },
      grace: 'P7D',
      prices: { GB: '24.90 GBP', JP: '4500 JPY' },
    };
    expect(codes({ day_ticket: TICKET, 'pass.season': full })).toEqual([]);
  });

  it.each([
    ['an ID with capitals', { Ticket: TICKET }, ['bad-id']],
    ['a reserved ID', { 'android.test.x': TICKET }, ['bad-id']],
    ['decimals that a currency has not', { t: { ...TICKET, prices: { JP: '450.50 JPY' } } }, ['bad-price']],
    ['a price without its currency', { t: { ...TICKET, prices: { GB: '3.90' } } }, ['bad-price']],
    ['a region by its name', { t: { ...TICKET, prices: { Denmark: '30 DKK' } } }, ['bad-region']],
    ['a price of nothing', { t: { ...TICKET, price: '0' } }, ['free']],
    ['a period that is not a duration', { p: { ...PASS, period: 'monthly' } }, ['bad-period']],
    ['a period that the store has not', { p: { ...PASS, period: 'P5M' } }, ['unknown-period']],
    ['no period', { p: { ...PASS, period: undefined } }, ['no-period']],
    ['a trial of a day', { p: { ...PASS, trial: 'P1D' } }, ['short-trial']],
    ['a grace period of two months', { p: { ...PASS, grace: 'P2M' } }, ['long-grace']],
    [
      'an introduction that is not cheaper',
      { p: { ...PASS, introduction: { price: '29.00', periods: 1 } } },
      ['introduction-price'],
    ],
    ['a period of what is bought once', { t: { ...TICKET, period: 'P1M' } }, ['not-a-subscription']],
    [
      'a title that is too long',
      { t: { ...TICKET, texts: { en: { title: 'x'.repeat(56), description: 'y' } } } },
      ['too-long'],
    ],
    [
      'no text in the app’s language',
      { t: { ...TICKET, texts: { de: { title: 'x', description: 'y' } } } },
      ['no-main-language'],
    ],
    ['no description', { t: { ...TICKET, texts: { en: { title: 'x' } } } }, ['no-description']],
  ])('finds %s', (_what, items, found) => expect(codes(items)).toEqual(found));

  it('finds a currency that is none, and an empty catalog', () => {
    expect(codes({ t: TICKET }, 'XXQ')).toEqual(['bad-currency']);
    expect(codes({})).toEqual(['empty']);
  });

  it('names file and line', () => {
    const [finding] = checkCatalog(catalogOf({ t: { ...TICKET, price: 'four' } }), 'en');
    expect(finding?.location).toMatchObject({ line: 12, pointer: '/items/t/price' });
  });

  it('refuses keys that it does not know', () => {
    expect(() => catalogOf({ t: { ...TICKET, cost: '4' } })).toThrowError(
      expect.objectContaining({ code: 'catalog.malformed' }),
    );
  });
});

describe('comparing a catalog with a store', () => {
  const stored = (item: Item | undefined, changes: Partial<Item> = {}): Item => ({
    ...(item as Item),
    texts: new Map([...(item as Item).texts].map(([, texts]) => ['en-US', texts])),
    ...changes,
  });

  it('creates, updates, switches and leaves', () => {
    const catalog = catalogOf({
      a: TICKET,
      b: TICKET,
      c: TICKET,
      d: { ...TICKET, active: false },
      e: TICKET,
    });
    const [a, b, c, d] = catalog.items;
    const price = readAmount('5.00', 'EUR');
    const there = [
      stored(a),
      stored(b, { price }),
      stored(c, { active: false }),
      stored(d, { active: true }),
      stored(a, { id: 'old' }),
    ];
    const changes = catalogChanges(catalog, there);
    expect(changes.map((one) => [one.do, one.item.id])).toEqual([
      ['update', 'b'],
      ['activate', 'c'],
      ['deactivate', 'd'],
      ['create', 'e'],
      ['leave', 'old'],
    ]);
    expect(changes.map(isFinal)).toEqual([true, false, false, true, false]);
  });

  it('finds IDs that mean something else in the store', () => {
    const catalog = catalogOf({ a: TICKET, p: PASS });
    const [a, p] = catalog.items;
    expect(otherKinds(catalog, [stored(a, { kind: 'subscription' })]).map(({ id }) => id)).toEqual(['a']);
    expect(otherPeriods(catalog, [stored(p, { period: 'P1Y' })]).map(({ id }) => id)).toEqual(['p']);
  });
});
