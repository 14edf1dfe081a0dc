import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { beforeAll, describe, expect } from 'vitest';
import { bytesSource } from '../../src/core/formats/bytes/source.js';
import { readEntry, readZip } from '../../src/core/formats/zip/reader.js';
import type { Entry } from '../../src/core/formats/zip/types.js';
import { writeZip } from '../../src/core/formats/zip/writer.js';
import { verifySignatures } from '../../src/core/platforms/android/signing/verify.js';
import { holdsAgainst } from '../support/errors.js';
import { mutations } from '../support/hostile.js';
import { hull, PASSWORD } from '../support/hull.js';
import { ask, readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

const ICON =
  '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="3" fill="#e4572e"/></svg>';
const dir = temporaryFolder();
const apk = join(dir, 'out/example.saltmarsh.ferry-1.4.0-7.apk');
const keystore = join(dir, 'keys/release.p12');

beforeAll(async () => {
  writeFiles(dir, {
    'site/index.html': '<!doctype html><title>Ferry</title>',
    'site/café/Überfahrt.html': '<!doctype html><title>Café</title>',
    'site/data.json': JSON.stringify(Array.from({ length: 500 }, (_, i) => ({ i, pier: 'Heron Point' }))),
    'site/photo.jpg': Buffer.alloc(50_000, 3),
    'icon.svg': ICON,
    'hull.json': JSON.stringify({
      app: {
        id: 'example.saltmarsh.ferry',
        name: 'Salt & "Marsh" <Ferry> عبّارة 🚢',
        short_name: 'Ferry',
        translations: {
          de: { name: 'Salzwiesen-Fähre', short_name: 'Fähre' },
          'pt-BR': { name: 'Barca do Sapal' },
          'zh-hant-tw': { name: '鹽沼渡輪' },
          fil: { name: 'Bangka ng Latian' },
        },
        version: '1.4.0',
        build: 7,
      },
      web: {
        folder: 'site',
        insecure: { 'http://pier-cam.saltmarsh.example': 'The pier camera has no TLS.' },
      },
      look: {
        icon: 'icon.svg',
        theme_color: '#0b4f6c',
        background_color: '#f4f1ea',
        orientation: 'portrait',
      },
      permissions: {
        geolocation: 'Shows the pier nearest to you.',
        camera: 'Scans the code on a ticket.',
        notifications: 'Tells you when your boat is late.',
      },
      links: [
        {
          host: 'ferry.saltmarsh.example',
          paths: ['/timetable/*', '/pier.html', '/a*b', '!/timetable/old/*'],
        },
      ],
      shortcuts: [
        { name: 'Nearest pier', url: '/data.json' },
        {
          name: 'The ferry to the far island',
          short_name: 'Far island',
          url: '/caf%C3%A9/%C3%9Cberfahrt.html',
        },
      ],
      share_target: {
        action: '/data.json',
        method: 'POST',
        enctype: 'multipart/form-data',
        params: { title: 'title', text: 'text', files: [{ name: 'ticket', accept: ['image/*', '.pdf'] }] },
      },
      android: { scheme: 'saltmarsh-ferry' },
    }),
  });
  const made = await hull(['keys', 'new', '--yes'], { cwd: dir });
  expect(made.code, made.err).toBe(0);
  const packed = await hull(['pack', 'apk'], { cwd: dir });
  expect(packed.code, packed.err).toBe(0);
});

describe('other people’s readers accept a packed app', () => {
  readerTest('apksigner', 'apksigner verifies v2 and v3 without a warning', async () => {
    const said = ask('apksigner', 'verify', '--verbose', '--print-certs', '-Werr', apk);
    expect(said).toContain('Verified using v2 scheme (APK Signature Scheme v2): true');
    expect(said).toContain('Verified using v3 scheme (APK Signature Scheme v3): true');
    expect(said).toContain('Number of signers: 1');
    const facts = JSON.parse((await hull(['inspect', apk, '--json'])).out);
    const theirs = /certificate SHA-256 digest: ([0-9a-f]+)/.exec(said)?.[1];
    expect(facts.signature.schemes[0].signers[0].certificate.sha256.replaceAll(':', '').toLowerCase()).toBe(
      theirs,
    );
  });

  /** The file that a resource is, as another reader of the table says. */
  const fileOf = (resource: string) =>
    new RegExp(`resource 0x[0-9a-f]+ ${resource}\\s+\\(\\) \\(file\\) (\\S+)`).exec(
      ask('aapt2', 'dump', 'resources', apk),
    )?.[1] ?? `no ${resource}`;

  readerTest('apksigner', 'apksigner and inspect agree that a changed byte spoils it', async () => {
    const bytes = readFileSync(apk);
    const at = bytes.indexOf('assets/site/photo.jpg') + 5000;
    bytes[at] = (bytes[at] as number) ^ 0x40;
    const bad = join(dir, 'bad.apk');
    writeFileSync(bad, bytes);
    expect(() => ask('apksigner', 'verify', bad)).toThrow();
    expect((await hull(['inspect', bad])).out).toContain('does not verify');
  });

  readerTest('zipalign', 'zipalign finds every entry aligned', () => {
    ask('zipalign', '-c', '-p', '4', apk);
  });

  readerTest('unzip', 'unzip tests every entry', () => {
    expect(ask('unzip', '-t', apk)).toContain('No errors');
  });

  readerTest('aapt', 'aapt reads identity, levels, labels and icon', () => {
    const badging = ask('aapt', 'dump', 'badging', apk);
    expect(badging).toContain("package: name='example.saltmarsh.ferry' versionCode='7' versionName='1.4.0'");
    expect(badging).toContain("sdkVersion:'24'");
    expect(badging).toContain("targetSdkVersion:'36'");
    expect(badging).toContain('عبّارة 🚢');
    expect(badging).toMatch(/launchable-activity: name='jollyhull\.shell\.PageActivity' {2}label='Ferry'/);
    expect(badging).toMatch(/application-icon-640:'res\/\w+\.xml'/);
    expect(badging).not.toMatch(/error|warn/i);
  });

  readerTest('aapt', 'aapt reads manifest and network rules as trees', () => {
    const manifest = ask('aapt', 'dump', 'xmltree', apk, 'AndroidManifest.xml');
    expect(manifest).toMatch(/android:exported\(0x01010010\)=\(type 0x12\)0xffffffff/);
    expect(manifest).toMatch(/android:enableOnBackInvokedCallback\(0x0101066c\)=\(type 0x12\)0xffffffff/);
    expect(manifest).toMatch(/android:screenOrientation\(0x0101001e\)=\(type 0x10\)0xc/);
    const network = ask('aapt', 'dump', 'xmltree', apk, fileOf('xml/network'));
    expect(network).toContain('pier-cam.saltmarsh.example');
  });

  readerTest(
    'aapt',
    'aapt reads permissions, features, languages, links and shares as they were meant',
    () => {
      const badging = ask('aapt', 'dump', 'badging', apk);
      for (const name of ['INTERNET', 'ACCESS_FINE_LOCATION', 'CAMERA', 'POST_NOTIFICATIONS'])
        expect(badging).toContain(`uses-permission: name='android.permission.${name}'`);
      expect(badging).toContain("uses-feature-not-required: name='android.hardware.camera'");
      expect(badging).not.toMatch(/uses-feature: name='android\.hardware\.(camera|location)/);
      expect(badging).toMatch(/locales: '--_--'.*'de'/);
      expect(badging).toContain("application-label-de:'Salzwiesen-Fähre'");
      expect(badging).toContain("application-label-pt-BR:'Barca do Sapal'");
      const manifest = ask('aapt', 'dump', 'xmltree', apk, 'AndroidManifest.xml');
      const icon = /"hull\.notice"[^\n]*\n\s*A: android:resource\(0x01010025\)=@(0x[0-9a-f]+)/.exec(
        manifest,
      )?.[1];
      expect(ask('aapt', 'dump', 'resources', apk)).toContain(
        `${icon} example.saltmarsh.ferry:mipmap/icon_monochrome`,
      );
      expect(manifest).toMatch(/android:autoVerify\(0x010104ee\)=\(type 0x12\)0xffffffff/);
      expect(manifest).toMatch(/android:pathPrefix\(0x0101002b\)="\/timetable\/"/);
      expect(manifest).toMatch(
        /uri-relative-filter-group[\s\S]*android:allow\(0x0101068e\)=\(type 0x12\)0x0/,
      );
      expect(manifest).toMatch(/android:scheme\(0x01010027\)="saltmarsh-ferry"/);
      const shortcuts = ask('aapt', 'dump', 'xmltree', apk, fileOf('xml/shortcuts'));
      expect(shortcuts.match(/E: shortcut /g)).toHaveLength(2);
    },
  );

  readerTest('aapt', 'aapt reads a package of the browser engine, which holds no page', async () => {
    const other = temporaryFolder();
    writeFiles(other, {
      'site/index.html': '<!doctype html><title>Ferry</title>',
      'icon.svg': ICON,
      'hull.json': JSON.stringify({
        app: {
          id: 'example.saltmarsh.ferry',
          name: 'Saltmarsh Ferry',
          language: 'en',
          version: '1.4.0',
          build: 7,
        },
        web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
        look: { icon: 'icon.svg', theme_color: '#0b4f6c', dark: { theme_color: '#06202c' } },
        permissions: {
          geolocation: 'Shows the pier nearest to you.',
          camera: 'Reads the code on a paper ticket.',
        },
        links: [{ host: 'ferry.saltmarsh.example' }, { host: 'tickets.saltmarsh.example' }],
        android: { engine: 'browser', devices: ['desktop'], min_sdk: 28 },
        keys: { release: { file: keystore } },
      }),
    });
    const packed = await hull(['pack', 'apk', '--json', '--skip-origin-check'], { cwd: other });
    expect(packed.code, packed.err).toBe(0);
    const { file: made, files, parts } = JSON.parse(packed.out);
    const file = join(other, made);
    expect(files.packed).toBe(0);
    expect(parts.web).toBe(0);
    const badging = ask('aapt', 'dump', 'badging', file);
    expect(badging).toContain("launchable-activity: name='jollyhull.shell.BrowserActivity'");
    expect(badging).toContain("sdkVersion:'28'");
    expect(badging).toContain("uses-feature: name='android.hardware.type.pc'");
    expect(badging).toContain("uses-feature-not-required: name='android.hardware.touchscreen'");
    const told = await hull(['pack', 'apk', '--skip-origin-check'], { cwd: other });
    expect(told.err).toContain('permission geolocation: Shows the pier nearest to you.');
    expect(told.err).toContain('permission camera: the browser asks');
    // The location is the app's own here too; the camera is asked for by the browser.
    expect(badging).toContain("uses-permission: name='android.permission.ACCESS_FINE_LOCATION'");
    expect(badging).not.toContain('android.permission.CAMERA');
    const manifest = ask('aapt', 'dump', 'xmltree', file, 'AndroidManifest.xml');
    expect(manifest).toMatch(
      /E: service[\s\S]*jollyhull\.shell\.Delegate[\s\S]*TRUSTED_WEB_ACTIVITY_SERVICE[\s\S]*SMALL_ICON/,
    );
    expect(manifest).toMatch(/theme\(0x01010000\)=@0x7f0[0-9a-f]0002[\s\S]*jollyhull\.shell\.AskActivity/);
    expect(manifest).toMatch(/E: queries[\s\S]*android\.support\.customtabs\.action\.CustomTabsService/);
    const shown = await hull(['inspect', file]);
    expect(shown.out).toContain(
      'belongs to https://ferry.saltmarsh.example\n  belongs to https://tickets.saltmarsh.example',
    );
    expect(shown.out).toContain('a bar with their address');
    const resources = ask('aapt', 'dump', '--values', 'resources', file);
    expect(resources).toContain('https://tickets.saltmarsh.example');
    expect(resources).toContain('delegate_permission/common.handle_all_urls');
    expect(resources).toMatch(
      /color\/status_bar: t=0x1c d=0xff0b4f6c[\s\S]*color\/status_bar: t=0x1c d=0xff06202c/,
    );
    // Without anything that is the app's to ask for, nobody is let in.
    const config = JSON.parse(readFileSync(join(other, 'hull.json'), 'utf8'));
    const withTab = { ...config.android, otherwise: 'tab' };
    writeFiles(other, { 'hull.json': JSON.stringify({ ...config, permissions: {}, android: withTab }) });
    const again = await hull(['pack', 'apk', '--json', '--skip-origin-check'], { cwd: other });
    const bare = join(other, JSON.parse(again.out).file);
    expect(ask('aapt', 'dump', 'xmltree', bare, 'AndroidManifest.xml')).not.toContain('Delegate');
    expect(ask('aapt', 'dump', 'xmltree', bare, 'AndroidManifest.xml')).toContain('PageActivity');
    // Without a view of its own, which is what there is where nothing is said, neither the manifest nor the code has one.
    writeFiles(other, {
      'hull.json': JSON.stringify({
        ...config,
        share_target: { action: '/share', method: 'POST', params: { text: 'words' } },
      }),
    });
    const small = await hull(['pack', 'apk', '--json', '--skip-origin-check'], { cwd: other });
    expect(small.code, small.err).toBe(0);
    const lean = JSON.parse(small.out);
    expect(ask('aapt', 'dump', 'xmltree', join(other, lean.file), 'AndroidManifest.xml')).not.toContain(
      'PageActivity',
    );
    const code = ask('dexdump', '-f', join(other, lean.file));
    expect(code).toContain('jollyhull/shell/BrowserActivity');
    expect(code).not.toContain('Landroid/webkit/WebView;');
    expect(lean.parts.shell + lean.parts.signature).toBeLessThan(45_000);
    expect((await hull(['pack', 'apk', '--skip-origin-check'], { cwd: other })).err).toContain(
      'opens the start page',
    );
  });

  readerTest('aapt', 'aapt reads the resource table without an error', () => {
    const resources = ask('aapt', 'dump', '--values', 'resources', apk);
    expect(resources).toContain('color/background');
    expect(resources).toContain('config night');
    expect(resources).toContain('config v31');
    expect(resources).not.toMatch(/error|warn|invalid/i);
  });

  readerTest('aapt2', 'aapt2 reads the same', () => {
    expect(ask('aapt2', 'dump', 'badging', apk)).toContain(
      "package: name='example.saltmarsh.ferry' versionCode='7'",
    );
    const resources = ask('aapt2', 'dump', 'resources', apk);
    expect(resources).toMatch(/\(anydpi-v26\) \(file\) res\/\w+\.xml type=XML/);
    expect(resources).toMatch(/style\/App\s+\(\) \(style\) size=0 parent=style\/Base/);
    expect(resources).toMatch(
      /style\/Base\s+\(\) \(style\) size=\d parent=0x01030241[\s\S]*\(night\) \(style\) size=\d parent=0x0103022e/,
    );
    expect(ask('aapt2', 'dump', 'xmltree', '--file', 'AndroidManifest.xml', apk)).toContain('E: application');
    expect(ask('aapt2', 'dump', 'permissions', apk)).toContain('android.permission.INTERNET');
  });

  readerTest('dexdump', 'dexdump checks the shell’s code and finds its activity', () => {
    const dump = ask('dexdump', '-f', apk);
    expect(dump).toContain('jollyhull/shell/PageActivity');
    expect(ask('dexdump', '-c', apk)).not.toMatch(/fail|bad/i);
  });

  readerTest('dexdump', 'the shell carries no library and no class of another package', () => {
    const dump = ask('dexdump', apk);
    const classes = [...dump.matchAll(/Class descriptor {2}: 'L([^;]+);'/g)].map(
      (match) => match[1] as string,
    );
    expect(classes.length).toBeGreaterThan(10);
    for (const name of classes)
      expect(name).toMatch(/^(jollyhull\/shell|hull|org\/chromium\/support_lib_boundary)\//);
  });
});

describe('other people’s readers open a new keystore', () => {
  readerTest('keytool', 'keytool lists its one key with the same fingerprint', async () => {
    const said = ask(
      'keytool',
      '-list',
      '-v',
      '-keystore',
      keystore,
      '-storetype',
      'PKCS12',
      '-storepass',
      PASSWORD,
    );
    expect(said).toContain('Alias name: release');
    expect(said).toContain('Entry type: PrivateKeyEntry');
    expect(said).toContain('SHA256withRSA');
    const facts = JSON.parse((await hull(['keys', 'show', '--json'], { cwd: dir })).out);
    expect(said).toContain(facts.certificate.sha256);
    expect(said).toContain(facts.certificate.sha1);
  });

  readerTest('openssl', 'openssl finds today’s algorithms only', () => {
    const said = ask('openssl', 'pkcs12', '-in', keystore, '-passin', `pass:${PASSWORD}`, '-info', '-noout');
    expect(said).toContain('MAC: sha256');
    expect(said.match(/PBES2, PBKDF2, AES-256-CBC, Iteration \d+, PRF hmacWithSHA256/g)).toHaveLength(2);
    expect(said).not.toMatch(/RC2|3DES|sha1/i);
  });

  readerTest('openssl', 'openssl agrees that the certificate is the key’s own', () => {
    const pem = ask('openssl', 'pkcs12', '-in', keystore, '-passin', `pass:${PASSWORD}`, '-nodes');
    const file = join(dir, 'pair.pem');
    writeFileSync(file, pem);
    const modulus = (kind: string) => ask('openssl', kind, '-in', file, '-noout', '-modulus').trim();
    expect(modulus('x509')).toBe(modulus('rsa'));
    expect(ask('openssl', 'x509', '-in', file, '-noout', '-text')).toContain('sha256WithRSAEncryption');
  });

  readerTest('keytool', 'a keystore that keytool made signs packages too', async () => {
    const theirs = join(dir, 'keys/theirs.p12');
    ask(
      'keytool',
      '-genkeypair',
      '-keystore',
      theirs,
      '-storetype',
      'PKCS12',
      '-storepass',
      PASSWORD,
      '-alias',
      'Upload',
      '-keyalg',
      'EC',
      '-groupname',
      'secp256r1',
      '-validity',
      '12000',
      '-dname',
      'CN=Saltmarsh Ferry',
    );
    const shown = await hull(['keys', 'show', '--file', theirs], { cwd: dir });
    expect(shown.code, shown.err).toBe(0);
    expect(shown.out).toContain('EC P-256');
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    config.keys.theirs = { file: 'keys/theirs.p12', alias: 'Upload' };
    writeFileSync(join(dir, 'hull.json'), JSON.stringify(config));
    const packed = await hull(['pack', 'apk', '--key', 'theirs', '--out', 'out-theirs'], { cwd: dir });
    expect(packed.code, packed.err).toBe(0);
    ask('apksigner', 'verify', '-Werr', join(dir, 'out-theirs/example.saltmarsh.ferry-1.4.0-7.apk'));
  });

  readerTest('openssl', 'a keystore with old algorithms is opened as it is', async () => {
    const pem = join(dir, 'old.pem');
    writeFileSync(pem, ask('openssl', 'pkcs12', '-in', keystore, '-passin', `pass:${PASSWORD}`, '-nodes'));
    const old = join(dir, 'old.p12');
    ask('openssl', 'pkcs12', '-export', '-legacy', '-in', pem, '-out', old, '-passout', `pass:${PASSWORD}`);
    const shown = await hull(['keys', 'show', '--file', old], { cwd: dir });
    expect(shown.code, shown.err).toBe(0);
    const today = await hull(['keys', 'show', '--file', keystore], { cwd: dir });
    expect(shown.out.match(/SHA-256 .*/)?.[0]).toBe(today.out.match(/SHA-256 .*/)?.[0]);
  });
});

describe('inspect and another package’s maker', () => {
  readerTest(
    'apksigner',
    'a package signed by apksigner is read and verified, every scheme of it',
    async () => {
      const other = join(dir, 'other.apk');
      ask(
        'apksigner',
        'sign',
        '--ks',
        keystore,
        '--ks-type',
        'pkcs12',
        '--ks-pass',
        `pass:${PASSWORD}`,
        '--min-sdk-version',
        '21',
        '--v1-signing-enabled',
        'true',
        '--out',
        other,
        apk,
      );
      const facts = JSON.parse((await hull(['inspect', other, '--json'])).out);
      expect(
        facts.signature.schemes.map(
          (scheme: { scheme: string; state: string }) => `${scheme.scheme} ${scheme.state}`,
        ),
      ).toEqual(['v1 verified', 'v2 verified', 'v3 verified']);
    },
  );

  readerTest(
    'apksigner',
    'a package signed by the old scheme alone is judged as apksigner judges it, whole and changed',
    async () => {
      const sign = (out: string, ...more: string[]) =>
        ask(
          'apksigner',
          'sign',
          '--ks',
          keystore,
          '--ks-type',
          'pkcs12',
          '--ks-pass',
          `pass:${PASSWORD}`,
          '--v1-signing-enabled',
          'true',
          '--v2-signing-enabled',
          'false',
          '--v3-signing-enabled',
          'false',
          '--min-sdk-version',
          '21',
          ...more,
          '--out',
          out,
          apk,
        );
      const verdict = async (file: string) =>
        JSON.parse((await hull(['inspect', file, '--json'])).out).signature;
      /** The entries of a package with their bytes, to be written anew without its signing block. */
      const entriesOf = async (file: string): Promise<Entry[]> => {
        const source = bytesSource(readFileSync(file));
        const { entries } = await readZip(source);
        return Promise.all(
          entries.map(async ({ path, method, ...entry }) => {
            const content = new Uint8Array(await readEntry(source, { path, method, ...entry }));
            return { path, method, content, alignment: 4 };
          }),
        );
      };
      const other = join(dir, 'old-scheme.apk');
      const changed = join(dir, 'old-changed.apk');
      sign(other);
      const whole = await verdict(other);
      expect(whole.schemes).toMatchObject([{ scheme: 'v1', state: 'verified' }]);
      // It holds, and yet new devices refuse it, because the package is made for API 36: apksigner says so too.
      expect(whole.gaps.join()).toContain('Android 11');
      expect(() => ask('apksigner', 'verify', '--min-sdk-version', '21', other)).toThrow();
      const source = bytesSource(readFileSync(other));
      const older = await verifySignatures(source, await readZip(source), { min: 21, target: 29 });
      expect(older.verifies).toBe(true);

      // A changed entry whose checksum is right: only the manifest's digest tells.
      const spoiled = await entriesOf(other);
      for (const entry of spoiled)
        if (entry.path === 'assets/site/index.html') (entry.content as Uint8Array)[0] = 0x21;
      writeFileSync(changed, await writeZip(spoiled));
      expect(() => ask('apksigner', 'verify', '--min-sdk-version', '21', changed)).toThrow();
      expect(await verdict(changed)).toMatchObject({ verdict: 'failed' });
      expect((await verdict(changed)).schemes[0].faults.join()).toContain(
        'index.html was changed after signing',
      );

      // Whatever byte goes bad, the judge neither crashes nor hangs.
      const bytes = readFileSync(other);
      await fc.assert(
        fc.asyncProperty(mutations(bytes), async (bad) => {
          const damaged = bytesSource(bad);
          await holdsAgainst(async () =>
            verifySignatures(damaged, await readZip(damaged), { min: 21, target: 29 }),
          );
        }),
        { numRuns: 300 },
      );

      // A file added beside the signed ones.
      const added: Entry = {
        path: 'assets/site/added.js',
        content: new Uint8Array([1]),
        method: 'store',
        alignment: 4,
      };
      writeFileSync(changed, await writeZip([...(await entriesOf(other)), added]));
      expect((await verdict(changed)).schemes[0].faults.join()).toContain('added.js is not signed');

      // Newer signatures taken away from a package that says it has them.
      const both = join(dir, 'both.apk');
      sign(both, '--v2-signing-enabled', 'true');
      writeFileSync(changed, await writeZip(await entriesOf(both)));
      expect(() => ask('apksigner', 'verify', changed)).toThrow();
      expect((await verdict(changed)).schemes[0].faults.join()).toContain('stripped');
    },
  );
});
