import { createHash } from 'node:crypto';
import { cpSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { FileSource } from '../../src/core/formats/bytes/source.js';
import { readEntry, readZip } from '../../src/core/formats/zip/reader.js';
import { DEMO_SITE, hull, ROOT } from '../support/hull.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The demo's project, written out, so that no guess of `begin` can change what is packed. */
const CONFIG = {
  app: {
    id: 'example.saltmarsh.ferry',
    name: 'Saltmarsh Ferry',
    short_name: 'Ferry',
    version: '1.0.0',
    build: 1,
  },
  web: { folder: 'site', url: 'https://ferry.saltmarsh.example/', start: '/?from=app' },
  look: { theme_color: '#0b4f6c', background_color: '#f4f1ea', icon: 'site/icons/icon.svg' },
  permissions: { geolocation: 'Shows what is near you.', camera: 'Scans your ticket.' },
  links: [{ host: 'ferry.saltmarsh.example', paths: ['/timetable/*', '!/admin/*'] }],
  shortcuts: [{ name: 'Nearest pier', url: './pier.html' }],
  android: { engine: 'webview', key: 'release' },
  keys: { release: { file: 'digests.p12', alias: 'release' } },
};

const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

/** One digest of all files below a folder: their paths and bytes, in the order of their names. */
function digestOf(dir: string): string {
  const files = readdirSync(dir, { recursive: true, withFileTypes: true })
    .filter((item) => item.isFile())
    .map((item) => join(item.parentPath, item.name))
    .sort();
  return sha256(
    Buffer.from(files.map((file) => `${file.slice(dir.length)} ${sha256(readFileSync(file))}`).join('\n')),
  );
}

/** One digest of what is in a package, in its order: compressed bytes may differ between versions of zlib. */
async function contentsOf(file: string): Promise<string> {
  const source = await FileSource.open(file);
  try {
    const lines: string[] = [];
    for (const entry of (await readZip(source)).entries) {
      lines.push(`${entry.path} ${entry.method} ${sha256(await readEntry(source, entry))}`);
    }
    return sha256(Buffer.from(lines.join('\n')));
  } finally {
    await source.close();
  }
}

/** Images are encoded by native code, which is another one on other processors. */
const isMeasured = process.platform === 'linux' && process.arch === 'x64';

/**
 * Packages, art, documents and records are the same bytes from one version of the program to the next, unless a change
 * means to change them: then this file's fixture changes with it (vitest -u), and the commit says why.
 */
test.runIf(isMeasured)('the same project gives the same bytes as ever', { timeout: 120_000 }, async () => {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  cpSync(join(ROOT, 'test/fixtures/digests.p12'), join(dir, 'digests.p12'));
  writeFiles(dir, { 'hull.json': JSON.stringify(CONFIG) });
  const lines: string[] = [];
  const note = (what: string, digest: string) => lines.push(`${digest}  ${what}`);
  const run = async (...args: string[]) => {
    const ran = await hull(args, { cwd: dir });
    expect(ran.code, ran.err).toBe(0);
    return ran;
  };
  await run('pack', 'apk', '--record');
  await run('pack', 'aab', '--record');
  // A statement of origin names the package by its digest.
  for (const file of readdirSync(join(dir, 'out'))
    .sort()
    .filter((one) => !one.endsWith('.jsonl')))
    note(
      `out/${file}`,
      /\.(apk|aab)$/.test(file)
        ? await contentsOf(join(dir, 'out', file))
        : sha256(readFileSync(join(dir, 'out', file))),
    );
  await run('pack', 'android-project');
  note('out/android-project', digestOf(join(dir, 'out/android-project/app')));
  await run('domains', 'write', '--out', 'documents');
  note('documents', digestOf(join(dir, 'documents')));
  await run('art');
  note('site with art', digestOf(join(dir, 'site')));
  note('art', digestOf(join(dir, 'art')));
  await run('tags', '--write', '--no-browser');
  note('site with tags', digestOf(join(dir, 'site')));
  await expect(`${lines.join('\n')}\n`).toMatchFileSnapshot('../fixtures/digests.txt');
});
