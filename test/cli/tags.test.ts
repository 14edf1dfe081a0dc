import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { hull } from '../support/hull.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** A bare site, made to feel native by the built program. */

const INDEX = `<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8">
    <title>Ferry times</title>
    <link rel="stylesheet" href="/app.css">
  </head>
  <body>
    <header class="top">Ferry</header>
    <main><p>Next boat at ten.</p><button>More</button> <a href="/about.html">About, and privacy</a></main>
    <nav class="tabs"><a href="/">Times</a></nav>
  </body>
</html>
`;
const ABOUT =
  '<!doctype html><html><head><title>About</title><link rel="stylesheet" href="/app.css"></head><body><header class="top">About</header><main>Privacy: nothing is kept.</main></body></html>';
const STYLE = `body { margin: 0; min-height: 100vh; padding: 50px 0 60px; }
.top { position: fixed; top: 0; left: 0; right: 0; height: 50px; background: #0b4f6c; color: #fff; }
.tabs { position: fixed; bottom: 0; left: 0; right: 0; height: 60px; }
`;
const LOGO =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><path d="M10 70h80L74 92H26zM48 12h8v50h-8z" fill="#0b4f6c"/></svg>';

async function bareProject(): Promise<string> {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': INDEX,
    'site/about.html': ABOUT,
    'site/app.css': STYLE,
    'logo.svg': LOGO,
  });
  const begun = await hull(['begin', 'site', '--id', 'example.saltmarsh.ferry', '--yes'], { cwd: dir });
  expect(begun.code, begun.err).toBe(0);
  // Hosted too, and up to the edges, so that everything that tags give is missed.
  const file = join(dir, 'hull.json');
  const config = JSON.parse(readFileSync(file, 'utf8'));
  config.web.url = 'https://ferry.saltmarsh.example/';
  config.look.window = { edges: 'cover' };
  writeFileSync(file, JSON.stringify(config));
  return dir;
}

const rulesOf = async (cwd: string): Promise<string[]> => {
  const { findings } = JSON.parse((await hull(['survey', '--json', '--fail-on', 'never'], { cwd })).out);
  return findings.map(({ code }: { code: string }) => code);
};

