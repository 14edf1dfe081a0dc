import { randomUUID } from 'node:crypto';
import type { StoreAnswer } from '../http.js';

/**
 * Many readings in one request: `multipart/mixed`, each part an HTTP request, and each part of the answer an HTTP response
 * (publishing API, "Batching requests"; RFC 2046, 5.1).
 */

/** Requests that one batch takes. */
export const BATCH_MOST = 100;

export interface BatchPart {
  readonly status: number;
  readonly body: unknown;
}

export function writeBatch(paths: readonly string[]): { readonly type: string; readonly bytes: Uint8Array } {
  const boundary = `batch-${randomUUID()}`;
  const parts = paths.map(
    (path, index) =>
      `--${boundary}\r\ncontent-type: application/http\r\ncontent-id: <${index}>\r\n\r\nGET ${path} HTTP/1.1\r\naccept: application/json\r\n\r\n`,
  );
  return {
    type: `multipart/mixed; boundary=${boundary}`,
    bytes: Buffer.from(`${parts.join('\r\n')}\r\n--${boundary}--\r\n`),
  };
}

/** The parts in the order in which they were asked for; `undefined` where the answer is not a batch. */
export function readBatch({ headers, body }: StoreAnswer): BatchPart[] | undefined {
  const boundary = /^multipart\/mixed\s*;.*?\bboundary="?([^";]+)"?/i.exec(
    headers['content-type'] ?? '',
  )?.[1];
  if (boundary === undefined) return undefined;
  const parts: [number, BatchPart][] = [];
  const pieces = body.toString('utf8').split(`--${boundary}`).slice(1, -1);
  for (const piece of pieces) {
    const match =
      /content-id:\s*<(?:response-)?(\d+)>[\s\S]*?\r?\n\r?\nHTTP\/1\.1 (\d{3})[^\n]*\n([\s\S]*?)\r?\n\r?\n([\s\S]*)$/i.exec(
        piece,
      );
    if (!match) return undefined;
    const [, index, status, , text = ''] = match;
    try {
      parts.push([
        Number(index),
        { status: Number(status), body: text.trim() === '' ? {} : JSON.parse(text) },
      ]);
    } catch {
      return undefined;
    }
  }
  return parts.sort(([one], [other]) => one - other).map(([, part]) => part);
}
