import type { Site, StyleGroup } from '../site/site.js';
import { type GroupStyles, groupStyles } from './bars.js';
import { type BrokenReference, findBrokenReferences } from './broken-references.js';

/** What several rules ask of a site, computed once a survey. */
export class Derived {
  readonly #site: Site;
  readonly #styles = new Map<StyleGroup, GroupStyles>();
  readonly #broken = new Map<'files' | 'links', readonly BrokenReference[]>();

  constructor(site: Site) {
    this.#site = site;
  }

  /** What a group's style sheets say together. */
  stylesOf(group: StyleGroup): GroupStyles {
    const known = this.#styles.get(group) ?? groupStyles(group);
    this.#styles.set(group, known);
    return known;
  }

  /** Addresses of the site's own that lead nowhere, once each. */
  brokenReferences(wanted: 'files' | 'links'): readonly BrokenReference[] {
    const known = this.#broken.get(wanted) ?? findBrokenReferences(this.#site, wanted);
    this.#broken.set(wanted, known);
    return known;
  }
}
