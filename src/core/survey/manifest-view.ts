import type { Location } from '../errors.js';
import type { Picture } from '../site/picture.js';
import { fileUrl, type Site } from '../site/site.js';
import { isObject } from '../util/json-object.js';
import { parseUrl } from '../util/url-path.js';

/** A member of the manifest: absent, of a wrong type, or its value. */
export type Member<T> =
  | { readonly is: 'absent' }
  | { readonly is: 'wrong' }
  | { readonly is: 'ok'; readonly value: T };

export interface IconView {
  readonly index: number;
  readonly pointer: string;
  readonly src: string;
  readonly url: URL | undefined;
  readonly type: string | undefined;
  /** Declared sides in px; Infinity for `any`. */
  readonly sizes: readonly { readonly width: number; readonly height: number }[];
  readonly purposes: readonly string[];
  readonly picture: Picture | undefined;
}

/** The manifest as rules read it; only made where the manifest could be read. */
export class ManifestView {
  readonly site: Site;
  readonly url: URL;
  readonly #members: Readonly<Record<string, unknown>>;

  constructor(site: Site) {
    this.site = site;
    this.url = new URL(site.manifest?.url ?? site.base.href);
    this.#members = site.manifest?.members ?? {};
  }

  get keys(): readonly string[] {
    return Object.keys(this.#members);
  }

  raw(key: string): unknown {
    return Object.hasOwn(this.#members, key) ? this.#members[key] : undefined;
  }

  text(key: string): Member<string> {
    const value = this.raw(key);
    if (value === undefined || (typeof value === 'string' && value.trim() === '')) return { is: 'absent' };
    return typeof value === 'string' ? { is: 'ok', value: value.trim() } : { is: 'wrong' };
  }

  list(key: string): Member<readonly unknown[]> {
    const value = this.raw(key);
    if (value === undefined) return { is: 'absent' };
    return Array.isArray(value) ? { is: 'ok', value } : { is: 'wrong' };
  }

  /** Objects of a list with their pointers; what is no object is left to the rule about types. */
  objects(key: string): { readonly pointer: string; readonly value: Record<string, unknown> }[] {
    const list = this.list(key);
    if (list.is !== 'ok') return [];
    return list.value.flatMap((value, index) =>
      isObject(value) ? [{ pointer: `/${key}/${index}`, value }] : [],
    );
  }

  location(pointer: string): Location {
    const { json, name } = this.site.manifest ?? {};
    return json?.location(pointer) ?? { file: name ?? '' };
  }

  /** Place of a member's key; of the top of the manifest where it is absent. */
  locationOfKey(pointer: string): Location {
    const { json, name } = this.site.manifest ?? {};
    return json?.locationOfKey(pointer) ?? { file: name ?? '' };
  }

  /** Where a missing member would go: the top of the manifest. */
  get top(): Location {
    const { line, column } = this.location('');
    return { file: this.site.manifest?.name ?? '', line: line ?? 1, column: column ?? 1 };
  }

  resolve(text: string): URL | undefined {
    return parseUrl(text, this.url);
  }

  /** Icons of a list that have a `src`. */
  icons(key = 'icons'): IconView[] {
    return this.objects(key).flatMap(({ pointer, value }, index) => {
      const { src, sizes, type, purpose } = value;
      if (typeof src !== 'string' || src.trim() === '') return [];
      const url = this.resolve(src);
      return [
        {
          index,
          pointer,
          src,
          url,
          type: typeof type === 'string' ? type : undefined,
          sizes: typeof sizes === 'string' ? declaredSizes(sizes) : [],
          purposes: typeof purpose === 'string' ? purpose.toLowerCase().trim().split(/\s+/) : ['any'],
          picture: url && this.site.pictures.get(fileUrl(url)),
        },
      ];
    });
  }

  /** The manifest's scope (W3C Web Application Manifest, "scope member"): `undefined` where it does not hold. */
  get scope(): URL | undefined {
    const member = this.text('scope');
    const start = this.start;
    if (member.is !== 'ok') return start && new URL('.', start);
    const scope = this.resolve(member.value);
    return scope?.origin === this.url.origin ? scope : undefined;
  }

  get start(): URL | undefined {
    const member = this.text('start_url');
    return member.is === 'ok' ? this.resolve(member.value) : this.site.start;
  }
}

/** Sizes as an icon declares them (HTML Standard, `sizes`). */
function declaredSizes(text: string): { width: number; height: number }[] {
  return text
    .toLowerCase()
    .trim()
    .split(/\s+/)
    .flatMap((size) => {
      if (size === 'any') return [{ width: Number.POSITIVE_INFINITY, height: Number.POSITIVE_INFINITY }];
      const match = /^(\d+)x(\d+)$/.exec(size);
      return match ? [{ width: Number(match[1]), height: Number(match[2]) }] : [];
    });
}

/** Whether an address lies in a scope (W3C Web Application Manifest, "within scope"). */
export function inScope(url: URL, scope: URL): boolean {
  return url.origin === scope.origin && url.pathname.startsWith(scope.pathname);
}

/** Letters as readers count them. */
export function letters(text: string): number {
  return [...new Intl.Segmenter().segment(text)].length;
}
