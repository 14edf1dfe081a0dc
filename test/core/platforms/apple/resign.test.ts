import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { FileSource } from '../../../../src/core/formats/bytes/source.js';
import { readMachO } from '../../../../src/core/formats/macho/reader.js';
import { writeBinaryPlist } from '../../../../src/core/formats/plist/binary-writer.js';
import { readEntry, readZip } from '../../../../src/core/formats/zip/reader.js';
import { writeZip } from '../../../../src/core/formats/zip/writer.js';
import type { KeystoreEntry } from '../../../../src/core/keys/pkcs12.js';
import { inspectIpa } from '../../../../src/core/platforms/apple/inspect/inspect.js';
import { type IpaResignResult, resignIpa } from '../../../../src/core/platforms/apple/package/resign.js';
import { judgeProfile } from '../../../../src/core/platforms/apple/signing/judge-profile.js';
import { readProfile } from '../../../../src/core/platforms/apple/signing/profile.js';
import { verifyBundle } from '../../../../src/core/platforms/apple/signing/verify-bundle.js';
import type { ProfileRequest } from '../../../../src/drydock/apple-team.js';
import { ID, NOW, type TestTeam, testTeam } from '../../../support/apple.js';
import { refused } from '../../../support/errors.js';
import { packTestIpa } from '../../../support/ipa.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

/** Packages that another team signs again. */

const OTHER = 'OTHERTEAM1';
let team: TestTeam;
let other: KeystoreEntry;
let original: string;

beforeAll(async () => {
  team = await testTeam();
  other = await team.authority.developer({ team: OTHER, name: 'Apple Development: Other (DRYDOCK002)' });
  const dir = temporaryFolder();
  writeFiles(dir, {
    'hull.json': JSON.stringify({
      app: { id: ID, name: 'Saltmarsh Ferry', short_name: 'Ferry', version: '1.0.0', build: 1 },
      web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
      links: [{ host: 'ferry.saltmarsh.example' }],
    }),
    'site/index.html': '<!doctype html><title>Ferry</title>',
  });
  original = (await packTestIpa(dir)).file;
});

/** The package with more files, or others: path → content. */
async function changed(files: Readonly<Record<string, Uint8Array | undefined>>): Promise<string> {
  const source = await FileSource.open(original);
  const { entries } = await readZip(source);
  const all = new Map<string, Uint8Array>();
  for (const entry of entries) all.set(entry.path, new Uint8Array(await readEntry(source, entry)));
  await source.close();
  for (const [path, content] of Object.entries(files)) {
    if (content) all.set(path, content);
    else all.delete(path);
  }
  const file = join(temporaryFolder(), 'app.ipa');
  const list = [...all].map(([path, content]) => ({
    path,
    content,
    method: 'deflate' as const,
    alignment: 1,
  }));
  writeFileSync(file, await writeZip(list));
  return file;
}

async function sign(
  file: string,
  { out, ...changes }: Partial<ProfileRequest> & { readonly out?: string } = {},
): Promise<IpaResignResult> {
  const profileBytes = await team.profileBytes({
    team: OTHER,
    certificates: other.certificates.slice(0, 1),
    ...changes,
  });
  const profile = readProfile(profileBytes, team.root);
  const nowhere = { file };
  return resignIpa({
    ...{ file, out, profile, profileBytes, root: team.root },
    signer: { identity: other, team: OTHER, time: new Date('2026-01-02T03:04:05Z') },
    judge: (bundleId, entitlements) =>
      judgeProfile({
        ...{ profile, bundleId, team: undefined, certificates: other.certificates, entitlements },
        ...{ root: team.root, now: NOW },
        locations: {
          profile: nowhere,
          identity: nowhere,
          bundleId: nowhere,
          team: nowhere,
          links: nowhere,
        },
      }),
  });
}

const FOLDER = 'Payload/Ferry.app/';

