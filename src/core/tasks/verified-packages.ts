import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { replaceFile } from '../util/files.js';
import { isObject } from '../util/json-object.js';
import { VERSION } from '../util/version.js';

/**
 * Digests of packages that were read back and verified when they were made, so that the same bytes are not verified again when they are
 * sent. Another version of this tool may judge otherwise: it trusts none of them.
 */
const CACHE = '.hull/cache/verified.json';
const MOST = 1000;

function verifiedIn(projectDir: string): string[] {
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(join(projectDir, CACHE), 'utf8'));
  } catch {
    return [];
  }
  if (!isObject(value) || value.version !== VERSION || !Array.isArray(value.sha256)) return [];
  return value.sha256.filter((one) => typeof one === 'string');
}

/** @param sha256 of the packages, hexadecimal, the last first */
export async function noteVerified(projectDir: string, sha256: readonly string[]): Promise<void> {
  const known = verifiedIn(projectDir).filter((one) => !sha256.includes(one));
  const content = { version: VERSION, sha256: [...sha256, ...known].slice(0, MOST) };
  try {
    await replaceFile(join(projectDir, CACHE), new TextEncoder().encode(`${JSON.stringify(content)}\n`));
  } catch {
    // A project that cannot be written to is verified each time.
  }
}

/** @param sha256 of a package, hexadecimal */
export const isVerified = (projectDir: string, sha256: string): boolean =>
  verifiedIn(projectDir).includes(sha256);
