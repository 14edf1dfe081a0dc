import type { AppLink, AppShareTarget, PathRule } from '../app-entry.js';
import type { XmlElement } from '../formats/binary-xml/types.js';
import { MEDIA_TYPES } from '../site/media-types.js';
import type { AttributeName } from './attributes.js';
import { android, element } from './xml.js';

const VIEW = 'android.intent.action.VIEW';
const categories = (...names: string[]) =>
  names.map((name) => element('category', [android('name', `android.intent.category.${name}`)]));
const action = (name: string) => element('action', [android('name', name)]);

/** Characters that mean something in the platform's simple patterns (`PatternMatcher.PATTERN_SIMPLE_GLOB`). */
const escapeGlob = (text: string) => text.replaceAll(/[\\.*]/g, '\\$&');

/** A path rule as the attribute that matches the same paths, as narrow as the platform has it. */
export function pathAttribute(pattern: string): { readonly name: AttributeName; readonly value: string } {
  const stars = pattern.split('*').length - 1;
  if (stars === 0) return { name: 'path', value: pattern };
  if (stars === 1 && pattern.endsWith('*')) return { name: 'pathPrefix', value: pattern.slice(0, -1) };
  return { name: 'pathPattern', value: pattern.split('*').map(escapeGlob).join('.*') };
}

const pathData = ({ pattern }: PathRule) => {
  const { name, value } = pathAttribute(pattern);
  return element('data', [android(name, value)]);
};

/**
 * A filter for links of one host, verified with its association document. What is excluded can only be said from API 35
 * on, in relative filter groups, which are tried in order; before that the shell hands such links to the browser.
 */
function linkFilter({ host, rules }: AppLink): XmlElement {
  const allowed = rules.filter(({ allow }) => allow);
  const excluded = rules.filter(({ allow }) => !allow);
  const where = [element('data', [android('scheme', 'https')]), element('data', [android('host', host)])];
  const groups = excluded.map((rule) =>
    element('uri-relative-filter-group', [android('allow', false)], [pathData(rule)]),
  );
  return element(
    'intent-filter',
    [android('autoVerify', true)],
    [action(VIEW), ...categories('DEFAULT', 'BROWSABLE'), ...where, ...allowed.map(pathData), ...groups],
  );
}

export function linkFilters(links: readonly AppLink[]): XmlElement[] {
  return links.map(linkFilter);
}

/** A filter for addresses of the app's own scheme. */
export function schemeFilter(scheme: string): XmlElement {
  return element(
    'intent-filter',
    [],
    [action(VIEW), ...categories('DEFAULT', 'BROWSABLE'), element('data', [android('scheme', scheme)])],
  );
}

/** Types that other apps share and that no page is served with, by their endings. */
const SHARED_TYPES: Readonly<Record<string, string>> = {
  doc: 'application/msword',
  docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  gpx: 'application/gpx+xml',
  vcf: 'text/x-vcard',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
};

/** The MIME type of what a share target accepts: a type, or a file name ending (Web Share Target, "accept"). */
function typeOf(accept: string): string {
  const text = accept.toLowerCase();
  if (!text.startsWith('.')) return text;
  return MEDIA_TYPES[text.slice(1)] ?? SHARED_TYPES[text.slice(1)] ?? '*/*';
}

/** Filters for what other apps share: texts and addresses, and files where the target takes them. */
export function shareFilters(share: AppShareTarget): XmlElement[] {
  const types = [...new Set(share.files.flatMap(({ accept }) => accept.map(typeOf)))].sort();
  const takesText = share.title !== undefined || share.text !== undefined || share.url !== undefined;
  const data = (list: readonly string[]) => list.map((type) => element('data', [android('mimeType', type)]));
  const one = [
    ...(takesText ? ['text/plain'] : []),
    ...types.filter((type) => type !== 'text/plain' || !takesText),
  ];
  const filter = (name: string, list: readonly string[]) =>
    element(
      'intent-filter',
      [],
      [action(`android.intent.action.${name}`), ...categories('DEFAULT'), ...data(list)],
    );
  return [
    ...(one.length > 0 ? [filter('SEND', one)] : []),
    ...(types.length > 0 ? [filter('SEND_MULTIPLE', types)] : []),
  ];
}
