import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { FileSource } from '../../src/core/formats/bytes/source.js';
import { readEntry, readZip } from '../../src/core/formats/zip/reader.js';
import { ID, readyProject, refusedWith } from '../support/ready-project.js';
import { release } from '../support/store.js';

/** Packages whose pages sell: against a stand-in, and as a source project. */

let dir: string;
const CATALOG = JSON.stringify({
  currency: 'EUR',
  items: { day_ticket: { kind: 'one-time', texts: { en: { title: 'Day ticket' } }, price: '4.50' } },
});

const setEngine = (engine: string) => {
  const file = join(dir, 'hull.json');
  const config = JSON.parse(readFileSync(file, 'utf8'));
  const web = { ...config.web, url: 'https://ferry.saltmarsh.example/' };
  writeFileSync(file, JSON.stringify({ ...config, web, android: { ...config.android, engine } }, null, 2));
};

beforeAll(async () => {
  dir = await readyProject({ 'catalog.json': CATALOG, 'listing/en.md': '---\nname: Ferry\n---\n' });
  setEngine('browser');
});

async function settingsOf(file: string): Promise<{ shop?: { app: string; test?: string } }> {
  const source = await FileSource.open(file);
  try {
    const { entries } = await readZip(source);
    const entry = entries.find(({ path }) => path === 'assets/hull/shell.json');
    return JSON.parse(Buffer.from(await readEntry(source, entry as never)).toString('utf8'));
  } finally {
    await source.close();
  }
}

const json = async (...args: readonly string[]) => JSON.parse((await release(dir, [...args, '--json'])).out);

describe('a package whose pages sell', () => {
  it('takes payments for the browser, from the stand-in alone', async () => {
    const packed = await release(dir, ['pack', 'apk', '--debuggable', '--store', 'http://127.0.0.1:8091']);
    expect(packed.code, packed.err).toBe(0);
    const file = join(dir, 'out', `${ID}.debug-1.0.0-1.apk`);
    expect(existsSync(file)).toBe(true);
    expect((await settingsOf(file)).shop).toEqual({ app: ID, test: 'http://127.0.0.1:8091' });
    const facts = await json('inspect', file);
    const component = (name: string) =>
      facts.components.find((one: { name: string }) => one.name === `jollyhull.shell.${name}`);
    expect(component('PayActivity')).toMatchObject({
      exported: true,
      actions: ['org.chromium.intent.action.PAY'],
    });
    expect(component('PayService')).toMatchObject({
      ...{ exported: true, actions: ['org.chromium.intent.action.IS_READY_TO_PAY'] },
    });
    expect(component('Delegate')).toBeDefined();
    expect(JSON.stringify(facts.network)).toContain('127.0.0.1');
  });

  it('has nothing of it where nobody tries it', async () => {
    const packed = await release(dir, ['pack', 'apk', '--debuggable', '--out', 'plain']);
    expect(packed.code, packed.err).toBe(0);
    const file = join(dir, 'plain', `${ID}.debug-1.0.0-1.apk`);
    expect((await settingsOf(file)).shop).toBeUndefined();
    const { components } = await json('inspect', file);
    expect(JSON.stringify(components)).not.toContain('Pay');
  });

  it('is refused for release, in the web view, and with an address elsewhere', async () => {
    refusedWith(await release(dir, ['pack', 'apk', '--store', 'http://127.0.0.1:8091']), 'pack.no-shop');
    refusedWith(
      await release(dir, ['pack', 'apk', '--debuggable', '--store', 'https://store.saltmarsh.example']),
      'cli.usage',
    );
    setEngine('webview');
    refusedWith(
      await release(dir, ['pack', 'apk', '--debuggable', '--store', 'http://127.0.0.1:8091']),
      'pack.no-shop',
    );
    const check = await json('release', 'check');
    expect(check.stores[0].findings.map(({ code }: { code: string }) => code)).toContain('policy.no-shop');
    setEngine('browser');
  });

  it('is a source project with one class to fill in, and is told apart until that is done', async () => {
    const made = await release(dir, ['pack', 'android-project']);
    expect(made.code, made.err).toBe(0);
    const main = join(dir, 'out/android-project/app/src/main');
    const manifest = readFileSync(join(main, 'AndroidManifest.xml'), 'utf8');
    expect(manifest).toContain('jollyhull.shell.PayActivity');
    expect(manifest).toContain('https://play.google.com/billing');
    expect(readFileSync(join(main, 'java/jollyhull/shell/StoreTill.java'), 'utf8')).toContain(
      'TO SELL FOR REAL',
    );
    const settings = JSON.parse(readFileSync(join(main, 'assets/hull/shell.json'), 'utf8'));
    expect(settings.shop).toEqual({ app: ID });
    const codes = async () =>
      (await json('release', 'check')).stores[0].findings.map(({ code }: { code: string }) => code);
    expect(await codes()).toContain('policy.shop-to-fill');
    const file = join(dir, 'hull.json');
    const config = JSON.parse(readFileSync(file, 'utf8'));
    writeFileSync(
      file,
      JSON.stringify({ ...config, release: { ...config.release, done: { store_till: '2026-11-29' } } }),
    );
    expect(await codes()).not.toContain('policy.shop-to-fill');
  });
});
