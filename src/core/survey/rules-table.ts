import { FAMILIES, type Family, familyOf } from './rule.js';
import { RULES } from './rules/all.js';

/** All rules as Markdown, family by family. */
export function rulesTable(): string {
  return (Object.keys(FAMILIES) as Family[])
    .map((family) => {
      const rows = RULES.filter((rule) => familyOf(rule.id) === family).map(
        ({ id, severity, title, needs, source }) => {
          const browser = needs.includes('browser') ? ' (with a browser)' : '';
          return `| \`${id}\` | ${severity} | ${title}${browser} | ${source} |`;
        },
      );
      return `### ${FAMILIES[family]}\n\n| rule | severity | finds | source |\n|---|---|---|---|\n${rows.join('\n')}\n`;
    })
    .join('\n');
}
