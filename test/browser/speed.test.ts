import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import type { Visit } from '../../src/core/survey/speed/facts.js';
import { host } from '../support/host.js';
import { hull } from '../support/hull.js';
import { reader, THOROUGH } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** How fast pages are, measured in a real browser: pages with seeded faults, from a folder and from a host. */

const SPIN = 'const spin = (ms) => { const end = performance.now() + ms; while (performance.now() < end); };';
const START = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Slow</title>
<script src="/lib.js"></script></head><body><h1>Slow</h1><img id="hero" style="width:100%" alt=""><p>Text that is moved.</p>
<button id="buy">Buy</button> <a href="/fine.html">Fine</a><script src="/page.js" defer></script></body></html>`;
const SCRIPT = `${SPIN}
setTimeout(() => { document.getElementById('hero').src = '/hero.png'; }, 300);
setTimeout(() => { const one = document.createElement('div'); one.style.height = '350px'; one.textContent = 'Banner'; document.body.prepend(one); spin(450); }, 900);
document.getElementById('buy').onclick = () => { fetch('/order', { method: 'POST' }).catch(() => {}); spin(320); };`;
const UNUSED = Array.from(
  { length: 3000 },
  (_one, at) => `function never${at}(a) { return '${'x'.repeat(60)}' + a; }`,
).join('\n');

async function picture(): Promise<Buffer> {
  const [width, height] = [1800, 1200];
  const noise = Buffer.alloc(width * height * 3);
  for (let at = 0; at < noise.length; at += 1)
    noise[at] = (Math.sin(at / 997) * 60 + ((at * 7919) % 61)) & 255;
  return sharp(noise, { raw: { width, height, channels: 3 } })
    .png()
    .toBuffer();
}

interface Report {
  readonly findings: readonly {
    code: string;
    severity: string;
    observed: string;
    location: { file?: string; url?: string };
  }[];
  readonly speed: {
    runs: number;
    pages: { url: string; visits: Visit[]; requests: { url: string; from: string }[] }[];
    changes: unknown[];
  };
}

describe('speed', () => {
  it('of a folder is that of the package: each seeded fault is found at its place, and a page without one is not named', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, {
      'site/index.html': START,
      'site/page.js': SCRIPT,
      'site/lib.js': UNUSED,
      'site/fine.html':
        '<!doctype html><html lang="en"><meta name="viewport" content="width=device-width"><title>Fine</title><h1>Fine</h1>',
    });
    writeFileSync(join(dir, 'site/hero.png'), await picture());
    const words = ['survey', 'site', '--browser', '--runs', '1', '--fail-on', 'never'];
    const ran = await hull([...words, '--json', '--out', 'speed.json'], { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    const { findings, speed } = JSON.parse(readFileSync(join(dir, 'speed.json'), 'utf8')) as Report;
    const of = (code: string) => findings.filter((one) => one.code === `speed.${code}`);
    expect(speed.pages.map(({ url }) => new URL(url).pathname)).toEqual(['/', '/fine.html']);
    const [first, again] = speed.pages[0]?.visits as [Visit, Visit];
    expect([first.kind, again.kind]).toEqual(['package', 'package-again']);
    expect(first.metrics.firstPaint?.median).toBeGreaterThan(20);
    expect(first.metrics.interaction?.median).toBeGreaterThan(300);
    expect(Object.values(first.bytes).every((one) => one === 0)).toBe(true);
    expect(of('interaction')).toMatchObject([{ observed: expect.stringContaining('#buy') }]);
    expect(of('layout-shift')[0]?.observed).toContain('over 0.1');
    expect(of('blocked')).toMatchObject([{ observed: expect.stringContaining('/page.js') }]);
    expect(of('unused')).toMatchObject([{ location: { file: expect.stringMatching(/^site\/lib\.js$/) } }]);
    expect(of('pictures')).toMatchObject([
      { severity: 'warning', observed: expect.stringContaining('1800×1200 px, shown at 748×499') },
    ]);
    expect(of('blocking')).toMatchObject([{ location: { file: 'site/lib.js' } }]);
    expect(of('caching')).toEqual([]);
    const named = findings.filter(
      ({ code, location }) => code.startsWith('speed.') && location.file?.includes('fine'),
    );
    expect(named).toEqual([]);

    // The same page without its longest task is faster, and says so.
    writeFileSync(join(dir, 'site/page.js'), SCRIPT.replace('spin(450)', '').replace('spin(320)', ''));
    const report = ['--format', 'html', '--out', 'speed.html', '--baseline', 'speed.json'];
    const faster = await hull([...words, ...report], { cwd: dir });
    expect(faster.code, faster.err).toBe(0);
    const html = readFileSync(join(dir, 'speed.html'), 'utf8');
    expect(html).toMatch(/<li class="better">\/, from the package: blocked \d+ ms, before/);
    expect(html).toContain('class="filmstrip"');
    expect(html).toMatch(/<img src="data:image\/jpeg;base64,[\w+/=]{500,}" alt="The page after/);
    expect(html.match(/<i class="load script"/g)?.length).toBeGreaterThanOrEqual(2);
    expect(html).not.toContain('<script');
  }, 240_000);

  it('of a host is that over a network: kept files come from the cache, and nothing that changes something is sent', async () => {
    const sent: string[] = [];
    const address = await host((request, response) => {
      if (request.method !== 'GET' && request.method !== 'HEAD')
        sent.push(`${request.method} ${request.url}`);
      const [path = ''] = (request.url ?? '').split('?');
      const body: Readonly<Record<string, readonly [string, string, string]>> = {
        '/': [
          'text/html',
          START.replace('src="/lib.js"', 'src="/kept.js"').replace('id="hero"', 'id="hero" hidden'),
          'no-cache',
        ],
        '/kept.js': ['text/javascript', UNUSED, 'max-age=31536000, immutable'],
        '/page.js': ['text/javascript', `${SCRIPT}\n// ${'y'.repeat(9000)}`, 'max-age=60'],
      };
      const found = body[path];
      if (found === undefined) return void response.writeHead(404).end();
      response.writeHead(200, { 'content-type': found[0], 'cache-control': found[2] }).end(found[1]);
    });
    const ran = await hull([
      'survey',
      address,
      '--browser',
      '--runs',
      '1',
      '--json',
      '--fail-on',
      'never',
      '--pages',
      '1',
    ]);
    expect(ran.code, ran.err).toBe(0);
    const { findings, speed } = JSON.parse(ran.out) as Report;
    const [first, again] = speed.pages[0]?.visits as [Visit, Visit];
    expect([first.kind, again.kind]).toEqual(['first', 'again']);
    // 250 KB over 4 Mbit/s, after a delay for each of two requests.
    expect(first.metrics.firstPaint?.median).toBeGreaterThan(600);
    expect(again.metrics.firstPaint?.median).toBeLessThan(first.metrics.firstPaint?.median as number);
    expect(first.bytes.script).toBeGreaterThan(200_000);
    expect(again.bytes.script).toBeLessThan(20_000);
    expect(findings.filter(({ code }) => code === 'speed.caching')).toMatchObject([
      { observed: expect.stringContaining('60.00 s, under 7 days'), location: { url: `${address}page.js` } },
    ]);
    expect(sent).toEqual([]);
  }, 120_000);

  it.runIf(THOROUGH)(
    'is not measured where that is not wanted',
    async () => {
      const dir = temporaryFolder();
      writeFiles(dir, { 'site/index.html': '<!doctype html><title>x</title><h1>x</h1>' });
      expect(reader('chromium')).toBeDefined();
      const ran = await hull(['survey', 'site', '--browser', '--no-speed', '--json', '--fail-on', 'never'], {
        cwd: dir,
      });
      const { speed, rules } = JSON.parse(ran.out);
      expect(speed).toBeUndefined();
      expect(rules).toContainEqual({
        code: 'speed.blocked',
        verdict: 'not-judged',
        because: 'speed was not measured',
      });
      const text = await hull(['survey', 'site', '--browser', '--runs', '1', '--fail-on', 'never'], {
        cwd: dir,
      });
      expect(text.out).toMatch(
        /How fast it feels\n {2}a processor 4 times slower .*[\s\S]*\n {2}\/ +from the package/,
      );
    },
    60_000,
  );
});
