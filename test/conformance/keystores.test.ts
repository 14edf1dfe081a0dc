import { execFileSync } from 'node:child_process';
import { chmodSync, existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { readIssued } from '../../src/core/keys/certification-request.js';
import { readAnyKeys } from '../../src/core/keys/read-any.js';
import { weaknesses } from '../../src/core/keys/weakness.js';
import { refused } from '../support/errors.js';
import { converse, hull, PASSWORD } from '../support/hull.js';
import { ask, reader, readerTest } from '../support/readers.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

const OLD = 'changeit-then';
const KEY = 'another-one';
let dir: string;
const at = (name: string) => join(dir, name);

function keytool(file: string, type: string, alias: string, ...more: string[]): void {
  ask(
    'keytool',
    ...`-genkeypair -keyalg RSA -keysize 2048 -validity 11000 -storetype ${type} -alias ${alias} -storepass ${OLD}`.split(
      ' ',
    ),
    '-dname',
    `CN=${alias} of Saltmarsh Ferry`,
    '-keystore',
    file,
    ...more,
  );
}

beforeAll(() => {
  dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': '<!doctype html><title>Ferry</title>',
    'hull.json': JSON.stringify({
      app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site' },
    }),
  });
});

/** Takes a file over with the built program; gives what it says as JSON. */
async function adopt(file: string, name: string, ...more: string[]) {
  const ran = await hull(['keys', 'import', file, '--as', name, '--json', ...more], {
    cwd: dir,
    env: { HULL_KEY_PASSWORD: PASSWORD, HULL_OLD_KEY_PASSWORD: OLD },
  });
  return { ...ran, said: ran.code === 0 ? JSON.parse(ran.out) : undefined };
}

/** What keytool finds in the new file: the fingerprint that it shows. */
const newFingerprint = (name: string) =>
  /SHA256: ([0-9A-F:]{95})/.exec(
    ask('keytool', '-list', '-v', '-keystore', at(`keys/${name}.p12`), '-storepass', PASSWORD),
  )?.[1];

