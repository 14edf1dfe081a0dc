import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { build } from 'vite';
import { beforeAll, describe, expect, it } from 'vitest';
import { type HullPluginOptions, hull as plugin } from '../../src/vite/plugin.js';
import { hull, PASSWORD, ROOT } from '../support/hull.js';
import { temporaryFolder } from '../support/temporary.js';

/** The example of a build that ends with a package, built by the bundler itself. */

let dir: string;
const APK = 'out/example.saltmarsh.ferry-1.0.0-1.apk';
const vite = (options: HullPluginOptions = {}, more: { outDir?: string; ssr?: string } = {}) =>
  build({
    root: dir,
    configFile: false,
    logLevel: 'silent',
    base: './',
    build: { emptyOutDir: true, outDir: more.outDir ?? 'dist', ...(more.ssr ? { ssr: more.ssr } : {}) },
    plugins: [plugin({ password: () => PASSWORD, ...options })],
  });

beforeAll(async () => {
  dir = join(temporaryFolder(), 'app');
  cpSync(join(ROOT, 'examples/vite'), dir, { recursive: true });
  mkdirSync(join(dir, 'keys'), { recursive: true });
  cpSync(join(ROOT, 'test/fixtures/digests.p12'), join(dir, 'keys/release.p12'));
});

describe('a build of the example', () => {
  it('ends with a package of what was just built, with its record', async () => {
    await vite({ record: true });
    const inspected = await hull(['inspect', APK, '--provenance', '--json'], { cwd: dir });
    expect(inspected.code, inspected.err).toBe(0);
    const facts = JSON.parse(inspected.out);
    expect(facts).toMatchObject({ label: 'Saltmarsh Ferry', provenance: { verified: true } });
    const [script] = readdirSync(join(dir, 'dist/assets')).filter((one) => one.endsWith('.js'));
    const record = readFileSync(join(dir, `${APK}.cdx.json`), 'utf8');
    expect(record).toContain(`assets/site/assets/${script}`.replace('assets/site/', ''));
  }, 60_000);

  it('says what is wrong as a build does: what, where, how to fix it', async () => {
    await expect(vite({ key: 'no-such-key' })).rejects.toThrow(/keys\.none|config\.|no-such-key/);
    await expect(vite({}, { outDir: 'elsewhere' })).rejects.toThrow(
      /config\.bad-value: The build is in [\s\S]*at hull\.json|hull\.json:\d+[\s\S]*fix: /,
    );
    await expect(vite({ project: 'nowhere' })).rejects.toThrow(/config\.missing[\s\S]*hull begin/);
    const page = readFileSync(join(dir, 'index.html'), 'utf8');
    writeFileSync(join(dir, 'index.html'), page.replace('/src/main.js', '/src/gone.js'));
    const before = readFileSync(join(dir, APK));
    await expect(vite()).rejects.toThrow(/gone\.js/);
    expect(readFileSync(join(dir, APK)).equals(before)).toBe(true);
    writeFileSync(join(dir, 'index.html'), page);
  }, 60_000);

  it('packs brands, and nothing of a build for servers', async () => {
    writeFileSync(
      join(dir, 'fleet.json'),
      JSON.stringify({ brands: { 'otter-bay': { patch: { app: { id: 'example.saltmarsh.otter' } } } } }),
    );
    await vite({ brands: 'all', kinds: ['aab'] });
    expect(existsSync(join(dir, 'out/otter-bay/example.saltmarsh.otter-1.0.0-1.aab'))).toBe(true);
    await vite({ project: 'nowhere' }, { ssr: 'src/main.js', outDir: 'server' });
  }, 60_000);
});
