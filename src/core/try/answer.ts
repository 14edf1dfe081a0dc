import { answerOf, headersOf } from '../site/answer.js';
import { extensionOf } from '../site/media-types.js';
import { decodePath } from '../util/url-path.js';
import type { PackedApp } from './packed-app.js';
import { byteRange } from './range.js';

/** A request of a page, as far as the answer goes by it. */
export interface PageRequest {
  readonly method: string;
  readonly url: URL;
  /** By lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
}

export interface PageAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Uint8Array;
}

const HTML = 'text/html; charset=utf-8';
const plain = (status: number, body = ''): PageAnswer => ({
  status,
  headers: { 'content-type': HTML, 'cache-control': 'no-store' },
  body: Buffer.from(body),
});

/** Sends a page on to the same address with another path: the platforms let an app answer with no redirect. */
const movesTo = (path: string): PageAnswer =>
  plain(
    200,
    `<!doctype html><meta charset=utf-8><title></title><script>location.replace(${path} + location.search + location.hash)</script>`,
  );

const isText = (type: string): boolean => /^text\/|json$|xml$/.test(type);

/**
 * What a shell answers to a request to the packed pages: `shell/vectors/answers.json` and `ranges.json` bind it.
 *
 * @returns `network` where the network has to answer
 */
export async function packedAnswer(app: PackedApp, request: PageRequest): Promise<PageAnswer | 'network'> {
  const { packed, types } = app.settings;
  const { url, method, headers } = request;
  if (packed === undefined || url.origin !== packed.origin) return 'network';
  const path = decodePath(url.pathname);
  if (path === undefined) return plain(404);
  const page = (headers.accept ?? '').includes('text/html');
  const answer = answerOf(packed.rules, app.has, { method, path, page });
  switch (answer.is) {
    case 'network':
      return 'network';
    case 'slash':
      return movesTo("location.pathname + '/'");
    case 'bare':
      return movesTo('location.pathname.slice(0, -1)');
    case 'nothing':
      return plain(answer.status);
    case 'file':
      break;
  }
  const type = types[extensionOf(answer.path)] ?? 'application/octet-stream';
  const fields = {
    'content-type': isText(type) ? `${type}; charset=utf-8` : type,
    'accept-ranges': 'bytes',
    'cache-control': 'no-cache',
    ...headersOf(packed.rules, path.slice(packed.rules.base.length)),
  };
  const body = await app.read(answer.path);
  const range = answer.status === 200 ? byteRange(headers.range, body.length) : 'whole';
  if (range === 'whole') return { status: answer.status, headers: fields, body };
  if (range === 'unsatisfiable')
    return { ...plain(416), headers: { ...fields, 'content-range': `bytes */${body.length}` } };
  return {
    status: 206,
    headers: { ...fields, 'content-range': `bytes ${range.first}-${range.last}/${body.length}` },
    body: body.subarray(range.first, range.last + 1),
  };
}
