import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'vitest';
import { hull, type Ran } from './hull.js';
import { temporaryFolder, writeFiles } from './temporary.js';

/** Projects of made-up data for the tests of the command line. */

export const ID = 'example.saltmarsh.ferry';
export const ICON =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9" fill="#0b4f6c"/></svg>';
export const PAGE = '<!doctype html><title>Ferry</title>';
export const sha = (file: string) => createHash('sha256').update(readFileSync(file)).digest('hex');

export function refusedWith(ran: Ran, code: string, exit = 2): void {
  expect(ran.err, ran.out).toContain(code);
  expect(ran.err).toMatch(/\n {2}fix /);
  expect(ran.code).toBe(exit);
  expect(ran.err).not.toMatch(/\n\s+at .*\.js:\d/);
}

/** A folder with a small site, begun and with a key, ready to be packed. */
export async function readyProject(files: Record<string, string | Uint8Array> = {}): Promise<string> {
  const dir = temporaryFolder();
  writeFiles(dir, { 'site/index.html': PAGE, 'site/icon.svg': ICON, ...files });
  const begun = await hull(['begin', 'site', '--id', ID, '--icon', 'site/icon.svg', '--yes'], { cwd: dir });
  expect(begun.code, begun.err).toBe(0);
  const made = await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: dir });
  expect(made.code, made.err).toBe(0);
  return dir;
}

export const packed = (dir: string) => join(dir, 'out', `${ID}-1.0.0-1.apk`);