describe('keystores that others made', () => {
  for (const type of ['JKS', 'JCEKS', 'PKCS12']) {
    readerTest('keytool', `of kind ${type} are adopted, and stay as they are`, async () => {
      const [file, name] = [at(`old.${type}`), type.toLowerCase()];
      keytool(file, type, 'upload');
      const before = readFileSync(file);
      const { code, err, said } = await adopt(file, name);
      expect(code, err).toBe(0);
      expect(readFileSync(file).equals(before)).toBe(true);
      const theirs = ask('keytool', '-list', '-v', '-keystore', file, '-storepass', OLD);
      expect(theirs).toContain(said.certificate.sha256);
      expect(newFingerprint(name)).toBe(said.certificate.sha256);
      expect(statSync(at(said.file)).mode & 0o777).toBe(0o600);
      expect(said.alias).toBe('upload');
      const wrong = await hull(['keys', 'import', file, '--as', 'other'], {
        cwd: dir,
        env: { HULL_KEY_PASSWORD: PASSWORD, HULL_OLD_KEY_PASSWORD: 'not this one' },
      });
      expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('HULL_OLD_KEY_PASSWORD')]);
    });
  }

  readerTest(
    'keytool',
    'with several keys, and keys with passwords of their own, are opened one by one',
    async () => {
      const file = at('several.jks');
      keytool(file, 'JKS', 'first');
      keytool(file, 'JKS', 'second', '-keypass', KEY);
      const unnamed = await adopt(file, 'several');
      expect(unnamed.code).toBe(2);
      expect(unnamed.err).toContain('keys.no-alias');
      expect(unnamed.err).toMatch(/"first".*"second"|"second".*"first"/);
      const wrong = await adopt(file, 'several', '--alias', 'third');
      expect(wrong.err).toContain('keys.no-alias');
      expect(wrong.err).toMatch(/"first".*"second"|"second".*"first"/);
      const bare = await adopt(file, 'several', '--alias', 'second');
      expect(bare.err).toContain('keys.wrong-key-password');
      expect(bare.err).toContain('--key-password-file');
      writeFileSync(at('key.txt'), KEY);
      const opened = await adopt(file, 'several', '--alias', 'second', '--key-password-file', at('key.txt'));
      expect(opened.code, opened.err).toBe(0);
      expect(opened.said.certificate.subject).toBe('CN=second of Saltmarsh Ferry');
      expect(existsSync(at('keys/several.p12'))).toBe(true);
      const again = await adopt(file, 'several', '--alias', 'first');
      expect(again.err).toContain('keys.exists');
    },
  );

  readerTest(
    'keytool',
    'are chosen from on a terminal, where a key’s own password is asked for',
    async () => {
      const file = at('asked.jks');
      keytool(file, 'JKS', 'first');
      keytool(file, 'JKS', 'second', '-keypass', KEY);
      const talk = await converse(`keys import ${file} --as asked`, dir, [
        ['Which key', 'second\r'],
        ['Password of', `${OLD}\r`],
        ['the key itself', `${KEY}\r`],
        ['New password', `${PASSWORD}\r`],
        ['The same again', `${PASSWORD}\r`],
      ]);
      expect(talk.out).toContain('imported from');
      for (const secret of [OLD, KEY, PASSWORD]) expect(talk.out).not.toContain(secret);
      expect(talk.out).toContain('CN=second of Saltmarsh Ferry');
      expect(talk.out).toContain(newFingerprint('asked'));
    },
  );

  readerTest('openssl', 'with the older encryption are read: 3DES, RC2 of 128 and of 40 bits', async () => {
    ask(
      'openssl',
      ...`req -x509 -newkey rsa:2048 -nodes -days 10 -keyout ${at('a.key')} -out ${at('a.crt')} -subj /CN=a`.split(
        ' ',
      ),
    );
    for (const [key, certificate] of [
      ['PBE-SHA1-3DES', 'PBE-SHA1-RC2-40'],
      ['PBE-SHA1-2DES', 'PBE-SHA1-RC2-128'],
      ['PBE-SHA1-RC2-40', 'PBE-SHA1-3DES'],
    ]) {
      const file = at(`${key}.p12`);
      ask(
        'openssl',
        ...`pkcs12 -export -legacy -keypbe ${key} -certpbe ${certificate} -macalg sha1 -inkey ${at('a.key')} -in ${at('a.crt')} -name ferry -out ${file} -passout pass:${OLD}`.split(
          ' ',
        ),
      );
      const { kind, entries } = await readAnyKeys(readFileSync(file), { store: OLD }, undefined);
      expect(kind).toBe('PKCS#12');
      expect(entries[0]?.alias).toBe('ferry');
      expect(entries[0]?.certificates).toHaveLength(1);
      await refused('keys.wrong-password', () =>
        readAnyKeys(readFileSync(file), { store: 'wrong one' }, undefined),
      );
    }
  });

  readerTest('openssl', 'in PEM and DER, of RSA and of elliptic curves, plain and encrypted', async () => {
    const make = (name: string, kind: string) =>
      ask(
        'openssl',
        ...`req -x509 -newkey ${kind} -nodes -days 10 -keyout ${at(`${name}.key`)} -out ${at(`${name}.crt`)} -subj /CN=${name}`.split(
          ' ',
        ),
      );
    make('rsa', 'rsa:2048');
    make('ec', 'ec -pkeyopt ec_paramgen_curve:P-256');
    const run = (line: string) => ask('openssl', ...line.split(' '));
    run(`rsa -in ${at('rsa.key')} -traditional -out ${at('pkcs1.pem')}`);
    run(`rsa -in ${at('rsa.key')} -traditional -outform DER -out ${at('pkcs1.der')}`);
    run(`ec -in ${at('ec.key')} -out ${at('sec1.pem')}`);
    run(`ec -in ${at('ec.key')} -outform DER -out ${at('sec1.der')}`);
    run(`pkcs8 -topk8 -in ${at('rsa.key')} -out ${at('pkcs8e.pem')} -passout pass:${OLD}`);
    run(`pkcs8 -topk8 -in ${at('rsa.key')} -outform DER -out ${at('pkcs8e.der')} -passout pass:${OLD}`);
    run(`rsa -in ${at('rsa.key')} -traditional -aes128 -out ${at('pkcs1e.pem')} -passout pass:${OLD}`);
    run(`pkcs8 -topk8 -nocrypt -in ${at('ec.key')} -outform DER -out ${at('pkcs8.der')}`);
    for (const [file, name] of [
      ['pkcs1.pem', 'rsa'],
      ['pkcs1.der', 'rsa'],
      ['pkcs8e.pem', 'rsa'],
      ['pkcs8e.der', 'rsa'],
      ['pkcs1e.pem', 'rsa'],
      ['sec1.pem', 'ec'],
      ['sec1.der', 'ec'],
      ['pkcs8.der', 'ec'],
    ] as const) {
      const ran = await adopt(at(file), `from-${file.replace('.', '-')}`, '--certificate', at(`${name}.crt`));
      expect(ran.code, `${file}: ${ran.err}`).toBe(0);
      expect(ran.said.certificate.subject).toBe(`CN=${name}`);
    }
    const none = await adopt(at('pkcs1.pem'), 'no-certificate');
    expect(none.err).toContain('keys.no-certificate');
    const other = await adopt(at('pkcs1.pem'), 'no-certificate', '--certificate', at('ec.crt'));
    expect(other.err).toContain('keys.no-certificate');
    await refused('keys.wrong-password', () =>
      readAnyKeys(readFileSync(at('pkcs8e.pem')), { store: 'wrong' }, undefined),
    );
  });

  readerTest('keytool', 'tell a wrong password from damage', async () => {
    const file = at('damage.jks');
    keytool(file, 'JKS', 'upload');
    const bytes = readFileSync(file);
    await refused('keys.wrong-password', () => readAnyKeys(bytes, { store: 'wrong one' }, undefined));
    const digest = Buffer.from(bytes);
    digest[digest.length - 1] = (digest.at(-1) as number) ^ 1;
    await refused('keys.damaged', () => readAnyKeys(digest, { store: OLD }, undefined));
    for (const length of [13, 60, 700, bytes.length - 5]) {
      await refused('keys.damaged', () => readAnyKeys(bytes.subarray(0, length), { store: OLD }, undefined));
    }
    await refused('keys.damaged', () =>
      readAnyKeys(Buffer.from('not a key at all'), { store: OLD }, undefined),
    );
  });

  readerTest('openssl', 'have their weaknesses told', () => {
    const made = (name: string, line: string) => {
      ask(
        'openssl',
        ...`req -x509 -nodes -keyout /dev/null -out ${at(`${name}.crt`)} -outform DER ${line}`.split(' '),
      );
      return weaknesses(readFileSync(at(`${name}.crt`)), new Date(), {}).map(({ code }) =>
        code.replace('keys.', ''),
      );
    };
    expect(made('w1', '-newkey rsa:1024 -sha1 -days 20 -subj /CN=old')).toEqual([
      'ends-too-soon',
      'short-key',
      'weak-digest',
    ]);
    expect(made('w2', '-newkey rsa:2048 -days 12000 -subj /CN=fine')).toEqual([]);
    ask(
      'openssl',
      ...`req -x509 -nodes -newkey rsa:2048 -keyout /dev/null -out ${at('w3.crt')} -outform DER -days 11000 -subj`.split(
        ' ',
      ),
      '/C=US/O=Android/CN=Android Debug',
    );
    expect(
      weaknesses(readFileSync(at('w3.crt')), new Date(), {}).map(({ code }) => code.replace('keys.', '')),
    ).toEqual(['debug-key']);
  });
});

