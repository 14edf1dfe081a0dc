import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Ajv from 'ajv';
import addFormats from 'ajv-formats';
import { beforeAll, describe, expect, it } from 'vitest';
import { DEMO_SITE, HULL, hull, PASSWORD, ROOT, run } from '../support/hull.js';
import { ask, readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** Bundles, signatures, comparisons and records, by the built program on the demo data. */

let dir: string;
const env = { HULL_KEY_PASSWORD: PASSWORD };
const drive = (...words: string[]) => hull(words, { cwd: dir, env });
const json = async (...words: string[]) => {
  const ran = await drive(...words, '--json');
  expect(ran.code, ran.err).toBe(0);
  return JSON.parse(ran.out);
};
const out = (ending: string) =>
  join(dir, 'out', readdirSync(join(dir, 'out')).find((name) => name.endsWith(ending)) ?? '?');

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'hull-packages-'));
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  await json(
    'begin',
    'site',
    '--id',
    'example.saltmarsh.ferry',
    '--icon',
    'site/icons/icon.svg',
    '--web-url',
    'https://ferry.saltmarsh.example/',
    '--yes',
  );
  await json('keys', 'new', '--bits', '2048', '--yes');
  await json('pack', 'aab', '--record');
  await json('pack', 'apk');
});

it('holds little besides the app: the shell’s share of a package, with its signatures', async () => {
  const { parts } = await json('pack', 'apk');
  expect(parts.shell + parts.signature).toBeLessThan(60_000);
});

