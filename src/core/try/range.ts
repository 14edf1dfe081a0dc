/** First and last byte of a part that is asked for. */
export interface ByteRange {
  readonly first: number;
  readonly last: number;
}

/**
 * The range of a request (RFC 9110, section 14.1.2), as the shells read it: `shell/vectors/ranges.json` binds all.
 *
 * @param length of the whole, in bytes
 * @returns `whole` where no range is understood, `unsatisfiable` where it lies outside
 */
export function byteRange(header: string | undefined, length: number): ByteRange | 'whole' | 'unsatisfiable' {
  const match = /^bytes=\s*(\d*)-(\d*)\s*$/i.exec(header ?? '');
  const [, from = '', to = ''] = match ?? [];
  if (!match || (from === '' && to === '')) return 'whole';
  if (from === '') {
    const count = Number(to);
    return count === 0 || length === 0
      ? 'unsatisfiable'
      : { first: Math.max(0, length - count), last: length - 1 };
  }
  const first = Number(from);
  const last = to === '' ? length - 1 : Math.min(Number(to), length - 1);
  if (to !== '' && Number(to) < first) return 'whole';
  return first >= length ? 'unsatisfiable' : { first, last };
}