describe.skipIf(reader('git') === undefined)('how keys are kept', () => {
  it('is told: modes, version control by its index and its rules, passwords written down', async () => {
    const home = temporaryFolder();
    writeFiles(home, {
      'site/index.html': '<!doctype html>',
      'hull.json': JSON.stringify({
        app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
        web: { folder: 'site' },
      }),
    });
    const git = (...words: string[]) => execFileSync('git', words, { cwd: home, stdio: 'pipe' });
    git('init', '-q');
    expect((await hull(['keys', 'new', '--bits', '2048', '--yes'], { cwd: home })).code).toBe(0);
    const check = async () => {
      const ran = await hull(['keys', 'check', '--json'], { cwd: home });
      const found = JSON.parse(ran.out).findings as {
        code: string;
        location: { file: string; line?: number };
      }[];
      return {
        code: ran.code,
        all: ran.out,
        codes: found.map((one) => one.code.replace('keys.', '')),
        locations: found.map(({ location }) => location),
      };
    };
    expect(await check()).toMatchObject({ code: 0, codes: [] });
    chmodSync(join(home, 'keys/release.p12'), 0o644);
    writeFileSync(join(home, 'keys/.gitignore'), '!release.p12\n');
    expect((await check()).codes).toEqual(['mode', 'not-ignored']);
    // Rules of folders above count too, and what a folder takes back.
    writeFileSync(join(home, '.gitignore'), '*.p12\n');
    expect((await check()).codes).toEqual(['mode', 'not-ignored']);
    writeFileSync(join(home, 'keys/.gitignore'), '');
    expect((await check()).codes).toEqual(['mode']);
    git('add', '-f', 'keys/release.p12');
    expect((await check()).codes).toEqual(['mode', 'tracked']);
    git('update-index', '--index-version', '4');
    expect((await check()).codes).toEqual(['mode', 'tracked']);
    writeFiles(home, {
      '.ci/run': `set -e\nexport HULL_KEY_PASSWORD=${PASSWORD}\n`,
      'ci.yml': 'env:\n  HULL_KEY_PASSWORD: $RELEASE_KEY\n',
      'app/gradle.properties': 'storePassword=hunter2hunter2\n',
    });
    const written = await check();
    expect(written.codes.filter((code) => code === 'password-written')).toHaveLength(2);
    expect(written.locations).toContainEqual({ file: '.ci/run', line: 2 });
    expect(written.locations).toContainEqual({ file: 'app/gradle.properties', line: 1 });
    expect(written.all).not.toContain(PASSWORD);
    expect(written.all).not.toContain('hunter2');
    const sheet = join(home, 'sheet.md');
    await hull(['keys', 'check', '--sheet', sheet], { cwd: home });
    const text = readFileSync(sheet, 'utf8');
    expect(text).toMatch(/SHA-256 \| ([0-9A-F]{2}:){31}/);
    expect(text).not.toContain(PASSWORD);
    expect((await hull(['keys', 'check', '--sheet', sheet], { cwd: home })).err).toContain('disk.exists');
  });
});

