import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fromSystemError } from '../errors.js';
import { type AnswerRules, defaultFallback } from './answer.js';
import type { WebFolder } from './folder.js';
import {
  HEADERS_FILE,
  type HeadersFile,
  REDIRECTS_FILE,
  type RedirectsFile,
  readHeadersFile,
  readRedirectsFile,
} from './host-files.js';

/** What a project says itself of how its pages answer. */
export interface OwnAnswers {
  /** Path below the base; `none` for no fallback at all. */
  readonly fallback?: string | undefined;
  readonly except: readonly string[];
  readonly headers: NonNullable<AnswerRules['headers']>;
}

export interface FolderAnswers {
  readonly rules: AnswerRules;
  /** What the folder tells its host, where it does. */
  readonly headersFile?: HeadersFile;
  readonly redirectsFile?: RedirectsFile;
}

/** Text of a file that was left out because it is for a host. */
function hostFile({ dir, leftOut }: WebFolder, name: string): string | undefined {
  if (!leftOut.some(({ path }) => path === name)) return undefined;
  try {
    return readFileSync(join(dir, name), 'utf8');
  } catch (error) {
    throw fromSystemError(error, join(dir, name));
  }
}

/**
 * How the pages of a folder answer: as `hull.json` says, else as the folder tells its host, else as its pages lead one to
 * expect.
 *
 * @param base path that the pages lie below
 * @throws HullError `disk.*` where a file of the folder cannot be read
 */
export function readAnswers(
  folder: WebFolder,
  base: string,
  network: boolean,
  own: OwnAnswers = { except: [], headers: [] },
): FolderAnswers {
  const [headersText, redirectsText] = [hostFile(folder, HEADERS_FILE), hostFile(folder, REDIRECTS_FILE)];
  const headersFile = headersText === undefined ? undefined : readHeadersFile(headersText);
  const redirectsFile = redirectsText === undefined ? undefined : readRedirectsFile(redirectsText);
  const paths = folder.files.map(({ path }) => path);
  const told = redirectsFile?.fallback;
  const fallback =
    own.fallback === undefined
      ? told !== undefined && paths.includes(told)
        ? told
        : defaultFallback(paths)
      : own.fallback === 'none'
        ? undefined
        : own.fallback;
  const headers = [...(headersFile?.headers ?? []), ...own.headers];
  return {
    rules: {
      base,
      network,
      ...(fallback === undefined ? {} : { fallback }),
      ...(own.except.length > 0 ? { except: own.except } : {}),
      ...(headers.length > 0 ? { headers } : {}),
    },
    ...(headersFile ? { headersFile } : {}),
    ...(redirectsFile ? { redirectsFile } : {}),
  };
}
