import type { Location } from '../errors.js';
import type { ReferenceKind } from '../site/page-facts.js';
import {
  type AddressStatus,
  fileUrl,
  locationIn,
  resolveReference,
  type ScriptUnit,
  type Site,
  unitLocation,
} from '../site/site.js';
import { parseUrl } from '../util/url-path.js';

const FILES: ReadonlySet<ReferenceKind> = new Set([
  'script',
  'module',
  'style',
  'image',
  'media',
  'frame',
  'icon',
  'touch-icon',
  'startup-image',
  'preload',
]);
const LINKS: ReadonlySet<ReferenceKind> = new Set(['link', 'form']);

interface Pointer {
  readonly url: URL;
  readonly status: AddressStatus;
  readonly location: Location;
  readonly text: string;
  readonly kind: string;
}

export interface BrokenReference extends Pointer {
  readonly more: number;
}

/** Whether a host answers for a picture, a style or a script with a page, as one does that answers everything with its start page. */
function isPageInPlace(site: Site, address: string, wanted: 'files' | 'links', kind: string): boolean {
  if (wanted === 'links' || kind === 'frame') return false;
  return /html/i.test(site.responses.get(address)?.type ?? '');
}

/** Addresses of the site's own that lead nowhere, once each, with the number of further locations. */
export function findBrokenReferences(
  site: Site,
  wanted: 'files' | 'links',
  loaded: ReadonlySet<ScriptUnit>,
): BrokenReference[] {
  const kinds = wanted === 'files' ? FILES : LINKS;
  const found = new Map<string, { first: Pointer; more: number }>();
  const statuses = new Map<string, AddressStatus>();
  const add = (url: URL, key: string, text: string, kind: string, location: () => Location) => {
    let status = statuses.get(key);
    if (status === undefined) {
      status = site.resolveStatus(url);
      if (status.is === 'there' && isPageInPlace(site, key, wanted, kind)) status = { is: 'html' };
      statuses.set(key, status);
    }
    if (status.is === 'there' || status.is === 'foreign' || status.is === 'unknown') return;
    const known = found.get(key);
    if (known) known.more += 1;
    else found.set(key, { first: { url, status, location: location(), text, kind }, more: 0 });
  };
  const resolved = new Map<string, { url: URL; key: string } | undefined>();
  for (const page of site.pages) {
    for (const reference of page.facts.references) {
      const { kind, text, line, column } = reference;
      if (!kinds.has(kind) || text === '' || text.startsWith('#')) continue;
      // Absolute paths mean the same on every page; resolving them again for each costs most of the time.
      const key = text.startsWith('/') && page.facts.base === undefined ? text : `${page.url} ${text}`;
      let target = resolved.get(key);
      if (target === undefined && !resolved.has(key)) {
        const url = resolveReference(page, reference);
        target = url && { url, key: fileUrl(url) };
        if (text.startsWith('/')) resolved.set(key, target);
      }
      if (target)
        add(target.url, target.key, text, kind, () => locationIn(site.kind, page.name, { line, column }));
    }
  }
  if (wanted === 'files') {
    for (const unit of site.styles) {
      for (const address of unit.facts.addresses) {
        const url = parseUrl(address.text, new URL(unit.url));
        if (url) add(url, fileUrl(url), address.text, address.kind, () => unitLocation(site, unit, address));
      }
    }
    for (const unit of site.scripts) {
      // Modules that nothing loads are sources, left in the folder.
      if (!loaded.has(unit)) continue;
      for (const one of unit.facts.imports) {
        // Bare names are resolved by import maps or bundlers.
        if (!one.complete || !/^(\.{0,2}\/|https?:)/.test(one.text)) continue;
        const url = parseUrl(one.text, new URL(unit.url));
        if (url) add(url, fileUrl(url), one.text, 'import', () => unitLocation(site, unit, one));
      }
    }
  }
  return [...found.values()].map(({ first, more }) => ({ ...first, more }));
}

/** Scripts in pages, those that pages and workers load, and what these import. */
export function loadedScripts(site: Site): ReadonlySet<ScriptUnit> {
  const byUrl = new Map(site.scripts.filter(({ pages }) => pages === 0).map((unit) => [unit.url, unit]));
  const loaded = new Set<ScriptUnit>();
  const pending = site.scripts.filter(({ pages }) => pages > 0);
  const add = (url: URL | undefined) => {
    const unit = url && byUrl.get(fileUrl(url));
    if (unit) pending.push(unit);
  };
  for (const page of site.pages) {
    for (const reference of page.facts.references) {
      if (/^(script|module|preload)$/.test(reference.kind)) add(resolveReference(page, reference));
    }
  }
  for (const { url } of site.workers) add(url);
  for (let unit = pending.pop(); unit !== undefined; unit = pending.pop()) {
    if (loaded.has(unit)) continue;
    loaded.add(unit);
    const from = new URL(unit.url);
    for (const { text } of unit.facts.imports) add(parseUrl(text, from));
    for (const { text } of unit.facts.requests) add(parseUrl(text, from));
  }
  return loaded;
}
