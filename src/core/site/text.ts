const BYTE_ORDER_MARKS = [
  { bytes: [0xef, 0xbb, 0xbf], label: 'utf-8' },
  { bytes: [0xfe, 0xff], label: 'utf-16be' },
  { bytes: [0xff, 0xfe], label: 'utf-16le' },
] as const;
/** How far a page is read for its encoding (HTML Standard, "prescan a byte stream"). */
const PRESCAN = 1024;

/** Text of a web file, in the encoding that it says itself: byte order mark, header, `<meta charset>`, else UTF-8. */
export function decodeText(bytes: Uint8Array, contentType = ''): string {
  const mark = BYTE_ORDER_MARKS.find((item) => item.bytes.every((byte, index) => bytes[index] === byte));
  if (mark) return new TextDecoder(mark.label).decode(bytes);
  const fromHeader = /charset=["']?([\w-]+)/i.exec(contentType)?.[1];
  const head = fromHeader === undefined ? Buffer.from(bytes.subarray(0, PRESCAN)).toString('latin1') : '';
  const label = fromHeader ?? /<meta[^>]+charset=["']?\s*([\w-]+)/i.exec(head)?.[1];
  if (label === undefined || /^utf-?8$/i.test(label)) return new TextDecoder().decode(bytes);
  try {
    return new TextDecoder(label).decode(bytes);
  } catch {
    return new TextDecoder().decode(bytes);
  }
}

/** Whether bytes cannot be a text: a NUL near the beginning, and no mark of UTF-16. */
export function isBinary(bytes: Uint8Array): boolean {
  const isWide = (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff);
  return !isWide && bytes.subarray(0, 4096).includes(0);
}
