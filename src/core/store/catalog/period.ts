/** Durations of subscriptions (ISO 8601): whole days, weeks, months or years. */
export interface Period {
  readonly count: number;
  readonly unit: 'D' | 'W' | 'M' | 'Y';
}

export function readPeriod(text: string): Period | undefined {
  const match = /^P(\d{1,3})([DWMY])$/.exec(text);
  const count = Number(match?.[1]);
  return match && count > 0 ? { count, unit: match[2] as Period['unit'] } : undefined;
}

const DAYS = { D: 1, W: 7, M: 30, Y: 365 } as const;

/** About how many days. */
export const daysOf = ({ count, unit }: Period): number => count * DAYS[unit];

/** Times between payments that the store has (Android store, "Create and manage subscriptions"). */
export const BILLING_PERIODS = ['P1W', 'P4W', 'P1M', 'P2M', 'P3M', 'P4M', 'P6M', 'P8M', 'P1Y'] as const;
