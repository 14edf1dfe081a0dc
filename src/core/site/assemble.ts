import { HullError } from '../errors.js';
import { parseLocatedJson } from '../util/json-locations.js';
import { isObject } from '../util/json-object.js';
import { parseUrl } from '../util/url-path.js';
import { type ElementNode, ElementTable } from './elements.js';
import { type PageSharing, readPage } from './page.js';
import { PARSE, type ParseTexts } from './parsed-texts.js';
import type { Position } from './positions.js';
import {
  fileUrl,
  locationIn,
  pageBase,
  resolveReference,
  type ScriptUnit,
  type Site,
  type SiteManifest,
  type SitePage,
  type SiteWorker,
  type StyleGroup,
  type StyleUnit,
  unitLocation,
} from './site.js';
import { readStyleAttribute } from './style.js';
import { MANIFEST_LIMIT } from './web-manifest.js';

const START: Position = { line: 1, column: 1 };
/** Declarations of a `style` attribute that say something of the whole page. */
const OF_A_LOOK = /position\s*:|touch-action|user-select|tap-highlight|--/i;

/** A style in a page, with its place there: a unit itself is where its text was first met. */
interface OwnStyle {
  readonly at: Position;
  readonly unit: StyleUnit;
}

/** Puts pages, scripts and styles together as they are read; a text that many pages hold is read once. */
export class Assembler {
  readonly pages: SitePage[] = [];
  readonly scripts: ScriptUnit[] = [];
  readonly styles: StyleUnit[] = [];
  readonly #scriptsByUrl = new Map<string, ScriptUnit>();
  readonly #stylesByUrl = new Map<string, StyleUnit>();
  readonly #inlineScripts = new Map<string, { unit: ScriptUnit; index: number }>();
  readonly #inlineStyles = new Map<string, StyleUnit>();
  /** Styles in each page, in page order. */
  readonly #own = new Map<SitePage, readonly OwnStyle[]>();
  readonly #elements = new Map<SitePage, ReadonlySet<ElementNode>>();
  readonly #attributes = new Map<string, StyleUnit>();
  readonly #words = new Map<string, string>();
  readonly #links = new Set<string>();
  readonly #shared: PageSharing = {
    intern: (text) => {
      const known = this.#words.get(text);
      if (known === undefined) this.#words.set(text, text);
      return known ?? text;
    },
    isNewLink: (href) => {
      const isNew = !this.#links.has(href);
      if (isNew) this.#links.add(href);
      return isNew;
    },
    elements: new ElementTable(),
  };

  readonly #parsed: ParseTexts;

  /** @param parsed what other readings have parsed already */
  constructor(parsed: ParseTexts = PARSE) {
    this.#parsed = parsed;
  }

  addPage(url: string, name: string, html: string): SitePage {
    const { scripts, styles, styleAttributes, elements, ...facts } = readPage(html, this.#shared);
    const page = { url, name, facts };
    this.pages.push(page);
    this.#elements.set(page, elements);
    for (const { text, line, column } of scripts) {
      const known = this.#inlineScripts.get(text);
      if (known) {
        known.unit = { ...known.unit, pages: known.unit.pages + 1 };
        this.scripts[known.index] = known.unit;
        continue;
      }
      const unit = { url, name, facts: this.#parsed.script(text), start: { line, column }, pages: 1 };
      this.#inlineScripts.set(text, { unit, index: this.scripts.length });
      this.scripts.push(unit);
    }
    // A look is what pages share. What an attribute says of one element alone is judged where it stands; were it part of
    // the look, pages with a width or picture of their own would each have one, and all sheets be merged for each.
    const attributes = styleAttributes.map((item) => ({
      item,
      unit: this.#inlineStyle(item.text, 'attribute', url, name, item),
    }));
    for (const { item, unit } of attributes) this.#attributes.set(item.text, unit);
    const own = [
      ...styles.map((item) => ({ item, unit: this.#inlineStyle(item.text, 'sheet', url, name, item) })),
      ...attributes.filter(({ item }) => OF_A_LOOK.test(item.text)),
    ].map(({ item: { line, column }, unit }) => ({ at: { line, column }, unit }));
    if (own.length > 0) this.#own.set(page, own);
    return page;
  }

  #inlineStyle(
    text: string,
    kind: 'sheet' | 'attribute',
    url: string,
    name: string,
    { line, column }: Position,
  ): StyleUnit {
    const key = `${kind}:${text}`;
    const known = this.#inlineStyles.get(key);
    if (known) return known;
    const facts = kind === 'sheet' ? this.#parsed.style(text) : readStyleAttribute(text);
    const unit: StyleUnit = { kind, url, name, facts, start: { line, column } };
    this.#inlineStyles.set(key, unit);
    this.styles.push(unit);
    return unit;
  }

  addScript(url: string, name: string, text: string): ScriptUnit {
    const unit = { url, name, facts: this.#parsed.script(text), start: START, pages: 0 };
    this.scripts.push(unit);
    this.#scriptsByUrl.set(url, unit);
    return unit;
  }

  addStyle(url: string, name: string, text: string): StyleUnit {
    const unit: StyleUnit = { kind: 'sheet', url, name, facts: this.#parsed.style(text), start: START };
    this.styles.push(unit);
    this.#stylesByUrl.set(url, unit);
    return unit;
  }

  /** Takes over a sheet that was read already. */
  keepStyle(unit: StyleUnit): void {
    this.styles.push(unit);
    if (unit.kind === 'sheet') this.#stylesByUrl.set(unit.url, unit);
  }

  /** Styles in pages, with their texts. */
  inlineTexts(): [text: string, unit: StyleUnit][] {
    return [...this.#inlineStyles].map(([key, unit]) => [key.slice(key.indexOf(':') + 1), unit]);
  }

  #imported(sheet: StyleUnit, seen: Set<StyleUnit>): StyleUnit[] {
    if (seen.has(sheet)) return [];
    seen.add(sheet);
    const below = sheet.facts.addresses.flatMap(({ kind, text }) => {
      const url = kind === 'import' ? parseUrl(text, new URL(sheet.url)) : undefined;
      const unit = url && this.#stylesByUrl.get(fileUrl(url));
      return unit ? this.#imported(unit, seen) : [];
    });
    return [...below, sheet];
  }

  /** Puts everything in the order of its addresses, whatever order answers came in; the start page stays first. */
  sort(start: SitePage): void {
    const inOrder = (a: { url: string; name: string }, b: { url: string; name: string }) =>
      a.url < b.url ? -1 : a.url > b.url ? 1 : 0;
    this.pages.sort((a, b) => Number(b === start) - Number(a === start) || inOrder(a, b));
    this.scripts.sort(inOrder);
    this.styles.sort(inOrder);
  }

  /** Pages by the styles that they share. */
  styleGroups(): StyleGroup[] {
    const styleGroups = new Map<
      string,
      {
        page: SitePage;
        pages: number;
        styles: StyleUnit[];
        elements: Set<ElementNode>;
        isCut: boolean;
        attributes: ReadonlyMap<string, StyleUnit>;
        unread: readonly string[];
      }
    >();
    const numbers = new Map(this.styles.map((unit, index) => [unit, index]));
    for (const page of this.pages) {
      const seen = new Set<StyleUnit>();
      const unread: string[] = [];
      const linked = page.facts.references.flatMap((reference) => {
        const url = reference.kind === 'style' ? resolveReference(page, reference) : undefined;
        const unit = url && this.#stylesByUrl.get(fileUrl(url));
        if (reference.kind === 'style' && !unit) unread.push(reference.text);
        return unit ? [{ at: reference, unit }] : [];
      });
      const styles = [...linked, ...(this.#own.get(page) ?? [])]
        .sort(({ at: a }, { at: b }) => a.line - b.line || a.column - b.column)
        .flatMap(({ unit }) => this.#imported(unit, seen));
      const key = `${unread.join(' ')}: ${styles.map((unit) => numbers.get(unit)).join(' ')}`;
      const known = styleGroups.get(key);
      const elements = this.#elements.get(page) ?? [];
      if (known) {
        known.pages += 1;
        for (const element of elements) known.elements.add(element);
      } else {
        const attributes = this.#attributes;
        const { isFull: isCut } = this.#shared.elements;
        styleGroups.set(key, {
          page,
          pages: 1,
          styles,
          elements: new Set(elements),
          isCut,
          attributes,
          unread,
        });
      }
    }
    return [...styleGroups.values()];
  }

  /** The service workers that scripts register. */
  workers(site: Pick<Site, 'kind' | 'start'>): SiteWorker[] {
    return this.scripts.flatMap((unit) =>
      unit.facts.registrations.map((registration): SiteWorker => {
        const location = unitLocation(site as Site, unit, registration);
        // Addresses of registrations are relative to the page that runs them, not to the script's file.
        const from = registration.fromScript || unit.pages > 0 ? new URL(unit.url) : site.start;
        const url = registration.url === undefined ? undefined : parseUrl(registration.url, from);
        const script = url ? this.#scriptsByUrl.get(fileUrl(url)) : this.#likelyWorker();
        const at = url ?? (script ? new URL(script.url) : undefined);
        const scope =
          registration.scope === undefined ? at && new URL('./', at) : parseUrl(registration.scope, from);
        return {
          location,
          ...(at ? { url: at } : {}),
          ...(scope ? { scope } : {}),
          ...(script ? { script } : {}),
          imported: script ? this.#importedScripts(script) : [],
        };
      }),
    );
  }

  /** The one script that behaves as a worker, for a registration that does not show its address. */
  #likelyWorker(): ScriptUnit | undefined {
    const found = this.scripts.filter(
      ({ facts }) => facts.listens.has('fetch') && facts.listens.has('install'),
    );
    return found.length === 1 ? found[0] : undefined;
  }

  #importedScripts(script: ScriptUnit): ScriptUnit[] {
    const seen = new Set<ScriptUnit>([script]);
    const pending = [script];
    for (let unit = pending.pop(); unit !== undefined; unit = pending.pop()) {
      for (const { text } of unit.facts.imports) {
        const url = parseUrl(text, new URL(unit.url));
        const next = url && this.#scriptsByUrl.get(fileUrl(url));
        if (next && !seen.has(next)) {
          seen.add(next);
          pending.push(next);
        }
      }
    }
    seen.delete(script);
    return [...seen];
  }
}

/** Where a page links to the manifest: the address and the place. */
export function manifestLink(
  kind: Site['kind'],
  page: SitePage | undefined,
): { readonly url: URL; readonly location: SiteManifest['link'] } | undefined {
  const reference = page?.facts.references.find((item) => item.kind === 'manifest');
  const url = page && reference && parseUrl(reference.text, pageBase(page));
  return url && reference && page
    ? { url, location: locationIn(kind, page.name, spotOf(reference)) }
    : undefined;
}

const spotOf = ({ line, column }: Position): Position => ({ line, column });

/** Reads a manifest leniently: what is wrong with it is reported, and the rest of it is judged. */
export function assembleManifest(
  url: string,
  name: string,
  link: SiteManifest['link'],
  text: string | undefined,
  type?: string,
): SiteManifest {
  const shared = { url, name, link, ...(type === undefined ? {} : { type }) };
  if (text === undefined) return shared;
  if (text.length > MANIFEST_LIMIT) {
    const fault = new HullError('manifest.too-large', 'The web app manifest is larger than 1 MiB.', {
      location: { file: name },
    });
    return { ...shared, text, fault };
  }
  try {
    const json = parseLocatedJson(name, text, {
      comments: false,
      code: 'manifest.not-json',
      fix: 'Fix the manifest here; it is plain JSON, without comments.',
    });
    const { value } = json;
    return { ...shared, text, json, ...(isObject(value) ? { members: value } : {}) };
  } catch (error) {
    if (error instanceof HullError) return { ...shared, text, fault: error };
    throw error;
  }
}
