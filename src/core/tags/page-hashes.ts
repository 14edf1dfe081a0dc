import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { WebFile } from '../site/folder.js';
import { extensionOf } from '../site/media-types.js';
import type { PlannedText } from './project-tags.js';

/** A file that was, or will be, written. */
export interface ChangedFile {
  readonly before: string;
  readonly after: string;
}

/** Digests, in hexadecimal, by which lists of files name a version: MD5, SHA-1 and SHA-256. */
const DIGESTS = ['md5', 'sha1', 'sha256'] as const;
const DIGEST = /(?<![0-9a-f])(?:[0-9a-f]{64}|[0-9a-f]{40}|[0-9a-f]{32})(?![0-9a-f])/gi;
/** Bytes of a script or list that is looked through. */
const MOST = 8 * 1024 * 1024;

/**
 * Scripts and lists that hold digests of pages, as they are once the pages are changed. Service workers keep pages by such
 * lists: one whose digest is no longer right is refused, or never brought up to date.
 *
 * @param dir the web folder, as it is written
 */
export function rehashed(
  dir: string,
  files: readonly WebFile[],
  changed: readonly ChangedFile[],
): PlannedText[] {
  const digests = new Map<string, string>();
  for (const { before, after } of changed) {
    for (const algorithm of DIGESTS) {
      const of = (text: string) => createHash(algorithm).update(text).digest('hex');
      digests.set(of(before), of(after));
    }
  }
  if (digests.size === 0) return [];
  return files.flatMap(({ path, file, size }) => {
    if (!/^(js|mjs|json)$/.test(extensionOf(path)) || size > MOST) return [];
    const before = readFileSync(file, 'utf8');
    const after = before.replaceAll(DIGEST, (digest) => digests.get(digest.toLowerCase()) ?? digest);
    return after === before ? [] : [{ file: join(dir, path), before, after }];
  });
}
