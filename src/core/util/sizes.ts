/** Bytes as people read them: `812 B`, `34.6 KB`, `1.2 MB` (1 KB is 1,000 bytes, as stores count). */
export function formatBytes(count: number): string {
  if (count < 1000) return `${count} B`;
  // From here on one decimal would be rounded to 1000.0 KB.
  if (count < 999_950) return `${(count / 1000).toFixed(1)} KB`;
  return `${(count / 1_000_000).toFixed(1)} MB`;
}

/** A part of a whole: `12.3 %`. */
export function formatShare(part: number, whole: number): string {
  return whole === 0 ? '0 %' : `${((part / whole) * 100).toFixed(1)} %`;
}
