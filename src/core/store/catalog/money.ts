/** Money in whole millionths of its unit, so that no fraction is ever rounded away. */
export interface Money {
  /** ISO 4217. */
  readonly currency: string;
  readonly micros: bigint;
}

const MICROS = 1_000_000n;

/** Digits behind the point that a currency has; `undefined` for what is not a currency (CLDR, ISO 4217). */
export function currencyDigits(currency: string): number | undefined {
  if (!Intl.supportedValuesOf('currency').includes(currency)) return undefined;
  const { maximumFractionDigits } = new Intl.NumberFormat('en', {
    style: 'currency',
    currency,
  }).resolvedOptions();
  return maximumFractionDigits;
}

/** A price as people write it, `4.50`; `undefined` where it is not one that the currency has. */
export function readAmount(text: string, currency: string): Money | undefined {
  const match = /^(\d{1,9})(?:\.(\d{1,6}))?$/.exec(text.trim());
  const digits = currencyDigits(currency);
  if (!match || digits === undefined) return undefined;
  const [, whole = '0', part = ''] = match;
  if (part.replace(/0+$/, '').length > digits) return undefined;
  return { currency, micros: BigInt(whole) * MICROS + BigInt(part.padEnd(6, '0')) };
}

/** `4.50 EUR`, as it is written in the catalog. */
export function formatMoney({ currency, micros }: Money): string {
  const digits = currencyDigits(currency) ?? 2;
  const part = (micros % MICROS).toString().padStart(6, '0').slice(0, digits);
  return `${micros / MICROS}${digits === 0 ? '' : `.${part}`} ${currency}`;
}

export const sameMoney = (one: Money | undefined, other: Money | undefined): boolean =>
  one?.currency === other?.currency && one?.micros === other?.micros;
