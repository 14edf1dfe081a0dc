import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { hull } from '../support/hull.js';
import { ICON, ID, PAGE, refusedWith } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** Packages for Apple's devices, by the built program. */

let dir: string;
const drive = (...words: string[]) => hull(words, { cwd: dir });
const config = () => JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8').replace(/^\s*\/\/.*$/gm, ''));
const change = (edit: (config: Record<string, Record<string, unknown>>) => void) => {
  const changed = config();
  edit(changed);
  writeFileSync(join(dir, 'hull.json'), JSON.stringify(changed));
};

beforeAll(async () => {
  dir = temporaryFolder();
  writeFiles(dir, { 'site/index.html': PAGE, 'site/icon.svg': ICON });
  expect((await drive('begin', 'site', '--id', ID, '--icon', 'site/icon.svg', '--yes')).code).toBe(0);
});

describe('hull pack ipa', () => {
  it('says what it needs, and packs for simulators without any of it', async () => {
    refusedWith(await drive('pack', 'ipa'), 'apple.no-identity');
    const simulator = await drive('pack', 'ipa', '--simulator');
    expect(simulator.code, simulator.err).toBe(0);
    expect(simulator.out).toMatch(/-simulator\.zip {2}.*signed by nobody, read back and verified/);
    expect(simulator.err).toContain('Stores take only what Apple’s own SDK built');
  });

  it('is tried with a team of the drydock, which is made once', async () => {
    const made = await drive('drydock', 'team');
    expect(made.code, made.err).toBe(0);
    expect(made.out).toContain('Test team SALTMARSH1');
    expect(statSync(join(dir, 'keys/apple-test.p12')).mode & 0o077).toBe(0);
    expect(readFileSync(join(dir, 'keys/.gitignore'), 'utf8')).toContain('*');
    const before = readFileSync(join(dir, 'keys/apple-test.p12'));
    refusedWith(await drive('drydock', 'team'), 'keys.exists');
    change(({ apple }) => {
      for (const key of ['key', 'profile', 'root']) delete (apple as Record<string, unknown>)[key];
    });
    refusedWith(await drive('drydock', 'team'), 'keys.exists');
    expect(readFileSync(join(dir, 'keys/apple-test.p12')).equals(before)).toBe(true);
    change((whole) => {
      Object.assign(whole.apple as object, {
        key: 'apple-test',
        profile: 'keys/apple-test.mobileprovision',
        root: 'keys/apple-test-root.pem',
      });
    });
    const packed = await drive('pack', 'ipa');
    expect(packed.code, packed.err).toBe(0);
    expect(packed.out).toContain('signed, read back and verified');
    expect(packed.out).toContain('development, team SALTMARSH1, 1 device');
    expect(packed.err).toContain('signed below a test authority');
    for (const line of `${packed.out}${packed.err}`.split('\n'))
      expect(line.length, line).toBeLessThanOrEqual(120);
  });

  it('packs nothing where identity, profile and app do not fit, and says what does not', async () => {
    const files = readdirSync(join(dir, 'out')).length;
    change((whole) => {
      Object.assign(whole.apple as object, { id: 'example.saltmarsh.other' });
    });
    const ran = await drive('pack', 'ipa', '--json');
    expect(ran.code).toBe(1);
    const { packed, findings, ok } = JSON.parse(ran.out);
    expect(packed).toBe(null);
    expect(ok).toBe(false);
    expect(findings.map(({ code }: { code: string }) => code)).toEqual(['profile.app-id']);
    expect(findings[0].location).toMatchObject({ file: 'hull.json', pointer: '/apple/id' });
    const text = await drive('pack', 'ipa');
    expect(text.out).toContain('Not packed:');
    expect(readdirSync(join(dir, 'out')).length).toBe(files);
    change((whole) => {
      delete (whole.apple as Record<string, unknown>).id;
    });
  });

  it('names what it cannot read', async () => {
    writeFiles(dir, { 'a.mobileprovision': 'a page, not a profile' });
    refusedWith(await drive('pack', 'ipa', '--profile', 'a.mobileprovision'), 'profile.malformed');
    refusedWith(await drive('pack', 'ipa', '--profile', 'gone.mobileprovision'), 'file.missing');
    refusedWith(await drive('pack', 'ipa', '--key', 'gone'), 'apple.no-identity');
    const wrong = await hull(['pack', 'ipa'], { cwd: dir, env: { HULL_KEY_PASSWORD: 'not-this-one' } });
    refusedWith(wrong, 'keys.wrong-password');
  });
});