describe('signing an .ipa again', () => {
  it('gives it another team, the profile, and what that allows; the original stays', async () => {
    const before = readFileSync(original);
    const result = await sign(original);
    if (result.is !== 'signed') throw new Error(JSON.stringify(result.findings));
    expect(result).toMatchObject({ bundleId: ID, team: OTHER, dropped: [], programs: [`${FOLDER}Shell`] });
    expect(result.file).toMatch(/-signed\.ipa$/);
    const facts = await inspectIpa(result.file, team.root);
    expect(facts.signature).toMatchObject({ verdict: 'verified', team: OTHER });
    expect(facts.profile?.team).toBe(OTHER);
    expect(facts.domains).toEqual(['applinks:ferry.saltmarsh.example']);
    expect(facts.entitlements.every(({ allowed }) => allowed)).toBe(true);
    expect(facts.entitlements.map(({ value }) => value).join()).not.toContain('SALTMARSH1');
    expect(readFileSync(original).equals(before)).toBe(true);
    // The same inputs give the same bytes.
    const again = await sign(original, { out: join(temporaryFolder(), 'again.ipa') });
    expect(
      again.is === 'signed' && (await inspectIpa(again.file, team.root)).slices[0]?.cdhash,
    ).toBeDefined();
  });

  it('leaves out, by name, what the profile does not allow', async () => {
    const result = await sign(original, { domains: 'none', out: join(temporaryFolder(), 'x.ipa') });
    expect(result).toMatchObject({ is: 'signed', dropped: ['com.apple.developer.associated-domains'] });
  });

  it('signs frameworks and libraries inside first, and seals them', async () => {
    const library = new Uint8Array(readFileSync('shell/apple/dist/device-arm64'));
    const framework = `${FOLDER}Frameworks/Tide.framework/`;
    const info = { CFBundleIdentifier: 'example.saltmarsh.tide', CFBundleExecutable: 'Tide' };
    const file = await changed({
      [`${framework}Tide`]: library,
      [`${framework}Info.plist`]: writeBinaryPlist(info),
      [`${framework}_CodeSignature/CodeResources`]: writeBinaryPlist({ files: {} }),
      [`${framework}table.json`]: new TextEncoder().encode('{}'),
      [`${FOLDER}Frameworks/libpier.dylib`]: library,
    });
    const result = await sign(file);
    if (result.is !== 'signed') throw new Error(JSON.stringify(result.findings));
    expect(result.programs).toEqual([
      `${FOLDER}Frameworks/libpier.dylib`,
      `${framework}Tide`,
      `${FOLDER}Shell`,
    ]);
    const source = await FileSource.open(result.file);
    const { entries } = await readZip(source);
    const report = await verifyBundle(source, entries, FOLDER, team.root);
    expect(report.faults).toEqual([]);
    expect(report.nested[0]).toMatchObject({ identifier: 'example.saltmarsh.tide', team: OTHER, faults: [] });
    const libraryEntry = entries.find(({ path }) => path.endsWith('libpier.dylib'));
    if (!libraryEntry) throw new Error('no library');
    expect(readMachO(await readEntry(source, libraryEntry)).signature).toBeDefined();
    await source.close();
  });

  it('refuses what would not install, and makes nothing', async () => {
    const out = join(temporaryFolder(), 'x.ipa');
    const result = await sign(original, { bundleId: 'example.saltmarsh.other', out });
    expect(result.is).toBe('refused');
    expect(result.findings.map(({ code }) => code)).toEqual(['profile.app-id']);
    expect(existsSync(out)).toBe(false);
  });

  it('refuses what only its maker can sign', async () => {
    // With one load command more: LC_ENCRYPTION_INFO_64, whose fifth word says how it is encrypted.
    const program = new Uint8Array(readFileSync('shell/apple/dist/device-arm64'));
    const { commandsEnd, commandCount } = readMachO(program);
    const words = new DataView(program.buffer);
    for (const [index, word] of [0x2c, 24, 0x4000, 0x4000, 1, 0].entries())
      words.setUint32(commandsEnd + 4 * index, word, true);
    words.setUint32(16, commandCount + 1, true);
    words.setUint32(20, commandsEnd + 24 - 32, true);
    const encrypted = await changed({ [`${FOLDER}Shell`]: program });
    expect((await refused('signing.unsupported', () => sign(encrypted))).message).toContain('encrypted');
    const plugin = `${FOLDER}PlugIns/Share.appex/`;
    const extended = await changed({
      [`${plugin}Share`]: new Uint8Array(readFileSync('shell/apple/dist/device-arm64')),
      [`${plugin}Info.plist`]: writeBinaryPlist({
        CFBundleIdentifier: `${ID}.share`,
        CFBundleExecutable: 'Share',
      }),
    });
    expect((await refused('signing.unsupported', () => sign(extended))).message).toContain('extension');
    await refused('disk.exists', () => sign(original, { out: original }));
    await refused('file.missing', () => sign('nowhere.ipa'));
  });
});
