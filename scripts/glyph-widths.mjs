// Writes src/core/preview/glyph-widths.ts from an open font that phones draw labels with: npm run glyphs
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { openSync } from 'fontkit';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const font = join(root, 'node_modules/@fontsource/roboto');

/** Advance of every character, in thousandths of the font size. */
export function advances() {
  const found = new Map();
  const files = readdirSync(join(font, 'files')).filter((name) =>
    /^roboto-(latin|latin-ext|cyrillic|cyrillic-ext|greek|vietnamese)-400-normal\.woff2$/.test(name),
  );
  for (const name of files) {
    const face = openSync(join(font, 'files', name));
    for (const point of face.characterSet) {
      if (point < 0x20 || (point >= 0x7f && point < 0xa0)) continue;
      found.set(point, Math.round((face.glyphForCodePoint(point).advanceWidth * 1000) / face.unitsPerEm));
    }
  }
  return found;
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const byWidth = new Map();
  for (const [point, width] of [...advances()].sort(([a], [b]) => a - b)) {
    byWidth.set(width, [...(byWidth.get(width) ?? []), point]);
  }
  // Runs of characters of one width, as first and last code point in hexadecimal.
  const runs = (points) => {
    const parts = [];
    for (const point of points) {
      const last = parts.at(-1);
      if (last && last[1] === point - 1) last[1] = point;
      else parts.push([point, point]);
    }
    return parts
      .map(([from, to]) => (from === to ? from.toString(16) : `${from.toString(16)}-${to.toString(16)}`))
      .join(' ');
  };
  const lines = [...byWidth]
    .sort(([a], [b]) => a - b)
    .map(([width, points]) => `  ${width}: '${runs(points)}',`);
  const { version } = JSON.parse(readFileSync(join(font, 'package.json'), 'utf8'));
  writeFileSync(
    join(root, 'src/core/preview/glyph-widths.ts'),
    `/**
 * Advance widths in thousandths of the font size → code points, as hexadecimal runs. Written by \`npm run glyphs\` from
 * Roboto ${version}, regular weight (SIL Open Font License 1.1), the font that most Android devices draw labels with.
 */
export const GLYPH_WIDTHS: Readonly<Record<number, string>> = {
${lines.join('\n')}
};
`,
  );
}
