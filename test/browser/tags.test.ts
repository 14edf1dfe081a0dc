import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect } from 'vitest';
import { surveyProject } from '../../src/core/tasks/survey-project.js';
import { writeTags } from '../../src/core/tasks/write-tags.js';
import { reader, readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** Tags that were put into pages, as a browser shows these. */

const STYLE = `* { box-sizing: border-box } body { margin: 0 }
.app { min-height: 100vh; padding: 50px 0 60px }
.top { position: fixed; top: 0; left: 0; right: 0; height: 50px }
header.top { padding: 8px 16px }
nav { position: fixed; bottom: 0; left: 0; right: 0; height: 60px }`;
const page = (body: string, style = STYLE) => `<!doctype html><html lang="en"><head><title>Ferry</title>
<meta name="viewport" content="width=device-width, viewport-fit=cover"><style>${style}</style></head>
<body><div class="app"><header class="top">Saltmarsh Ferry</header><main><p>First boat</p><p>Last boat</p></main>
<nav><a href="/">Times</a></nav></div>${body}</body></html>`;

async function tagged(files: Readonly<Record<string, string>>) {
  const dir = temporaryFolder();
  const app = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 };
  const config = { app, web: { folder: 'site' }, look: { window: { edges: 'cover' } } };
  writeFiles(dir, { 'hull.json': JSON.stringify(config) });
  writeFiles(dir, Object.fromEntries(Object.entries(files).map(([name, text]) => [`site/${name}`, text])));
  const browser = { executable: reader('chromium') ?? '', environment: { PATH: process.env.PATH ?? '' } };
  const { check } = await writeTags({ project: dir, mode: 'write', browser });
  return { dir, browser, check, said: check?.findings.map(({ code, observed }) => `${code} ${observed}`) };
}

describe('tags, in a browser', () => {
  readerTest(
    'chromium',
    'do what they are for where other rules say more, and the survey sees it too',
    async () => {
      const { dir, browser, check, said } = await tagged({ 'index.html': page('') });
      expect(said).toEqual([]);
      expect(check?.pages).toHaveLength(1);
      const { findings } = await surveyProject({ project: dir, browser });
      const codes = findings.map(({ code }) => code);
      for (const code of ['feel.safe-area', 'feel.bar-room', 'feel.height'])
        expect(codes).not.toContain(code);
      // And without the block it is missed, by the same eyes.
      const file = join(dir, 'site/index.html');
      writeFileSync(file, readFileSync(file, 'utf8').replace(/<!-- hull tags: begin[\s\S]*end -->/, ''));
      const before = await surveyProject({ project: dir, browser });
      expect(before.findings.map(({ code }) => code)).toContain('feel.safe-area');
    },
  );

  readerTest('chromium', 'are reported where a script undoes them', async () => {
    const script = '<script>document.querySelector("header").style.padding = "8px 16px"</script>';
    const { said } = await tagged({ 'index.html': page(script) });
    expect(said?.join('\n')).toMatch(/^tags\.no-effect .*has a padding-top of 8 px on phone, portrait/m);
  });

  readerTest('chromium', 'are reported where they make a page scroll that fitted', async () => {
    const style = STYLE.replace('* { box-sizing: border-box }', '').replace(
      'min-height: 100vh',
      'min-height: calc(100vh - 110px)',
    );
    const { said } = await tagged({ 'index.html': page('', style) });
    expect(said).toEqual(['tags.scrolls The page fitted phone, portrait, and now scrolls by 81 px']);
  });
});
