import { promisify } from 'node:util';

const MOST_OUTPUT = 64 * 1024 * 1024;

/** Asks Git something in a folder. Throws what `execFile` of Node.js does. */
export async function git(dir: string, ...args: readonly string[]): Promise<string> {
  // Loaded when it is needed: few commands ask Git.
  const { execFile } = await import('node:child_process');
  const { stdout } = await promisify(execFile)('git', ['-C', dir, ...args], {
    maxBuffer: MOST_OUTPUT,
    encoding: 'utf8',
  });
  return stdout;
}

export interface CheckedOut {
  /** Hexadecimal. */
  readonly commit: string;
  /** Whether no file that Git knows differs from it. */
  readonly isClean: boolean;
  /** Address of the repository, without a user’s name or password; `undefined` where it has none. */
  readonly remote: string | undefined;
}

/** What is checked out in a folder; `undefined` where that is no repository, or has no commit yet. */
export async function checkedOut(dir: string): Promise<CheckedOut | undefined> {
  try {
    const commit = (await git(dir, 'rev-parse', 'HEAD^{commit}')).trim();
    const changed = await git(dir, 'status', '--porcelain', '--untracked-files=no');
    const remote = await git(dir, 'remote', 'get-url', 'origin').catch(() => '');
    return { commit, isClean: changed.trim() === '', remote: withoutUser(remote.trim()) };
  } catch {
    return undefined;
  }
}

function withoutUser(address: string): string | undefined {
  if (!/^https?:\/\//.test(address)) return /^(?:ssh:\/\/|[\w.-]+@)/.test(address) ? address : undefined;
  try {
    const url = new URL(address);
    url.username = '';
    url.password = '';
    return url.href;
  } catch {
    return undefined;
  }
}
