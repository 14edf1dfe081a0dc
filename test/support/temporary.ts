import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll } from 'vitest';

const made: string[] = [];

afterAll(() => {
  for (const dir of made) rmSync(dir, { recursive: true, force: true });
});

/** A new folder that goes away with the tests of its file. */
export function temporaryFolder(): string {
  const dir = mkdtempSync(join(tmpdir(), 'hull-test-'));
  made.push(dir);
  return dir;
}

/** Writes files below a folder: path → content. */
export function writeFiles(dir: string, files: Readonly<Record<string, string | Uint8Array>>): void {
  for (const [path, content] of Object.entries(files)) {
    const file = join(dir, path);
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, content);
  }
}
