import { readFile } from 'node:fs/promises';
import type { App } from '../../../app/app.js';
import { capability } from '../../../site/capabilities.js';
import { extensionOf } from '../../../site/media-types.js';

const TEXTS = new Set(['html', 'htm', 'js', 'mjs', 'cjs', 'ts', 'wasm']);
/** Bytes of pages and scripts that are looked through at most; beyond, nothing is said to be unused. */
const MOST = 48 * 1024 * 1024;
/** Calls that are shared by two capabilities, or named otherwise in pages. */
const ALSO: Readonly<Record<string, readonly string[]>> = {
  camera: ['getUserMedia', 'capture'],
  microphone: ['getUserMedia', 'capture'],
  notifications: ['Notification', 'showNotification', 'pushManager'],
};

function wordsOf(name: string): string[] {
  const row = capability(name);
  return [
    ...(row?.calls ?? []).flatMap(({ methods }) => methods),
    ...(row?.constructors ?? []),
    ...(row?.functions ?? []),
    ...(row?.events ?? []),
    ...(ALSO[name] ?? []),
  ];
}

/**
 * Declared capabilities whose calls are in no packed page or script. A quick look at words, not a survey: what it names
 * is worth a look, what it does not name may be unused anyway. Nothing is reported of hosted apps.
 */
export async function unusedPermissions({ folder, permissions }: App): Promise<string[]> {
  if (!folder || permissions.length === 0) return [];
  const left = new Map(permissions.map(({ name }) => [name, wordsOf(name)]));
  let seen = 0;
  for (const file of folder.files) {
    if (!TEXTS.has(extensionOf(file.path))) continue;
    seen += file.size;
    if (seen > MOST) return [];
    // The folder was packed already: a file that cannot be read any more is no reason to fail.
    const text = await readFile(file.file, 'latin1').catch(() => '');
    for (const [name, words] of left) if (words.some((word) => text.includes(word))) left.delete(name);
    if (left.size === 0) return [];
  }
  return [...left.keys()];
}
