// A made-up web folder of a given size: pages and scripts that deflate well, data that deflates a little, and
// pictures that do not deflate at all. The same bytes each time.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

export const WORDS =
  'ferry pier tide island sailing heron skerry samphire lantern quay boat timetable ticket delay harbour wind const export function return await class section article'.split(
    ' ',
  );

/** Numbers that look random and are the same each time. */
export function generator(seed) {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state >>> 8;
  };
}

function prose(next, size) {
  let text = '';
  while (text.length < size)
    text += `${WORDS[next() % WORDS.length]}${next() % 9 === 0 ? `${next() % 1000};\n` : ' '}`;
  return text.slice(0, size);
}

function noise(next, size) {
  const bytes = Buffer.alloc(size);
  for (let i = 0; i < size; i += 1) bytes[i] = next();
  return bytes;
}

/** Writes `count` files of `total` bytes in all below `dir`. */
export function makeLargeFolder(dir, count, total) {
  const next = generator(20261123);
  const mean = Math.floor(total / count);
  for (let i = 0; i < count; i += 1) {
    const size = Math.floor(mean * (0.25 + (next() % 150) / 100));
    const kind = i % 10;
    const name = `part-${i % 100}/${i}`;
    const [ending, content] =
      kind < 3
        ? ['html', `<!doctype html><title>${i}</title>${prose(next, size)}`]
        : kind < 6
          ? ['js', prose(next, size)]
          : kind < 7
            ? ['json', JSON.stringify(Array.from({ length: Math.ceil(size / 12) }, () => next()))]
            : ['jpg', noise(next, size)];
    const file = join(dir, `${name}.${ending}`);
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, content);
  }
  writeFileSync(join(dir, 'index.html'), '<!doctype html><title>Large</title>');
  writeFileSync(
    join(dir, 'icon.svg'),
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9" fill="#0b4f6c"/></svg>',
  );
}
