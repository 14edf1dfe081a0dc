import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parse } from 'acorn';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { resolveApp } from '../../../../src/core/app/app.js';
import { findIconSource } from '../../../../src/core/art/icon-source.js';
import { artInputs } from '../../../../src/core/art/project-art.js';
import { HullError } from '../../../../src/core/errors.js';
import { FileSource } from '../../../../src/core/formats/bytes/source.js';
import { readEntry, readZip } from '../../../../src/core/formats/zip/reader.js';
import { writeZip } from '../../../../src/core/formats/zip/writer.js';
import { readAndroidOptions } from '../../../../src/core/platforms/android/app/options.js';
import { inspectPackage } from '../../../../src/core/platforms/android/inspect/inspect.js';
import { type PackReport, packAndroid } from '../../../../src/core/platforms/android/package/pack.js';
import { readProject } from '../../../../src/core/project/project.js';
import { holdsAgainst, refused } from '../../../support/errors.js';
import { mutations } from '../../../support/hostile.js';
import { testIdentity } from '../../../support/identity.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

const ICON =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="9" height="9" fill="#0b4f6c"/></svg>';
const SITE = {
  'site/index.html': '<!doctype html><title>Ferry</title>',
  'site/js/app.js': 'export {};\n'.repeat(100),
  'site/photo.jpg': 'already small',
  'site/icon.svg': ICON,
};

async function pack(dir: string, config: object = {}): Promise<PackReport> {
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app: {
        id: 'example.saltmarsh.ferry',
        name: 'Saltmarsh Ferry',
        short_name: 'Ferry',
        language: 'en',
        version: '1.4.0',
        build: 7,
      },
      web: {
        folder: 'site',
        url: 'https://ferry.saltmarsh.example/',
        insecure: { 'http://pier-cam.saltmarsh.example': 'The pier camera has no TLS; <it> is "public".' },
      },
      look: {
        icon: 'site/icon.svg',
        theme_color: '#0b4f6c',
        background_color: '#f4f1ea',
        orientation: 'landscape',
      },
      ...config,
    }),
  });
  const project = readProject(dir);
  const app = await resolveApp(project);
  return packAndroid({
    kind: 'apk',
    signerName: 'TEST',
    app,
    android: readAndroidOptions(project),
    identity: testIdentity(),
    art: artInputs(project, await findIconSource(project, app.folder)),
    outDir: join(dir, 'out'),
    artCacheDir: join(tmpdir(), 'hull-test-art'),
  });
}

const sha = (file: string) => createHash('sha256').update(readFileSync(file)).digest('hex');

