import { FAMILIES, type Family, familyOf, type Need } from './rule.js';
import { RULES } from './rules/all.js';

/** Needs of rules that look at pages as they run. */
const SHOWN: ReadonlySet<Need> = new Set<Need>(['browser', 'view', 'console', 'speed']);

/** All rules as Markdown, family by family. */
export function rulesTable(): string {
  return (Object.keys(FAMILIES) as Family[])
    .map((family) => {
      const rows = RULES.filter((rule) => familyOf(rule.id) === family).map(
        ({ id, severity, title, needs, source }) => {
          const browser = needs.includes('engines')
            ? ' (with WebKit beside a browser)'
            : needs.some((need) => SHOWN.has(need))
              ? ' (with a browser)'
              : '';
          return `| \`${id}\` | ${severity} | ${title}${browser} | ${source} |`;
        },
      );
      return `### ${FAMILIES[family]}\n\n| rule | severity | finds | source |\n|---|---|---|---|\n${rows.join('\n')}\n`;
    })
    .join('\n');
}
