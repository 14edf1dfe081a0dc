import { Assembler } from '../site/assemble.js';
import type { Reference } from '../site/page-facts.js';
import type { KeptPageFacts, LimitReached, Site, SitePage, StyleGroup, StyleUnit } from '../site/site.js';
import type { StyleRule } from '../site/style.js';
import { isShell } from './bars.js';
import type { BrowserFacts, RenderedPage } from './browser-facts.js';

/** Where something is that is in no file: scripts put it there. */
const NOWHERE = { line: 1, column: 1 } as const;

/** What the shell of a page names, and every page that its scripts draw with it. */
const OF_THE_SHELL = new Set([
  'canonical',
  'icon',
  'manifest',
  'module',
  'preload',
  'script',
  'startup-image',
  'style',
  'touch-icon',
]);

const drawnReferences = (references: readonly Reference[]): Reference[] =>
  references.filter(({ kind }) => !OF_THE_SHELL.has(kind)).map((one) => ({ ...one, ...NOWHERE }));

/** What scripts drew on a page, without the places that it has in no file. */
function drawn(facts: KeptPageFacts): KeptPageFacts {
  return {
    ...facts,
    headPosition: NOWHERE,
    metas: facts.metas.map((one) => ({ ...one, ...NOWHERE })),
    references: drawnReferences(facts.references),
    fields: facts.fields.map((one) => ({ ...one, ...NOWHERE })),
    ...(facts.banner ? { banner: { ...facts.banner, ...NOWHERE } } : {}),
    // What a browser wrote down is not what its author wrote.
    faults: [],
  };
}

/** An empty page with what its scripts drew on it; its head stays as it was written. */
function filled(source: KeptPageFacts, seen: KeptPageFacts): KeptPageFacts {
  const known = new Set(source.references.map(({ kind, text }) => `${kind} ${text}`));
  const { banner, frames, fields, references, linkTexts, textLength, classes, tags } = drawn(seen);
  return {
    ...source,
    ...(banner ? { banner } : {}),
    frames,
    fields: [...source.fields, ...fields.slice(source.fields.length)],
    references: [
      ...source.references,
      ...references.filter(({ kind, text }) => !known.has(`${kind} ${text}`)),
    ],
    linkTexts,
    textLength,
    classes: new Set([...source.classes, ...classes]),
    tags: new Set([...source.tags, ...tags]),
  };
}

const limitOf = ({ name, kind }: Site, left: number): LimitReached => ({
  what: 'rendered',
  limit: left,
  location: kind === 'folder' ? { file: name } : { url: name },
  message: `Pages that scripts draw lead to ${left} more, which were not opened in the browser.`,
});

/**
 * What styles of rendered pages are: those that the pages' own files hold keep their places there, others are drawn. By the
 * units that the rendered pages gave.
 */
function unitsByRendered(
  { styles }: Site,
  assembler: Assembler,
  rendered: readonly RenderedPage[],
): Map<StyleUnit, StyleUnit> {
  const written = new Map(
    styles.map((unit) => [`${unit.kind} ${JSON.stringify(unit.facts.rules.map(textOf))}`, unit]),
  );
  const isWritten = (text: string) => rendered.some(({ source }) => source.includes(text.trim()));
  return new Map(
    assembler.inlineTexts().flatMap(([text, unit]): [StyleUnit, StyleUnit][] => {
      const own = written.get(`${unit.kind} ${JSON.stringify(unit.facts.rules.map(textOf))}`);
      if (own) return [[unit, own]];
      return isWritten(text) ? [] : [[unit, { ...unit, drawn: true }]];
    }),
  );
}

/** What a rule says, wherever it is. */
const textOf = ({ selectors, conditions, declarations }: StyleRule) => [
  selectors,
  conditions,
  declarations.map(({ property, value }) => `${property}:${value}`),
];

/**
 * A site with the pages that its scripts draw, as a browser showed them: empty pages get their content, and routes that only
 * scripts know become pages. Pages that came with their content stay as they were written, with places in their files.
 */
export function withRendered(
  read: Site,
  { rendered, notOpened }: Pick<BrowserFacts, 'rendered' | 'notOpened'>,
): Site {
  const site = notOpened > 0 ? { ...read, limits: [...read.limits, limitOf(read, notOpened)] } : read;
  const byUrl = new Map(site.pages.map((page) => [page.url, page]));
  const added = rendered.filter(({ url }) => {
    const page = byUrl.get(url);
    return page === undefined || isShell(page);
  });
  if (added.length === 0) return site;
  const assembler = new Assembler();
  for (const unit of site.styles) if (!byUrl.has(unit.url)) assembler.keepStyle(unit);
  const made = new Map<string, SitePage>();
  const shells = new Map<SitePage, SitePage>();
  for (const { url, html } of added) {
    const source = byUrl.get(url);
    const name = source?.name ?? site.startPage?.name ?? url;
    const page = assembler.addPage(url, name, html);
    const facts = source ? filled(source.facts, page.facts) : drawn(page.facts);
    const final = { ...page, facts, drawn: true as const };
    made.set(url, final);
    shells.set(page, final);
  }
  const units = unitsByRendered(site, assembler, rendered);
  const isReplaced = (page: SitePage) => made.has(page.url);
  const groups = assembler.styleGroups().map(
    (group): StyleGroup => ({
      ...group,
      page: shells.get(group.page) ?? group.page,
      styles: group.styles.map((unit) => units.get(unit) ?? unit),
    }),
  );
  const pages = [
    ...site.pages.map((page) => made.get(page.url) ?? page),
    ...[...made.values()].filter(({ url }) => !byUrl.has(url)),
  ];
  return {
    ...site,
    startPage: site.startPage && (made.get(site.startPage.url) ?? site.startPage),
    pages,
    styles: [...site.styles, ...[...units.values()].filter((unit) => unit.drawn)],
    styleGroups: [...groups, ...site.styleGroups.filter(({ page }) => !isReplaced(page))],
  };
}