describe('a packed app', () => {
  const dir = mkdtempSync(join(tmpdir(), 'hull-pack-'));
  let report: PackReport;

  beforeAll(async () => {
    writeFiles(dir, SITE);
    report = await pack(dir);
  });

  it('stands under its own name, its size divided without a rest', () => {
    expect(readdirSync(join(dir, 'out'))).toEqual(['example.saltmarsh.ferry-1.4.0-7.apk']);
    expect(Object.values(report.parts).reduce((sum, part) => sum + part, 0)).toBe(report.size);
    expect(report.parts.shell).toBeLessThan(60_000);
    expect(report.files).toEqual({ packed: 4, leftOut: 0 });
  });

  it('holds the web folder byte for byte', async () => {
    const source = await FileSource.open(report.file);
    const { entries } = await readZip(source);
    for (const [path, content] of Object.entries(SITE)) {
      const entry = entries.find((item) => item.path === `assets/${path}`);
      expect(entry, path).toBeDefined();
      if (entry) expect(Buffer.from(await readEntry(source, entry)).toString()).toBe(content);
    }
    expect(entries.find((item) => item.path.endsWith('photo.jpg'))?.method).toBe('store');
    expect(entries.find((item) => item.path.endsWith('app.js'))?.method).toBe('deflate');
    await source.close();
  });

  it('gives its pages notifications where they are declared, and only there', async () => {
    const settingsOf = async (config: object) => {
      const other = temporaryFolder();
      writeFiles(other, SITE);
      const source = await FileSource.open((await pack(other, config)).file);
      const { entries } = await readZip(source);
      const entry = entries.find(({ path }) => path === 'assets/hull/shell.json');
      if (!entry) throw new Error('no settings');
      const settings = JSON.parse(Buffer.from(await readEntry(source, entry)).toString());
      await source.close();
      return settings;
    };
    const plain = await settingsOf({});
    expect([plain.script, plain.noticeScript]).toEqual([expect.stringContaining('hullKept'), undefined]);
    const permissions = { notifications: 'Tells you when your boat is late.' };
    const declared = await settingsOf({ permissions });
    expect(declared.noticeScript).toContain('class Notification');
    expect(declared.permissions.notifications).toMatchObject({
      system: [{ name: 'android.permission.POST_NOTIFICATIONS', minSdk: 33 }],
    });
    for (const script of [plain.script, declared.noticeScript]) {
      expect(() => parse(script, { ecmaVersion: 2016 }), 'read by the oldest engines').not.toThrow();
    }
    // It stands in a script element, and on one line.
    expect(declared.noticeScript).not.toMatch(/<\/|<!--|\n|\/\/|[^\x20-\x7e]/);
  });

  it('has the same bytes from another folder, at another time, in another order of making', async () => {
    const other = temporaryFolder();
    for (const [path, content] of Object.entries(SITE).reverse()) writeFiles(other, { [path]: content });
    utimesSync(join(other, 'site/index.html'), 1, 1);
    expect(sha((await pack(other)).file)).toBe(sha(report.file));
  });

  it('says of itself what it was told', async () => {
    const facts = await inspectPackage(report.file);
    expect(facts).toMatchObject({
      id: 'example.saltmarsh.ferry',
      version: '1.4.0',
      build: 7,
      label: 'Saltmarsh Ferry',
      launcherLabel: 'Ferry',
      sdk: { min: 24, target: 36 },
      debuggable: false,
      alignment: { resourceTable: 'aligned', misaligned: [] },
    });
    expect(facts.permissions.map((item) => item.name)).toEqual([
      'android.permission.INTERNET',
      'android.permission.ACCESS_NETWORK_STATE',
    ]);
    expect(facts.permissions.every((item) => item.meaning !== undefined)).toBe(true);
    expect(facts.components).toEqual([
      {
        kind: 'activity',
        name: 'jollyhull.shell.PageActivity',
        exported: true,
        launcher: true,
        links: [],
        actions: ['android.intent.action.MAIN'],
      },
      {
        kind: 'provider',
        name: 'jollyhull.shell.ShotFiles',
        exported: false,
        launcher: false,
        links: [],
        actions: [],
      },
    ]);
    expect(facts.network).toEqual({
      cleartext: false,
      exceptions: [
        {
          host: 'pier-cam.saltmarsh.example',
          subdomains: false,
          cleartext: true,
          reason: 'The pier camera has no TLS; <it> is "public".',
        },
      ],
    });
    expect(facts.icons.map((icon) => icon.density)).toContain('640 dpi');
    expect(facts.signature.verifies).toBe(true);
    expect(facts.signature.schemes[0]?.signers[0]?.certificate?.sha256).toBe(report.certificate);
    expect(facts.sizes.reduce((sum, share) => sum + share.packed, 0)).toBe(facts.size);
  });

  it('tells its shell where to start, what stays inside and what types files have', async () => {
    const source = await FileSource.open(report.file);
    const { entries } = await readZip(source);
    const entry = entries.find((item) => item.path === 'assets/hull/shell.json');
    if (!entry) throw new Error('no settings');
    const settings = JSON.parse(Buffer.from(await readEntry(source, entry)).toString());
    await source.close();
    expect(settings.start).toBe('https://ferry.saltmarsh.example/');
    expect(settings.packed).toEqual({
      origin: 'https://ferry.saltmarsh.example',
      base: '/',
      network: true,
      fallback: 'index.html',
      except: ['api/'],
    });
    expect(settings.inside[0]).toMatchObject({
      protocol: 'https',
      hostname: 'ferry\\.saltmarsh\\.example',
      pathname: '/.*',
    });
    // Those of all files: what ends as none of them may be an address that the app routes by itself.
    expect(settings.types).toMatchObject({
      html: 'text/html',
      js: 'text/javascript',
      pdf: 'application/pdf',
    });
  });

  it('ends at once where the keystore does not open, and leaves nothing', async () => {
    const other = temporaryFolder();
    writeFiles(other, SITE);
    await pack(other);
    const project = readProject(other);
    const app = await resolveApp(project);
    let written = 0;
    await refused('keys.wrong-password', async () =>
      packAndroid({
        kind: 'apk',
        signerName: 'TEST',
        app,
        android: readAndroidOptions(project),
        identity: Promise.reject(new HullError('keys.wrong-password', 'no')),
        art: artInputs(project, await findIconSource(project, app.folder)),
        outDir: join(other, 'elsewhere'),
        onProgress: (done) => {
          written = done;
        },
      }),
    );
    expect(written).toBe(0);
    expect(readdirSync(join(other, 'elsewhere'))).toEqual([]);
  });

  it('without look.icon takes the largest icon of its manifest', async () => {
    const other = temporaryFolder();
    writeFiles(other, {
      ...SITE,
      'site/index.html': '<link rel="manifest" href="/app/m.webmanifest">',
      'site/app/m.webmanifest': JSON.stringify({ icons: [{ src: '../icon.svg' }] }),
    });
    expect((await pack(other, { look: {} })).size).toBeGreaterThan(1000);
  });

  it('without any icon is refused, with what to write', async () => {
    const other = temporaryFolder();
    writeFiles(other, SITE);
    const error = await refused('art.icon-missing', () => pack(other, { look: {} }));
    expect(error.fix).toContain('"look"');
    await refused('art.icon-missing', () => pack(other, { look: { icon: 'gone.svg' } }));
    writeFiles(other, { 'site/manifest.json': '{"icons":[{"src":"gone.png"}]}' });
    await refused('art.icon-missing', () => pack(other, { look: {} }));
  });
});