describe('a request for a certificate', () => {
  readerTest(
    'openssl',
    'verifies, its key opens, and what is issued is read as X.509 and as PKCS#7',
    async () => {
      writeFileSync(at('issuing.txt'), PASSWORD);
      const made = await hull(['keys', 'request', 'pending'], {
        cwd: dir,
        env: { HULL_KEY_PASSWORD: PASSWORD },
      });
      expect(made.code, made.err).toBe(0);
      const run = (line: string) => ask('openssl', ...line.split(' '));
      const request = at('keys/pending.csr');
      run(`req -in ${request} -noout -verify`);
      expect(run(`req -in ${request} -noout -text`)).toMatch(
        /Subject: CN ?= ?Saltmarsh Ferry[\s\S]*\(2048 bit\)/,
      );
      run(`pkey -in ${at('keys/pending.key.pem')} -passin file:${at('issuing.txt')} -noout -check`);
      run(
        `req -x509 -newkey rsa:2048 -nodes -keyout ${at('ca.key')} -out ${at('ca.pem')} -days 9 -subj /CN=Harbour`,
      );
      run(
        `x509 -req -in ${request} -CA ${at('ca.pem')} -CAkey ${at('ca.key')} -set_serial 7 -days 9 -out ${at('pending.pem')}`,
      );
      run(`x509 -in ${at('pending.pem')} -outform DER -out ${at('pending.cer')}`);
      const bundle = `crl2pkcs7 -nocrl -certfile ${at('pending.pem')} -certfile ${at('ca.pem')}`;
      run(`${bundle} -out ${at('pending.p7b')}`);
      run(`${bundle} -outform DER -out ${at('pending.p7c')}`);
      for (const [file, count] of [
        ['pending.pem', 1],
        ['pending.cer', 1],
        ['pending.p7b', 2],
        ['pending.p7c', 2],
      ] as const) {
        expect(readIssued(readFileSync(at(file))), file).toHaveLength(count);
      }
      expect(readIssued(readFileSync(at('keys/pending.key.pem')))).toBe(undefined);
      expect(readIssued(new TextEncoder().encode('no certificate'))).toBe(undefined);
      const joined = await hull(['keys', 'import', 'pending.p7b'], {
        cwd: dir,
        env: { HULL_KEY_PASSWORD: PASSWORD },
      });
      expect(joined.code, joined.err).toBe(0);
      run(
        `pkcs12 -in ${at('keys/pending.p12')} -passin file:${at('issuing.txt')} -nodes -out ${at('opened.pem')}`,
      );
      expect(readFileSync(at('opened.pem'), 'utf8').match(/BEGIN CERTIFICATE/g)).toHaveLength(2);
    },
  );
});
