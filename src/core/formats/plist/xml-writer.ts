import { isDict, type PlistValue } from './types.js';

const HEAD = `<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE plist PUBLIC "-//Apple//DTD PLIST 1.0//EN" "http://www.apple.com/DTDs/PropertyList-1.0.dtd">
<plist version="1.0">
`;

const escapeText = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');

/** Characters of a line of base64. */
const BASE64_LINE = 68;

function lines(value: PlistValue, indent: string): string[] {
  if (typeof value === 'string') return [`${indent}<string>${escapeText(value)}</string>`];
  if (typeof value === 'boolean') return [`${indent}<${value}/>`];
  if (typeof value === 'bigint' || Number.isInteger(value)) return [`${indent}<integer>${value}</integer>`];
  if (typeof value === 'number') return [`${indent}<real>${value}</real>`];
  if (value instanceof Date) {
    return [`${indent}<date>${value.toISOString().replace(/\.\d+Z$/, 'Z')}</date>`];
  }
  if (value instanceof Uint8Array) {
    const text = Buffer.from(value).toString('base64');
    const rows = text.match(new RegExp(`.{1,${BASE64_LINE}}`, 'g')) ?? [];
    return [`${indent}<data>`, ...rows.map((row) => indent + row), `${indent}</data>`];
  }
  const inner = `${indent}\t`;
  if (isDict(value)) {
    const keys = Object.keys(value);
    if (keys.length === 0) return [`${indent}<dict/>`];
    const rows = keys.flatMap((key) => [
      `${inner}<key>${escapeText(key)}</key>`,
      ...lines(value[key] as PlistValue, inner),
    ]);
    return [`${indent}<dict>`, ...rows, `${indent}</dict>`];
  }
  if (value.length === 0) return [`${indent}<array/>`];
  return [`${indent}<array>`, ...value.flatMap((item) => lines(item, inner)), `${indent}</array>`];
}

/**
 * A property list as XML (the document type PropertyList-1.0.dtd): UTF-8, tabs, keys in the order given.
 *
 * @param value no dates without a time, and no text with control characters, which XML cannot hold
 */
export function writeXmlPlist(value: PlistValue): Uint8Array {
  return new TextEncoder().encode(`${HEAD}${lines(value, '').join('\n')}\n</plist>\n`);
}