describe('inspecting', () => {
  it('holds against a package whose manifest, resources or network rules went bad', async () => {
    const dir = temporaryFolder();
    writeFiles(dir, SITE);
    const source = await FileSource.open((await pack(dir)).file);
    const { entries } = await readZip(source);
    const whole = await Promise.all(
      entries.map(async (entry) => ({
        path: entry.path,
        content: new Uint8Array(await readEntry(source, entry)),
        method: 'store' as const,
        alignment: 4,
      })),
    );
    await source.close();
    const file = join(dir, 'bad.apk');
    const targets = ['AndroidManifest.xml', 'resources.arsc', 'res/0.xml'];
    const spoiled = fc.oneof(
      ...targets.map((path) => {
        const content = whole.find((entry) => entry.path === path)?.content ?? new Uint8Array(1);
        return mutations(content).map((bytes) => ({ path, bytes }));
      }),
    );
    await fc.assert(
      fc.asyncProperty(spoiled, async ({ path, bytes }) => {
        writeFileSync(
          file,
          await writeZip(whole.map((entry) => (entry.path === path ? { ...entry, content: bytes } : entry))),
        );
        await holdsAgainst(() => inspectPackage(file));
      }),
      { numRuns: 300 },
    );
  });

  it('a file that is no package says so', async () => {
    const dir = temporaryFolder();
    const file = join(dir, 'x.apk');
    writeFileSync(file, 'hello');
    const error = await refused('zip.malformed', () => inspectPackage(file));
    expect(error.location?.file).toBe(file);
    await refused('file.missing', () => inspectPackage(join(dir, 'gone.apk')));
    writeFileSync(
      file,
      await writeZip([{ path: 'a', content: new Uint8Array(1), method: 'store', alignment: 1 }]),
    );
    await refused('package.unknown', () => inspectPackage(file));
  });
});
