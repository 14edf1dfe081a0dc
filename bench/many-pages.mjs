// A made-up site of many pages: a shared header, style sheets and scripts, prose, links to each other and a little
// script in each page. The same bytes each time.
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { generator, WORDS } from './large-folder.mjs';

const words = (next, count) => Array.from({ length: count }, () => WORDS[next() % WORDS.length]).join(' ');

function page(next, index, count) {
  const link = () =>
    `/part-${next() % 20}/${next() % count}.html`.replace(/part-\d+\/(\d+)/, (_, n) => `part-${n % 20}/${n}`);
  const nav = Array.from({ length: 8 }, (_, i) => `<a href="/part-${i}/${i}.html">${WORDS[i]}</a>`).join('');
  const items = Array.from(
    { length: 14 },
    () =>
      `<li class="row"><a class="more" href="${link()}">${words(next, 3)}</a><p>${words(next, 24)}</p><img src="/boat.png" alt="${words(next, 2)}" width="40" height="40"></li>`,
  ).join('\n');
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${words(next, 3)} ${index}</title>
<meta name="viewport" content="width=device-width, initial-scale=1, viewport-fit=cover"><meta name="theme-color" content="#0b4f6c">
<link rel="manifest" href="/manifest.webmanifest"><link rel="stylesheet" href="/css/${index % 5}.css"><script type="module" src="/js/${index % 30}.js"></script></head>
<body><header class="bar"><nav>${nav}</nav></header><main><h1>${words(next, 4)}</h1><ul>
${items}
</ul><script>document.body.dataset.page = '${index % 40}';</script></main></body></html>
`;
}

function script(next) {
  const functions = Array.from(
    { length: 60 },
    (_, i) =>
      `export function f${i}(a, b) {\n  const list = [${words(next, 6)
        .split(' ')
        .map(
          (word) => `'${word}'`,
        )}];\n  return list.filter((word) => word !== a).map((word, at) => ({ word, at, b })).find(({ at }) => at > ${next() % 9}) ?? fetch(\`/data/\${a}.json\`);\n}`,
  );
  return functions.join('\n');
}

function style(next) {
  const rules = Array.from(
    { length: 150 },
    (_, i) =>
      `.${WORDS[i % WORDS.length]}-${i} > a:focus { color: #${(next() % 0xffffff).toString(16).padStart(6, '0')}; padding: ${next() % 40}px ${next() % 9}rem; display: flex; }`,
  );
  return `.bar { position: fixed; inset: 0 0 auto 0; padding-top: env(safe-area-inset-top); height: 50px }\nbody { margin: 0; padding-top: 60px }\n${rules.join('\n')}`;
}

/** Writes a site of `count` pages below `dir`. */
export function makeManyPages(dir, count) {
  const next = generator(20261123);
  const write = (path, content) => {
    const file = join(dir, path);
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, content);
  };
  for (let i = 0; i < count; i += 1) write(`part-${i % 20}/${i}.html`, page(next, i, count));
  for (let i = 0; i < 30; i += 1) write(`js/${i}.js`, script(next));
  for (let i = 0; i < 5; i += 1) write(`css/${i}.css`, style(next));
  write('index.html', page(next, 0, count));
  write('boat.png', 'not drawn');
  write(
    'manifest.webmanifest',
    JSON.stringify({ name: 'Many pages', start_url: '/', display: 'standalone' }),
  );
}
