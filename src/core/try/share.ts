import type { ShareSettings } from './settings.js';

/** What another app shares. */
export interface Shared {
  readonly title?: string | undefined;
  readonly text?: string | undefined;
  readonly file?: SharedFile | undefined;
}

export interface SharedFile {
  readonly name: string;
  /** MIME type. */
  readonly type: string;
  readonly bytes: Uint8Array;
}

/** What arrives in the app: a page to load, with what is posted to it. */
export interface Arrival {
  readonly url: string;
  /** A body of a form (`application/x-www-form-urlencoded`). */
  readonly form?: string;
  /** Fields of a multipart form, and the one that has the file. */
  readonly fields?: readonly (readonly [name: string, value: string])[];
  readonly fileField?: string | undefined;
}

/** The field that takes a file of a type; `undefined` where none does. An ending of a file name takes any. */
export function fieldFor({ files }: ShareSettings, type: string): string | undefined {
  return files.find(({ accept }) =>
    accept.some((one) => {
      const wanted = one.toLowerCase();
      if (wanted.startsWith('.') || wanted === type || wanted === '*/*') return true;
      return wanted.endsWith('/*') && type.startsWith(wanted.slice(0, -1));
    }),
  )?.name;
}

const encoded = (fields: readonly (readonly [string, string])[]): string =>
  new URLSearchParams(fields.map(([name, value]): [string, string] => [name, value])).toString();

/**
 * Where a share arrives, as the shells have it: `shell/vectors/shares.json` binds it (Web Share Target, "launching a share target").
 */
export function arrivalOf(share: ShareSettings, { title, text, file }: Shared): Arrival {
  const isAddress = text !== undefined && /^https?:\/\/\S+$/i.test(text.trim());
  const fields: (readonly [string, string])[] = [];
  if (share.title !== undefined && title !== undefined) fields.push([share.title, title]);
  if (text !== undefined && share.url !== undefined && isAddress) fields.push([share.url, text.trim()]);
  else if (text !== undefined && share.text !== undefined) fields.push([share.text, text]);
  const { href } = share.action;
  if (!share.isPost) {
    const query = encoded(fields);
    return { url: query === '' ? href : `${href}${href.includes('?') ? '&' : '?'}${query}` };
  }
  if (!share.isMultipart) return { url: href, form: encoded(fields) };
  return { url: href, fields, fileField: file && fieldFor(share, file.type) };
}