describe('hull tags', () => {
  it('and hull art leave nothing of “feels native” and icons to be found on a bare site', async () => {
    const dir = await bareProject();
    const before = await rulesOf(dir);
    for (const rule of [
      'feel.viewport',
      'feel.safe-area',
      'feel.theme-color',
      'feel.touch-icon',
      'feel.height',
      'feel.tap-highlight',
      'manifest.linked',
    ]) {
      expect(before).toContain(rule);
    }
    await hull(['art', '--source', 'logo.svg'], { cwd: dir });
    const written = await hull(['tags', '--write'], { cwd: dir });
    expect(written.code, written.err).toBe(0);
    expect(written.out.split('\n').sort()).toEqual([
      '',
      'written  site/about.html',
      'written  site/index.html',
      'written  site/manifest.webmanifest',
    ]);
    const after = await rulesOf(dir);
    expect(
      after.filter(
        (rule) => rule.startsWith('feel.') || rule.startsWith('manifest.icon') || rule.startsWith('files.'),
      ),
    ).toEqual([]);
    expect(after.sort()).toEqual(['manifest.screenshots', 'offline.not-found']);
  });

  it('does it once, tells what is off, and takes it out again to the byte', async () => {
    const dir = await bareProject();
    const file = join(dir, 'site/index.html');
    expect((await hull(['tags', '--check'], { cwd: dir })).out).toContain('site/manifest.webmanifest');
    await hull(['tags', '--write', '--no-browser', 'site/index.html', 'site/about.html'], { cwd: dir });
    const put = readFileSync(file, 'utf8');
    expect((await hull(['tags', '--check'], { cwd: dir })).code).toBe(0);
    expect((await hull(['tags', '--write', '--no-browser'], { cwd: dir })).out).toContain('Nothing to do');
    expect(readFileSync(file, 'utf8')).toBe(put);
    expect(put.replace(/ {4}<!-- hull tags: begin -->[\s\S]*hull tags: end -->\n/, '')).toBe(INDEX);
    writeFileSync(file, put.replace('viewport-fit=cover', ''));
    const off = await hull(['tags', '--check'], { cwd: dir });
    expect([off.code, off.out]).toEqual([1, expect.stringContaining('out of date  site/index.html')]);
    expect((await hull(['tags', '--remove'], { cwd: dir })).code).toBe(0);
    expect(readFileSync(file, 'utf8')).toBe(INDEX);
    expect(readFileSync(join(dir, 'site/about.html'), 'utf8')).toBe(ABOUT);
  });

  it('prints HTML and JSX, also for a sub-path', async () => {
    const dir = await bareProject();
    const html = await hull(['tags', '--base', 'ferry'], { cwd: dir });
    expect(html.out).toContain('<link rel="apple-touch-icon" href="/ferry/art/touch-180.png">');
    expect(html.out).toContain('  .tabs { padding-bottom: env(safe-area-inset-bottom); padding-left');
    expect((await hull(['tags', '--jsx'], { cwd: dir })).out).toContain(
      '<link rel="manifest" href="/manifest.webmanifest" />',
    );
    expect(JSON.parse((await hull(['tags', '--json'], { cwd: dir })).out).manifest.short_name).toBe(
      'Ferry times',
    );
  });

  it('keeps the lists by which service workers know the pages right, and gives them back', async () => {
    const dir = await bareProject();
    const page = readFileSync(join(dir, 'site/index.html'));
    const digest = (algorithm: string, bytes: Uint8Array) =>
      createHash(algorithm).update(bytes).digest('hex');
    writeFiles(dir, {
      'site/sw.js': `precache([{url:"index.html",revision:"${digest('md5', page)}"},{url:"app.css",revision:"${'0'.repeat(32)}"}]);`,
      'site/list.json': JSON.stringify({ hashTable: { '/index.html': digest('sha1', page) } }),
    });
    const lists = () => ['sw.js', 'list.json'].map((name) => readFileSync(join(dir, 'site', name), 'utf8'));
    const before = lists();
    const ran = await hull(['tags', '--write', '--no-browser'], { cwd: dir });
    expect(ran.out).toContain('written  site/sw.js');
    const put = readFileSync(join(dir, 'site/index.html'));
    const [worker, list] = lists();
    expect(worker).toContain(`revision:"${digest('md5', put)}"`);
    expect(worker).toContain(`revision:"${'0'.repeat(32)}"`);
    expect(JSON.parse(list ?? '').hashTable['/index.html']).toBe(digest('sha1', put));
    await hull(['tags', '--remove'], { cwd: dir });
    expect(lists()).toEqual(before);
  });

  it('refuses what it cannot do, and says why', async () => {
    const dir = await bareProject();
    writeFiles(dir, {
      'page.tsx': 'export default () => <p>no head</p>;',
      'site/last.html': '<p>x',
      'half.html': '<head><!-- hull tags: begin --></head>',
    });
    const refused = async (args: string[], code: string) => {
      const ran = await hull(['tags', ...args], { cwd: dir });
      expect([ran.code, ran.err]).toEqual([2, expect.stringContaining(code)]);
    };
    await refused(['--write', 'page.tsx'], 'tags.no-head');
    // One page that cannot be done leaves none half done.
    await refused(['--write', 'site/last.html', 'half.html'], 'tags.marks');
    expect(readFileSync(join(dir, 'site/last.html'), 'utf8')).toBe('<p>x');
    await refused(['--write', 'gone.html'], 'file.missing');
    await refused(['--write', '--remove'], 'cli.usage');
    await refused(['--base', 'a b'], 'config.bad-value');
    expect(readFileSync(join(dir, 'page.tsx'), 'utf8')).toBe('export default () => <p>no head</p>;');
  });
});
