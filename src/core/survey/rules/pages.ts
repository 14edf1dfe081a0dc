import type { Meta } from '../../site/page-facts.js';
import { locationIn, type Site, type SitePage, type StyleGroup, unitLocation } from '../../site/site.js';
import type { Declaration, StyleRule } from '../../site/style.js';
import { type Bar, isShell } from '../bars.js';
import type { RuleContext, RuleFinding } from '../rule.js';
import { isSeen } from '../seen.js';

export const VIEWPORT = 'CSS Viewport Module, "viewport meta element"';
export const INSETS =
  'CSS Environment Variables, "safe area insets"; Android edge-to-edge (enforced from API 35)';

/** The members of a viewport's content, by name. */
export function viewport(
  page: SitePage,
): { readonly meta: Meta; readonly members: ReadonlyMap<string, string> } | undefined {
  const meta = page.facts.metas.find(({ name }) => name === 'viewport');
  if (!meta) return undefined;
  const members = new Map(
    meta.content
      .toLowerCase()
      .split(/[,;]/)
      .map((part) => part.split('=').map((text) => text.trim()) as [string, string]),
  );
  return { meta, members };
}

export const at = (site: Site, page: SitePage, { line, column }: { line: number; column: number }) =>
  locationIn(site.kind, page.name, { line, column });

/** Says the same of many pages once: at the first, with the number of the others. */
export function* onPages(
  site: Site,
  judge: (page: SitePage) => Omit<RuleFinding, 'more'> | undefined,
): Generator<RuleFinding> {
  const groups = new Map<string, { first: RuleFinding; more: number }>();
  for (const page of site.pages) {
    const finding = judge(page);
    if (!finding) continue;
    const key = `${finding.severity} ${finding.observed}`;
    const known = groups.get(key);
    if (known) known.more += 1;
    else groups.set(key, { first: finding, more: 0 });
  }
  for (const { first, more } of groups.values()) yield more === 0 ? first : { ...first, more };
}

export const DRAWN_BY_SCRIPTS = 'scripts draw the pages, and they were not run';

/** Whether the pages are empty until their scripts run. */
export const isDrawnByScripts = ({ startPage, scripts }: Site): boolean =>
  startPage !== undefined && isShell(startPage) && scripts.length > 0;

/** Why what styles say is not all known: a sheet that could not be read, or scripts that make some and were not run. */
export function unknownStyles({ site, browser, webkit }: RuleContext): string | undefined {
  const [sheet] = site.styleGroups.flatMap(({ unread }) => unread);
  if (sheet !== undefined) return `the style sheet ${sheet} could not be read`;
  if (site.styleGroups.some(({ isCut }) => isCut)) return 'the pages have too many different elements';
  const maker = isSeen({ browser, webkit }) ? undefined : site.scripts.find(({ facts }) => facts.makesStyles);
  return maker && `scripts make styles (${maker.name}), and were not run`;
}

/** Where a style that is missing would go: the beginning of a look's first sheet, or its page's head. */
function styleHome(site: Site, group: StyleGroup): RuleFinding['location'] {
  const [unit] = group.styles;
  return unit
    ? unitLocation(site, unit, { line: 1, column: 1 })
    : at(site, group.page, group.page.facts.headPosition);
}

/** Says of looks that something is in none of their styles; once a style sheet. */
export function* wherever(
  site: Site,
  lacks: (group: StyleGroup) => Omit<RuleFinding, 'location' | 'more'> | undefined,
): Generator<RuleFinding> {
  const seen = new Set<string>();
  for (const group of site.styleGroups) {
    const finding = group.unread.length > 0 ? undefined : lacks(group);
    if (!finding) continue;
    const location = styleHome(site, group);
    const key = JSON.stringify(location);
    if (seen.has(key)) continue;
    seen.add(key);
    yield { location, ...finding };
  }
}

export const some = (group: StyleGroup, test: (declaration: Declaration, rule: StyleRule) => boolean) =>
  group.styles.some(({ facts }) =>
    facts.rules.some((item) => item.declarations.some((one) => test(one, item))),
  );

export const hasControls = ({ facts }: SitePage) =>
  ['a', 'button', 'input', 'select'].some((tag) => facts.tags.has(tag));

/** Every bar of the site once, with the look it was first seen in. */
export function* allBars({
  site,
  derived,
}: RuleContext): Generator<{ readonly bar: Bar; readonly group: StyleGroup }> {
  const seen = new Set<string>();
  for (const group of site.styleGroups) {
    for (const bar of derived.stylesOf(group).bars) {
      const key = JSON.stringify(unitLocation(site, bar.position.unit, bar.position));
      if (seen.has(key)) continue;
      seen.add(key);
      yield { bar, group };
    }
  }
}

/** The location of a page, by its address. */
export function pageLocation(site: Site, url: string): RuleFinding['location'] {
  const page = site.pages.find((item) => item.url === url);
  return page ? locationIn(site.kind, page.name, { line: 1, column: 1 }) : { url };
}
