import {
  fileUrl,
  resolveReference,
  type ScriptUnit,
  type Site,
  type SitePage,
  type StyleGroup,
} from '../site/site.js';
import { type GroupStyles, groupStyles } from './bars.js';
import { type BrokenReference, findBrokenReferences, loadedScripts } from './broken-references.js';
import { subjectOf } from './selectors.js';
import { StyleCache } from './styles/cascade.js';
import { type FoundUse, usesOf } from './uses.js';

/** What several rules ask of a site, computed once a survey. */
export class Derived {
  readonly #site: Site;
  readonly #styles = new Map<StyleGroup, GroupStyles>();
  readonly #cache = new StyleCache();
  /** Classes that elements may have. */
  #names: ReadonlySet<string> | 'unknown' | undefined;
  #classes: ReadonlySet<string> | undefined;
  #loaded: ReadonlySet<ScriptUnit> | undefined;
  #reached: ReadonlySet<SitePage> | undefined;
  #uses: readonly FoundUse[] | undefined;
  readonly #broken = new Map<'files' | 'links', readonly BrokenReference[]>();

  constructor(site: Site) {
    this.#site = site;
  }

  /** What the pages and scripts use of the device. */
  get uses(): readonly FoundUse[] {
    this.#uses ??= usesOf(this.#site);
    return this.#uses;
  }

  /** What a group's style sheets say together. */
  stylesOf(group: StyleGroup): GroupStyles {
    const known =
      this.#styles.get(group) ??
      groupStyles(group, this.#cache, {
        isNamed: (name) => this.#isNamed(name),
        isGivenLater: (name) => this.#isNamed(name) && !this.#onPages.has(name),
      });
    this.#styles.set(group, known);
    return known;
  }

  /**
   * Whether elements that selectors are about may be there: every class of their last parts is one that a page has, or a word
   * of a script, which may give it to an element.
   */
  mayApply(selectors: readonly string[]): boolean {
    return selectors.some((selector) => {
      const { classes } = subjectOf(selector);
      return classes.every((name) => this.#isNamed(name));
    });
  }

  #isNamed(name: string): boolean {
    this.#names ??= namesOf(this.#site);
    return this.#names === 'unknown' || this.#names.has(name);
  }

  /** Classes that elements of the pages have as they are delivered. */
  get #onPages(): ReadonlySet<string> {
    this.#classes ??= new Set(this.#site.pages.flatMap(({ facts }) => [...facts.classes]));
    return this.#classes;
  }

  get #loadedScripts(): ReadonlySet<ScriptUnit> {
    this.#loaded ??= loadedScripts(this.#site);
    return this.#loaded;
  }

  /** Whether a page, a worker or another loaded script names a script; the rest may be left over, or chosen as the app runs. */
  isLoaded(unit: ScriptUnit): boolean {
    return this.#loadedScripts.has(unit);
  }

  /** Whether links lead from the start page to a page; nobody may ever open another. */
  isReached(page: SitePage): boolean {
    this.#reached ??= reachedPages(this.#site);
    return this.#reached.has(page);
  }

  /** Addresses of the site's own that lead nowhere, once each. */
  brokenReferences(wanted: 'files' | 'links'): readonly BrokenReference[] {
    const known = this.#broken.get(wanted) ?? findBrokenReferences(this.#site, wanted, this.#loadedScripts);
    this.#broken.set(wanted, known);
    return known;
  }
}

/** Classes that elements may have; unknown where a script was not read. */
function namesOf(site: Site): ReadonlySet<string> | 'unknown' {
  const names = new Set<string>();
  for (const { facts } of site.pages) {
    for (const name of facts.classes) names.add(name);
    for (const { kind, text } of facts.references) {
      // Scripts of other hosts may give elements any class.
      if ((kind === 'script' || kind === 'module') && /^(https?:)?\/\//.test(text)) return 'unknown';
    }
  }
  for (const { facts } of site.scripts) {
    if (facts.fault) return 'unknown';
    for (const word of facts.words) names.add(word);
  }
  return names;
}

/** The start page, and all pages that links and frames lead to from it. */
function reachedPages({ startPage, pages, base }: Site): ReadonlySet<SitePage> {
  const byUrl = new Map(pages.map((page) => [page.url, page]));
  const reached = new Set<SitePage>();
  const pending = startPage ? [startPage] : [];
  for (let page = pending.pop(); page !== undefined; page = pending.pop()) {
    if (reached.has(page)) continue;
    reached.add(page);
    for (const reference of page.facts.references) {
      if (reference.kind !== 'link' && reference.kind !== 'frame') continue;
      const url = resolveReference(page, reference);
      if (!url || url.origin !== base.origin) continue;
      const plain = fileUrl(url);
      const folder = plain.endsWith('/') ? plain : `${plain}/`;
      const next = [
        plain,
        `${plain}.html`,
        folder,
        `${folder.slice(0, -1)}.html`,
        plain.replace(/index\.html$/, ''),
      ]
        .map((one) => byUrl.get(one))
        .find((one) => one !== undefined);
      if (next && !reached.has(next)) pending.push(next);
    }
  }
  return reached;
}