describe('a store bundle', () => {
  it('is made of the same app, and read by inspect as its package is', async () => {
    const [b, a] = [await json('inspect', out('.aab')), await json('inspect', out('-1.apk'))];
    expect(b.kind).toBe('aab');
    for (const key of [
      'id',
      'version',
      'build',
      'label',
      'sdk',
      'permissions',
      'features',
      'components',
      'belongsTo',
      'network',
    ]) {
      expect(b[key], key).toEqual(a[key]);
    }
    expect(b.bundle.modules).toHaveLength(1);
    expect(b.bundle.splits).toContainEqual({ by: 'language', on: false });
    expect(b.signature.verifies).toBe(true);
    const phone = b.downloads.find(({ device }: { device: string }) => device === 'phone, 480 dpi');
    expect(phone.bytes).toBeLessThan(a.size);
    expect(a.duplicates[0].paths).toContain('assets/site/icons/maskable-512.png');
  });

  readerTest('jarsigner', 'is signed as jarsigner wants it', () => {
    const said = ask(
      'jarsigner',
      '-verify',
      '-strict',
      '-keystore',
      join(dir, 'keys/release.p12'),
      '-storepass',
      PASSWORD,
      out('.aab'),
      'release',
    );
    expect(said).toContain('jar verified.');
    expect(said).not.toContain('unsigned');
  });

  readerTest('openssl', 'has a CMS signature that openssl verifies', async () => {
    const folder = temporaryFolder();
    ask('unzip', '-q', out('.aab'), 'META-INF/*', '-d', folder);
    ask(
      'openssl',
      ...`pkcs12 -in ${join(dir, 'keys/release.p12')} -passin pass:${PASSWORD} -nokeys -out ${join(folder, 'own.pem')}`.split(
        ' ',
      ),
    );
    const said = ask(
      'openssl',
      ...`cms -verify -binary -inform DER -in ${join(folder, 'META-INF/RELEASE.RSA')} -content ${join(folder, 'META-INF/RELEASE.SF')} -CAfile ${join(folder, 'own.pem')} -purpose any -out /dev/null`.split(
        ' ',
      ),
    );
    expect(said).toMatch(/successful/i);
  });

  readerTest(
    'aapt2',
    'is the package in another form: converted by aapt2 it has the same resources and manifest',
    () => {
      const folder = temporaryFolder();
      ask('unzip', '-q', out('.aab'), 'base/*', '-d', folder);
      const base = join(folder, 'base');
      ask(
        'sh',
        '-c',
        `cd ${base} && mv manifest/AndroidManifest.xml . && mv dex/* . && rmdir manifest dex && zip -q -r ../proto.apk *`,
      );
      ask(
        'aapt2',
        'convert',
        '--output-format',
        'binary',
        '-o',
        join(folder, 'binary.apk'),
        join(folder, 'proto.apk'),
      );
      // Files of resources have shorter paths in a package; what is in them is compared elsewhere.
      const dump = (file: string) =>
        ask('aapt2', 'dump', 'resources', file).replaceAll(/ res\/\S+(\.\w+)/g, ' a file$1');
      expect(dump(join(folder, 'binary.apk'))).toBe(dump(out('-1.apk')));
      const tree = (file: string) =>
        ask('aapt2', 'dump', 'xmltree', '--file', 'AndroidManifest.xml', file).replaceAll(
          / \(line=\d+\)/g,
          '',
        );
      expect(tree(join(folder, 'binary.apk'))).toBe(tree(out('-1.apk')));
    },
  );

  readerTest(
    'protoc',
    'is decoded by protoc with field numbers as they are published, every field of it',
    () => {
      const folder = temporaryFolder();
      ask('unzip', '-q', out('.aab'), 'BundleConfig.pb', 'base/*', '-d', folder);
      const schema = join(ROOT, 'test/fixtures');
      const decoded = (message: string, file: string) =>
        ask('sh', '-c', `protoc -I ${schema} --decode=${message} bundle.proto < ${join(folder, file)}`);
      const settings = decoded('BundleConfig', 'BundleConfig.pb');
      expect(settings).toMatch(/value: SCREEN_DENSITY/);
      expect(settings).toMatch(/value: LANGUAGE\s+negate: true/);
      const manifest = decoded('XmlNode', 'base/manifest/AndroidManifest.xml');
      expect(manifest).toContain('value: "example.saltmarsh.ferry"');
      expect(manifest).toMatch(/name: "versionCode"\s+value: "1"\s+resource_id: 16843291\s+compiled_item/);
      const table = decoded('ResourceTable', 'base/resources.pb');
      expect(table).toMatch(/path: "res\/mipmap-anydpi-v26\/icon.xml"\s+type: PROTO_XML/);
      expect(table).toContain('ui_mode_night: NIGHT');
      const icon = decoded('XmlNode', 'base/res/mipmap-anydpi-v26/icon.xml');
      // A field that the schema does not know is shown by its number.
      for (const text of [settings, manifest, table, icon]) expect(text).not.toMatch(/^\s*\d+(:| \{)/m);
    },
  );

  readerTest('apksigner', 'becomes one package with --from, which holds what pack apk makes', async () => {
    const { file: made, certificate } = await json('pack', 'apk', '--from', out('.aab'));
    const file = join(dir, made);
    ask('apksigner', 'verify', file);
    const facts = await json('inspect', file);
    expect(facts.signature.schemes[0].signers[0].certificate.sha256).toBe(certificate);
    const files = (list: { path: string; crc32: number }[]) =>
      list
        .filter(({ path }) => !/^(META-INF\/|AndroidManifest\.xml|resources\.arsc|res\/.*\.xml)/.test(path))
        .map(({ path, crc32 }) => `${path.replace(/^res\/.*\./, 'res/any.')} ${crc32}`)
        .sort();
    expect(files(facts.files)).toEqual(files((await json('inspect', out('-1.apk'))).files));
    const refused = await drive('pack', 'apk', '--from', out('-1.apk'));
    expect(refused.err).toContain('package.unknown');
  });
});

describe('a record', () => {
  it('is a CycloneDX document by its schema, without time or place', async () => {
    const bom = JSON.parse(readFileSync(`${out('.aab')}.cdx.json`, 'utf8'));
    const schemas = join(ROOT, 'node_modules/@cyclonedx/cyclonedx-library/res/schema');
    const schema = (name: string) => JSON.parse(readFileSync(join(schemas, name), 'utf8'));
    const ajv = new Ajv.default({ strict: false, validateFormats: true });
    addFormats.default(ajv);
    ajv.addFormat('iri-reference', true);
    ajv.addFormat('idn-email', true);
    for (const name of ['spdx.SNAPSHOT.schema.json', 'jsf-0.82.SNAPSHOT.schema.json']) {
      // The schema refers to these by the names of its files.
      ajv.addSchema({ ...schema(name), $id: `http://cyclonedx.org/schema/${name}` });
    }
    const validate = ajv.compile(schema('bom-1.6.SNAPSHOT.schema.json'));
    expect(validate(bom), JSON.stringify(validate.errors)).toBe(true);
    expect(JSON.stringify(bom)).not.toContain(dir);
    const again = await json('pack', 'aab', '--record', '--out', join(dir, 'again'));
    expect(readFileSync(join(dir, again.record), 'utf8')).toBe(
      readFileSync(`${out('.aab')}.cdx.json`, 'utf8'),
    );
  });

  it('is held against a rebuild, in any time zone, locale and umask', async () => {
    const record = `${out('.aab')}.cdx.json`;
    const elsewhere = { ...env, TZ: 'Pacific/Auckland', LC_ALL: 'tr_TR.UTF-8', UV_THREADPOOL_SIZE: '1' };
    const words = [HULL, 'pack', 'aab', '--verify-record', record];
    const same = await run('sh', ['-c', 'umask 077 && exec "$0" "$@"', process.execPath, ...words], {
      cwd: dir,
      env: elsewhere,
    });
    expect(same.code, same.err).toBe(0);
    expect(same.out).toContain('The same');
    const script = join(dir, 'site/js/app.js');
    const text = readFileSync(script, 'utf8');
    writeFileSync(script, `${text}// changed\n`);
    const other = await drive('pack', 'aab', '--verify-record', record, '--json');
    writeFileSync(script, text);
    expect(other.code).toBe(1);
    expect(JSON.parse(other.out)).toMatchObject({
      same: false,
      changed: ['base/assets/site/js/app.js'],
      added: [],
      removed: [],
    });
    writeFiles(dir, { 'no.json': '{}' });
    expect((await drive('pack', 'aab', '--verify-record', 'no.json')).err).toContain('record.malformed');
  });
});

describe('signing what others made', () => {
  readerTest('apksigner', 'replaces signatures, aligns, and leaves the input as it is', async () => {
    const folder = temporaryFolder();
    const other = join(folder, 'other.apk');
    // Unaligned, recompressed, unsigned, with a stale signature file in it.
    ask(
      'sh',
      '-c',
      `cd ${folder} && unzip -q ${out('-1.apk')} && mkdir META-INF && echo x > META-INF/OLD.SF && zip -q -9 -r other.apk . -x other.apk`,
    );
    const before = readFileSync(other);
    const { file: signed, realigned, removed, schemes } = await json('sign', other);
    const file = join(dir, signed);
    expect(file).toBe(join(folder, 'other-signed.apk'));
    expect(readFileSync(other).equals(before)).toBe(true);
    expect(removed).toEqual(['META-INF/OLD.SF']);
    expect(realigned).toContain('resources.arsc');
    expect(schemes).toEqual(['v2', 'v3']);
    ask('apksigner', 'verify', file);
    ask('zipalign', '-c', '4', file);
    expect((await drive('sign', other, '--verify-only')).code).toBe(1);
    expect((await drive('sign', file, '--verify-only')).code).toBe(0);
    expect((await drive('inspect', other, '--verify')).code).toBe(1);
    const v1 = await json('sign', other, '--v1', '--out', join(folder, 'v1.apk'));
    expect(v1.schemes).toEqual(['v1', 'v2', 'v3']);
    expect(ask('apksigner', 'verify', '-v', '--min-sdk-version', '19', join(dir, v1.file))).toContain(
      'v1 scheme (JAR signing): true',
    );
    expect((await drive('sign', other, '--out', other)).code).toBe(2);
    writeFiles(folder, { 'plain.zip': readFileSync(`${DEMO_SITE}/index.html`) });
    expect((await drive('sign', join(folder, 'plain.zip'))).err).toContain('zip.malformed');
  });

  readerTest('apksigner', 'with a key that succeeded another is understood, and an update', async () => {
    const project = temporaryFolder();
    cpSync(dir, project, { recursive: true });
    const here = (...words: string[]) =>
      hull(words, { cwd: project, env: { ...env, HULL_KEY_PASSWORD_NEXT: 'another password' } });
    expect((await here('keys', 'new', 'next', '--curve', 'P-256', '--yes')).code).toBe(0);
    const succeeded = await here('keys', 'rotate', 'release', 'next', '--since', '28', '--json');
    expect(succeeded.code, succeeded.err).toBe(0);
    expect((await here('version', 'patch')).code).toBe(0);
    const packed = JSON.parse((await here('pack', 'apk', '--json')).out);
    expect(ask('apksigner', 'verify', '-v', join(project, packed.file))).toContain(
      'v3 scheme (APK Signature Scheme v3): true',
    );
    expect(
      ask('apksigner', 'lineage', '--in', join(project, 'keys/next.lineage'), '--print-certs'),
    ).toContain('Signer #2 in lineage');
    const compared = await here('compare', out('-1.apk'), packed.file);
    expect(compared.code, compared.out).toBe(0);
    expect(compared.out).toContain('vouches');
    expect((await here('compare', packed.file, out('-1.apk'))).code).toBe(1);
    expect((await here('inspect', packed.file)).out).toContain('lineage');
    expect((await here('keys', 'rotate', 'release', 'next')).err).toContain('keys.exists');
    expect((await here('keys', 'show')).out).toContain('succeeds CN=');
  });
});

describe('versions', () => {
  it('are raised in place, above everything that was packed', async () => {
    const project = temporaryFolder();
    cpSync(dir, project, { recursive: true });
    const file = join(project, 'hull.json');
    const commented = `// Kept by hand.\n${readFileSync(file, 'utf8')}`;
    writeFileSync(file, commented);
    const ran = await hull(['version', 'minor'], { cwd: project, env });
    expect(ran.out).toContain('1.0.0 (1) → 1.1.0 (2)');
    expect(readFileSync(file, 'utf8')).toBe(
      commented.replace('"1.0.0"', '"1.1.0"').replace('"build": 1', '"build": 2'),
    );
    await hull(['pack', 'apk'], { cwd: project, env });
    writeFileSync(file, commented);
    const back = await hull(['version', '1.0.1'], { cwd: project, env });
    expect(back.err).toContain('version.goes-back');
    expect(back.code).toBe(2);
    expect(readFileSync(file, 'utf8')).toBe(commented);
    const against = await hull(
      ['version', '1.2.0', '--against', join(project, 'out/example.saltmarsh.ferry-1.1.0-2.apk'), '--json'],
      { cwd: project, env },
    );
    expect(JSON.parse(against.out)).toMatchObject({ version: '1.2.0', build: 3 });
  });
});

describe('a package for developers', () => {
  it('is signed with a key of its own, outside of the project, and asks for no password', async () => {
    const config = temporaryFolder();
    const bare = { HULL_KEY_PASSWORD: undefined, XDG_CONFIG_HOME: config };
    const packed = await hull(['pack', 'apk', '--debuggable', '--json'], { cwd: dir, env: bare });
    expect(packed.code, packed.err).toBe(0);
    const key = join(config, 'jolly-hull/debug.p12');
    expect(statSync(key).mode & 0o777).toBe(0o600);
    const again = await hull(['pack', 'apk', '--debuggable', '--json'], { cwd: dir, env: bare });
    expect(JSON.parse(again.out).certificate).toBe(JSON.parse(packed.out).certificate);
    expect(existsSync(join(dir, 'keys/debug.p12'))).toBe(false);
  });
});

describe('the page of sizes', () => {
  it('needs nothing else, and escapes what a package says', async () => {
    const page = join(dir, 'size.html');
    await json('inspect', out('.aab'), '--html', page);
    const text = readFileSync(page, 'utf8');
    expect(text).not.toMatch(/<script|https?:\/\/(?!www\.w3\.org)|<link/);
    expect(text).toContain('classes.dex');
    expect(text.match(/<rect /g)?.length).toBeGreaterThan(40);
  });
});

describe('killed at any moment', () => {
  it('packing leaves the old whole package or the new whole package, and nothing under another name that counts', async () => {
    const target = join(dir, 'killed');
    const first = await json('pack', 'apk', '--out', target);
    const whole = readFileSync(join(dir, first.file));
    const rounds = Number(process.env.HULL_KILLS ?? 12);
    for (let round = 0; round < rounds; round += 1) {
      const wait = 40 + ((round * 433) % 460);
      await run(process.execPath, [join(ROOT, 'dist/cli/hull.cjs'), 'pack', 'apk', '--out', target], {
        cwd: dir,
        env,
        meanwhile: (child) => {
          setTimeout(() => child.kill('SIGKILL'), wait);
        },
      });
      // The same inputs give the same bytes, so that old and new are alike: whole is whole.
      expect(readFileSync(join(dir, first.file)).equals(whole)).toBe(true);
      expect(readdirSync(target).filter((name) => !name.startsWith('.'))).toHaveLength(1);
    }
  }, 120_000);

  it('making a key leaves no key or a whole one', async () => {
    const rounds = Number(process.env.HULL_KILLS ?? 12);
    for (let round = 0; round < rounds; round += 1) {
      const project = temporaryFolder();
      writeFiles(project, {
        'site/index.html': '<!doctype html>',
        'hull.json': JSON.stringify({
          app: { id: 'example.saltmarsh.ferry', name: 'F', version: '1.0.0', build: 1 },
          web: { folder: 'site' },
        }),
      });
      await run(
        process.execPath,
        [join(ROOT, 'dist/cli/hull.cjs'), 'keys', 'new', '--bits', '2048', '--yes'],
        {
          cwd: project,
          env,
          meanwhile: (child) => {
            setTimeout(() => child.kill('SIGKILL'), 60 + ((round * 97) % 400));
          },
        },
      );
      expect(() => JSON.parse(readFileSync(join(project, 'hull.json'), 'utf8'))).not.toThrow();
      if (existsSync(join(project, 'keys/release.p12'))) {
        const shown = await hull(['keys', 'show', '--file', join(project, 'keys/release.p12')], { env });
        expect(shown.code, shown.err).toBe(0);
      }
    }
  }, 120_000);
});
