import type { AppLink, AppShareTarget, PathRule } from '../app-entry.js';
import type { XmlElement } from '../formats/binary-xml/types.js';
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

/** MIME types of file name endings that a share target may name (Web Share Target, "accept"). */
const ENDINGS: Readonly<Record<string, string>> = {
  '.csv': 'text/csv',
  '.doc': 'application/msword',
  '.docx': 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  '.gif': 'image/gif',
  '.gpx': 'application/gpx+xml',
  '.ics': 'text/calendar',
  '.jpeg': 'image/jpeg',
  '.jpg': 'image/jpeg',
  '.json': 'application/json',
  '.mp3': 'audio/mpeg',
  '.mp4': 'video/mp4',
  '.pdf': 'application/pdf',
  '.png': 'image/png',
  '.svg': 'image/svg+xml',
  '.txt': 'text/plain',
  '.vcf': 'text/x-vcard',
  '.webp': 'image/webp',
  '.xlsx': 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  '.zip': 'application/zip',
};

/** Filters for what other apps share: texts and addresses, and files where the target takes them. */
export function shareFilters(share: AppShareTarget): XmlElement[] {
  const types = [
    ...new Set(
      share.files.flatMap(({ accept }) =>
        accept.map((type) =>
          type.startsWith('.') ? (ENDINGS[type.toLowerCase()] ?? '*/*') : type.toLowerCase(),
        ),
      ),
    ),
  ].sort();
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