describe('hull inspect', () => {
  const ipa = () => join('out', readdirSync(join(dir, 'out')).find((name) => name.endsWith('.ipa')) ?? '?');

  it('reads an .ipa: as text, as JSON, and whether it verifies', async () => {
    const text = await drive('inspect', ipa());
    expect(text.code, text.err).toBe(0);
    for (const part of [
      'Permissions',
      'Privacy manifest',
      'verifies',
      'Profile and entitlements',
      'no asset catalog',
    ]) {
      expect(text.out, part).toContain(part);
    }
    const { signature, slices, findings } = JSON.parse(
      (await drive('inspect', ipa(), '--json', '--verify')).out,
    );
    expect(signature).toMatchObject({ verifies: true, team: 'SALTMARSH1' });
    expect(slices).toHaveLength(1);
    expect(findings[0].location.file).toBe(ipa());
    // From another folder the test authority is nobody's.
    const elsewhere = await hull(['inspect', join(dir, ipa()), '--verify'], { cwd: temporaryFolder() });
    expect(elsewhere.code).toBe(1);
    expect(elsewhere.out).toContain('does not verify');
    expect(elsewhere.out).toContain('Its profile cannot be trusted');
  });

  it('finds the byte that was changed', async () => {
    const bytes = readFileSync(join(dir, ipa()));
    const at = bytes.indexOf('PNG');
    bytes.writeUInt8(bytes.readUInt8(at + 200) ^ 1, at + 200);
    writeFileSync(join(dir, 'changed.ipa'), bytes);
    const ran = await drive('inspect', 'changed.ipa', '--verify');
    expect(ran.code).toBe(2);
    expect(ran.err).toContain('zip.malformed');
    expect(existsSync(join(dir, 'changed.ipa'))).toBe(true);
  });
});

describe('hull compare', () => {
  const [first, second] = [`out/${ID}-1.0.0-1.ipa`, `out/${ID}-1.0.0-2.ipa`];

  it('judges updates of an .ipa, and refuses packages of two platforms', async () => {
    expect((await drive('compare', first, first)).code).toBe(1);
    writeFileSync(join(dir, 'site/index.html'), `${PAGE}<!-- winter timetable -->`);
    expect((await drive('version', 'build')).code).toBe(0);
    expect((await drive('pack', 'ipa')).code).toBe(0);
    const same = await drive('compare', first, second);
    expect(same.code, same.out).toBe(0);
    expect(same.out).toMatch(/1\.0\.0 \(1\) can be updated to 1\.0\.0 \(2\)/);
    expect(same.out).toContain('site/index.html');
    expect(same.out).not.toContain('CodeResources');
    const back = await drive('compare', second, first, '--json');
    expect(back.code).toBe(1);
    const { updates, findings, old } = JSON.parse(back.out);
    expect(updates).toBe(false);
    expect(findings.map(({ code }: { code: string }) => code)).toEqual(['compare.build']);
    expect(old).toMatchObject({ id: ID, build: '2' });
    expect((await drive('compare', first, second, '--format', 'markdown')).out).toContain('### ');
    expect((await drive('keys', 'new')).code).toBe(0);
    expect((await drive('pack', 'apk')).code).toBe(0);
    refusedWith(await drive('compare', `out/${ID}-1.0.0-2.apk`, second), 'package.unknown');
  });
});

describe('hull sign and hull inspect --html', () => {
  it('sign a package again, verify it, and draw the map of its sizes', async () => {
    const file = `out/${ID}-1.0.0-2.ipa`;
    const before = readFileSync(join(dir, file));
    const signed = await drive('sign', file, '--out', 'again.ipa');
    expect(signed.code, signed.err).toBe(0);
    expect(signed.out).toContain('signed, read back and verified');
    const json = JSON.parse((await drive('sign', file, '--json')).out);
    expect(json).toMatchObject({ kind: 'ipa', is: 'signed', bundleId: ID, team: 'SALTMARSH1', dropped: [] });
    expect(readFileSync(join(dir, file)).equals(before)).toBe(true);
    const verified = await drive('sign', 'again.ipa', '--verify-only');
    expect([verified.code, verified.out]).toEqual([0, expect.stringContaining('again.ipa verifies')]);
    expect(JSON.parse((await drive('sign', 'again.ipa', '--verify-only', '--json')).out)).toMatchObject({
      kind: 'ipa',
      schemes: [{ scheme: 'code', state: 'verified' }],
    });
    change(({ apple }) => {
      (apple as Record<string, unknown>).root = undefined;
    });
    // Without the test authority's root, nobody trusts it.
    expect((await drive('sign', 'again.ipa', '--verify-only')).code).toBe(1);
    change(({ apple }) => {
      (apple as Record<string, unknown>).root = 'keys/apple-test-root.pem';
    });
    const map = await drive('inspect', file, '--html', 'sizes.html');
    expect(map.code, map.err).toBe(0);
    const page = readFileSync(join(dir, 'sizes.html'), 'utf8');
    expect(page).toContain('web content');
    expect(page).toMatch(/<title>site\/index\.html|hull\/site\/index\.html/);
  });
});
