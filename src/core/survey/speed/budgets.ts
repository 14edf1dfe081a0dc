import type { Severity } from '../../finding.js';
import type { Project } from '../../project/project.js';

/** Keys of `survey.budgets` in hull.json. */
export type BudgetKey =
  | 'first_paint_ms'
  | 'largest_paint_ms'
  | 'layout_shift'
  | 'blocked_ms'
  | 'interaction_ms'
  | 'page_kb'
  | 'requests'
  | 'unused_kb'
  | 'picture_kb'
  | 'cache_days';

interface UsualBudget {
  /** What is kept to where hull.json says nothing. */
  readonly usual: number;
  /** From here on it weighs as a warning. */
  readonly poor: number;
}

/**
 * Budgets where hull.json sets none. Those of time and shift are what is published for web vitals as good, and as poor ("Web Vitals",
 * Chrome team: FCP, LCP, CLS, TBT, INP); the others are ours.
 */
export const USUAL_BUDGETS: Readonly<Record<BudgetKey, UsualBudget>> = {
  first_paint_ms: { usual: 1800, poor: 3000 },
  largest_paint_ms: { usual: 2500, poor: 4000 },
  layout_shift: { usual: 0.1, poor: 0.25 },
  blocked_ms: { usual: 200, poor: 600 },
  interaction_ms: { usual: 200, poor: 500 },
  page_kb: { usual: 1600, poor: 5000 },
  requests: { usual: 75, poor: 200 },
  unused_kb: { usual: 100, poor: 400 },
  picture_kb: { usual: 50, poor: 300 },
  cache_days: { usual: 7, poor: 0 },
};

/** A budget that holds, and how much weighs what is above it. */
export interface Budget {
  readonly limit: number;
  /** As in `the budget of 1800 ms` or `the budget of hull.json`. */
  readonly isOwn: boolean;
  severity(value: number): Severity;
}

/** What holds for a project: its own budget, else the usual one. */
export function budgetOf(project: Project | undefined, key: BudgetKey): Budget {
  const own = project?.settings.survey.budgets[key];
  const { usual, poor } = USUAL_BUDGETS[key];
  return {
    limit: own ?? usual,
    isOwn: own !== undefined,
    severity: (value) => (own !== undefined || value > poor ? 'warning' : 'suggestion'),
  };
}
