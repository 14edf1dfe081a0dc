import { HullError, task, withTasks } from '../errors.js';
import { bySeverity, type Finding, reaches } from '../finding.js';
import { mainLanguage, openProject, type ProjectSource } from '../project/project.js';
import { checkCatalog as check } from '../store/catalog/check.js';
import { formatMoney, type Money } from '../store/catalog/money.js';
import { catalogChanges, type ItemChange, isFinal, otherKinds, otherPeriods } from '../store/catalog/plan.js';
import { type Catalog, type Item, itemPointer, readCatalog } from '../store/catalog/read.js';
import type { CatalogStore } from '../store/types.js';
import { openCatalog, type StoreOptions } from './open-store.js';

export interface CatalogOptions {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
}

export interface CheckedCatalog {
  readonly file: string;
  readonly items: number;
  /** Worst first. */
  readonly findings: readonly Finding[];
}

/**
 * What stores would refuse of `catalog.json`.
 *
 * @throws HullError `catalog.malformed`, `file.missing`, `config.*`
 */
export function checkCatalog(options: CatalogOptions): CheckedCatalog {
  const project = openProject(options.project);
  const catalog = readCatalog(project);
  const findings = bySeverity(check(catalog, mainLanguage(project)));
  return { file: catalog.file, items: catalog.items.length, findings };
}

export interface SendCatalogOptions extends CatalogOptions, StoreOptions {
  /** `look`: says what differs, and changes nothing. */
  readonly mode?: 'send' | 'look' | undefined;
  /** Lets what is new and active in the catalog be bought. */
  readonly activate?: boolean | undefined;
  /** Asked before anything is done that cannot be taken back; without it, that is refused. */
  readonly confirm?: ((changes: readonly ItemChange[]) => Promise<boolean>) | undefined;
  /** Called with each change that is made. */
  readonly onChange?: ((change: ItemChange) => void) | undefined;
}

export interface SentCatalog {
  readonly store: string;
  readonly account: string;
  readonly isStandIn: boolean;
  readonly file: string;
  /** In the order of the catalog; those that are left alone come last. */
  readonly changes: readonly ItemChange[];
  readonly isSent: boolean;
}

function refuseFaults(findings: readonly Finding[]): void {
  const [first] = bySeverity(findings);
  if (!first || !reaches(findings, 'error')) return;
  throw new HullError('catalog.faulty', first.observed, {
    location: first.location,
    fix: withTasks`Fix it first; ${task('checkCatalog')} names everything.`,
  });
}

/** What an ID stands for can never be something else. */
function refuseOthers(catalog: Catalog, there: Parameters<typeof otherKinds>[1]): void {
  const refuse = (id: string, what: string, ...steps: readonly string[]) =>
    new HullError('catalog.other-item', `${id} ${what}`, {
      location: catalog.location(itemPointer(id, ...steps)),
      fix: 'Take a new product ID for it: what an ID means can never change.',
    });
  const [kind] = otherKinds(catalog, there);
  if (kind)
    throw refuse(
      kind.id,
      `is not a ${kind.kind === 'subscription' ? 'subscription' : 'one-time product'} in the store.`,
      'kind',
    );
  const [period] = otherPeriods(catalog, there);
  if (period)
    throw refuse(period.id, 'is paid in other periods in the store, which cannot be changed.', 'period');
}

/** Prices of an item, each with where it is written. */
const pricesOf = ({
  id,
  price,
  prices,
  introduction,
}: Item): readonly (readonly [Money | undefined, string])[] => [
  [price, itemPointer(id, 'price')],
  ...[...prices].map(([region, money]) => [money, itemPointer(id, 'prices', region)] as const),
  [introduction?.price, itemPointer(id, 'introduction', 'price')],
];

/** Asks the store about new prices: only it knows its limits, which differ by country. Throws `catalog.price-refused`. */
async function refusePrices(
  store: CatalogStore,
  catalog: Catalog,
  changes: readonly ItemChange[],
): Promise<void> {
  const asked = new Set<string>();
  const wanted = changes.flatMap((change) =>
    change.do === 'create' || (change.do === 'update' && isFinal(change)) ? pricesOf(change.item) : [],
  );
  for (const [price, pointer] of wanted) {
    if (price === undefined || asked.has(formatMoney(price))) continue;
    asked.add(formatMoney(price));
    const fault = await store.priceFault(price);
    if (fault === undefined) continue;
    throw new HullError(
      'catalog.price-refused',
      `The store does not take ${formatMoney(price)}: "${fault}"`,
      {
        location: catalog.location(pointer),
        fix: 'Choose a price within the limits that it names. Nothing was sent.',
      },
    );
  }
}

async function carryOut(store: CatalogStore, change: ItemChange, activate: boolean): Promise<void> {
  switch (change.do) {
    case 'create':
      await store.create(change.item);
      if (activate && change.item.active) await store.setActive(change.item, true);
      return;
    case 'update':
      return store.update(change.item, change.before);
    case 'activate':
      return activate ? store.setActive(change.item, true) : undefined;
    case 'deactivate':
      return store.setActive(change.item, false);
    case 'leave':
      return;
  }
}

/**
 * Compares the catalog with the store, and sends what differs. What is in the store alone stays there.
 *
 * @throws HullError `catalog.*`, `store.*`, `file.missing`, `config.*`
 */
export async function sendCatalog(options: SendCatalogOptions): Promise<SentCatalog> {
  const project = openProject(options.project);
  const catalog = readCatalog(project);
  refuseFaults(check(catalog, mainLanguage(project)));
  const { catalog: store, address, account, isStandIn } = openCatalog(project, options, catalog.currency);
  const there = await store.items();
  refuseOthers(catalog, there);
  const changes = catalogChanges(catalog, there);
  await refusePrices(store, catalog, changes);
  const isLook = options.mode === 'look';
  const done = { store: address, account, isStandIn, file: catalog.file, changes };
  const wanted = changes.filter(
    (one) => one.do !== 'leave' && (one.do !== 'activate' || options.activate === true),
  );
  if (isLook || wanted.length === 0) return { ...done, isSent: false };
  const final = wanted.filter(isFinal);
  if (final.length > 0 && !(await options.confirm?.(final))) {
    throw new HullError(
      'catalog.final',
      `${final.length} of the changes cannot be taken back: product IDs stay used for good, and new prices are for new buyers.`,
      {
        location: { file: catalog.file },
        fix: 'Look at what differs, and confirm it. Nothing was sent.',
      },
    );
  }
  for (const change of wanted) {
    options.signal?.throwIfAborted();
    await carryOut(store, change, options.activate === true);
    options.onChange?.(change);
  }
  return { ...done, isSent: true };
}
