import { HullError, type Location } from '../errors.js';
import { parseLocatedJson } from '../util/json-locations.js';
import { parseUrl } from '../util/url-path.js';

/** The members of a web app manifest that packing uses (W3C Web Application Manifest). */
export interface WebManifest {
  readonly name?: string;
  readonly short_name?: string;
  readonly id?: string;
  readonly start_url?: string;
  readonly scope?: string;
  readonly display?: string;
  readonly orientation?: string;
  readonly theme_color?: string;
  readonly background_color?: string;
  readonly icons: readonly ManifestIcon[];
  /** Place of a member by JSON pointer. */
  location(pointer: string): Location;
}

export interface ManifestIcon {
  readonly src: string;
  /** Largest side named in `sizes`, in px; Infinity for `any`; 0 where nothing is said. */
  readonly largest: number;
  readonly type?: string;
  readonly purpose: readonly string[];
}

/** No real manifest comes near this size; a larger one is refused before it is parsed. */
export const MANIFEST_LIMIT = 1024 * 1024;

const TEXT_MEMBERS = [
  'name',
  'short_name',
  'id',
  'start_url',
  'scope',
  'display',
  'orientation',
  'theme_color',
  'background_color',
] as const;

function wrongType(location: Location, what: string, fix: string): HullError {
  return new HullError('manifest.wrong-type', what, { location, fix });
}

/** Takes a fault of one member, which is then left out; without one, it is thrown. */
export type OnFault = (fault: HullError) => void;

function readIcons(
  value: unknown,
  location: (pointer: string) => Location,
  onFault: OnFault,
): ManifestIcon[] {
  if (value === undefined) return [];
  if (!Array.isArray(value)) {
    const what = 'The member "icons" must be a list.';
    onFault(wrongType(location('/icons'), what, 'Write it as [ { "src": "…" } ].'));
    return [];
  }
  return value.flatMap((item: unknown, index) => {
    const pointer = `/icons/${index}`;
    const icon = (typeof item === 'object' && item !== null ? item : {}) as Record<string, unknown>;
    const text = (key: string): string | undefined => {
      const member = icon[key];
      if (member !== undefined && typeof member !== 'string') {
        const what = `An icon's "${key}" must be a text.`;
        onFault(wrongType(location(`${pointer}/${key}`), what, 'Put it in quotation marks.'));
        return undefined;
      }
      return member;
    };
    const src = text('src');
    if (src === undefined || src === '') {
      onFault(wrongType(location(pointer), 'An icon must have a "src".', 'Add it, or remove the icon.'));
      return [];
    }
    const sides = (text('sizes') ?? '')
      .toLowerCase()
      .split(/\s+/)
      .map((size) =>
        size === 'any' ? Number.POSITIVE_INFINITY : Number(/^(\d+)x\d+$/.exec(size)?.[1] ?? 0),
      );
    const type = text('type');
    const read: ManifestIcon = {
      src,
      largest: sides.reduce((most, side) => Math.max(most, side), 0),
      ...(type === undefined ? {} : { type }),
      purpose: (text('purpose') ?? 'any').toLowerCase().split(/\s+/),
    };
    return [read];
  });
}

/**
 * Reads a manifest's text.
 *
 * @param file path or URL, for places
 * @param onFault takes faults of single members, which are left out; by default they are thrown
 * @throws HullError `manifest.too-large`, `manifest.not-json`, `manifest.wrong-type`
 */
export function parseWebManifest(
  file: string,
  text: string,
  onFault: OnFault = (fault) => {
    throw fault;
  },
): WebManifest {
  if (text.length > MANIFEST_LIMIT) {
    throw new HullError('manifest.too-large', 'The web app manifest is larger than 1 MiB.', {
      location: { file },
      fix: 'Keep pictures out of it (data: URLs), and check that this is the manifest.',
    });
  }
  const json = parseLocatedJson(file, text, {
    comments: false,
    code: 'manifest.not-json',
    fix: /^\s*</.test(text)
      ? 'This is a page of HTML: the link to the manifest leads to the wrong file.'
      : 'Fix the manifest here; it is plain JSON, without comments.',
  });
  const members = json.value;
  if (typeof members !== 'object' || members === null || Array.isArray(members)) {
    throw wrongType(
      { file, line: 1, column: 1 },
      'A web app manifest must be an object.',
      'Put its members in braces.',
    );
  }
  const record = members as Record<string, unknown>;
  const texts: Record<string, string> = {};
  for (const key of TEXT_MEMBERS) {
    const member = Object.hasOwn(record, key) ? record[key] : undefined;
    if (member === undefined) continue;
    if (typeof member !== 'string') {
      const what = `The member "${key}" must be a text.`;
      onFault(wrongType(json.location(`/${key}`), what, 'Put it in quotation marks.'));
      continue;
    }
    if (member.trim() !== '') texts[key] = member.trim();
  }
  const icons = readIcons(Object.hasOwn(record, 'icons') ? record.icons : undefined, json.location, onFault);
  return { ...texts, icons, location: json.location };
}

const ANY_BASE = new URL('https://folder.invalid/');
const PICTURES = /\.(svg|png|webp|jpe?g)$/i;

/** The icon to make launcher icons from: a drawing before pixels, then the largest; never a monochrome one. */
export function bestIcon(icons: readonly ManifestIcon[]): ManifestIcon | undefined {
  const usable = icons.filter(
    (icon) =>
      icon.purpose.some((purpose) => purpose === 'any' || purpose === 'maskable') &&
      (PICTURES.test(parseUrl(icon.src, ANY_BASE)?.pathname ?? '') ||
        icon.type?.startsWith('image/') === true),
  );
  const isDrawing = (icon: ManifestIcon) => /\.svg($|[?#])/i.test(icon.src) || icon.type === 'image/svg+xml';
  const isPlain = (icon: ManifestIcon) => icon.purpose.includes('any');
  return [...usable].sort(
    (a, b) =>
      Number(isDrawing(b)) - Number(isDrawing(a)) ||
      Math.min(b.largest, 1e6) - Math.min(a.largest, 1e6) ||
      Number(isPlain(b)) - Number(isPlain(a)),
  )[0];
}
