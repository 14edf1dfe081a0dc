import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testTeam } from '../support/apple.js';
import { refusedWith } from '../support/ready-project.js';
import { type RunningStore, release, startStandIn } from '../support/store.js';
import { STORE_CONFIG, writeStoreIpa } from '../support/store-ipa.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** A release to Apple's store, from the command line. */

let dir: string;
let store: RunningStore;
const LISTING = `---
name: Saltmarsh Ferry
summary: Sailings, tickets and delays between the islands.
subtitle: Island sailings and tickets
keywords: [ferry, islands, tickets]
---

# Description

Every sailing of the Saltmarsh ferries.

# What’s new

Tickets open offline.
`;

function writeConfig(version: string, build: number): void {
  const config = {
    ...STORE_CONFIG(version, build),
    apple: { root: 'root.der' },
    release: {
      privacy: 'https://ferry.saltmarsh.example/privacy.html',
      contact: {
        email: 'crew@ferry.saltmarsh.example',
        website: 'https://ferry.saltmarsh.example/help.html',
      },
      apple: { track: 'Crew', testers: { Islanders: ['pier@ferry.saltmarsh.example'] } },
    },
  };
  writeFileSync(join(dir, 'hull.json'), JSON.stringify(config, null, 2));
}

beforeAll(async () => {
  dir = temporaryFolder();
  writeFiles(dir, {
    'site/index.html': '<!doctype html><html lang="en"><title>Ferry</title>',
    'listing/en.md': LISTING,
  });
  writeFileSync(join(dir, 'root.der'), (await testTeam()).authority.root);
  writeConfig('1.0.0', 1);
  const shots = join(dir, 'listing/pictures/apple-phone');
  mkdirSync(shots, { recursive: true });
  const image = sharp({ create: { width: 1290, height: 2796, channels: 3, background: '#0b466c' } });
  writeFileSync(join(shots, '01.png'), await image.png().toBuffer());
  await writeStoreIpa(join(dir, 'ferry-1.ipa'), { build: 1 });
  await writeStoreIpa(join(dir, 'ferry-2.ipa'), { build: 2, version: '1.1.0' });
  store = await startStandIn(dir, '--review', '1s');
}, 120_000);
afterAll(() => store.stop());

const hull = (...args: readonly string[]) => release(dir, args);
const json = async (...args: readonly string[]) => {
  const ran = await hull(...args, '--json');
  return { ...JSON.parse(ran.out), code: ran.code };
};

// Each test goes on from the one before, as a release does.
describe.sequential('a release to Apple’s store', () => {
  it('is shown before it is made, to the group that hull.json names', async () => {
    const ran = await hull('release', 'send', 'ferry-1.ipa', '--dry-run');
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('Would send 1.0.0 (1) on Crew');
    expect(ran.out).toContain('testers of Islanders');
    expect(ran.out).not.toContain('description');
  });

  it('goes to testers, and is not made twice', async () => {
    const sent = await json('release', 'send', 'ferry-1.ipa');
    expect(sent).toMatchObject({ code: 0, isSent: true, isStandIn: true, build: 1, track: 'Crew' });
    expect(await json('release', 'send', 'ferry-1.ipa')).toMatchObject({
      ...{ code: 0, isSent: false, isReleased: true, wasThere: true, changes: [] },
    });
  });

  it('goes to users with its listing, after a review', async () => {
    const sent = await hull('release', 'send', 'ferry-1.ipa', '--to', 'production');
    expect(sent.code, sent.err).toBe(0);
    expect(sent.out).toContain('en-US keywords');
    const waited = await hull('release', 'status', '--for', 'apple', '--wait', '--every', '1');
    expect(waited.code, waited.err).toBe(0);
    expect(waited.out).toMatch(/production\s+1\.0\.0 \(1\)\s+all users of the track, published/);
    expect((await json('release', 'send', 'ferry-1.ipa', '--to', 'production', '--dry-run')).changes).toEqual(
      [],
    );
  });

  it('moves from testers to users in phases that the store chooses, is halted and resumed', async () => {
    writeConfig('1.1.0', 2);
    expect((await json('release', 'send', 'ferry-2.ipa', '--to', 'Crew')).isSent).toBe(true);
    const wrong = await hull('release', 'move', 'Crew', 'production', '--share', '10%', '--for', 'apple');
    refusedWith(wrong, 'release.bad-share');
    const moved = await hull('release', 'move', 'Crew', 'production', '--share', '1%', '--for', 'apple');
    expect(moved.code, moved.err).toBe(0);
    await hull('release', 'status', '--for', 'apple', '--wait', '--every', '1');
    expect((await hull('release', 'halt', '--for', 'apple')).out).toContain('halted at 1 %');
    expect((await hull('release', 'resume', '--for', 'apple')).out).toContain('1 % of the users');
    refusedWith(await hull('release', 'rollout', '50%', '--for', 'apple'), 'release.bad-share');
    expect((await hull('release', 'rollout', '100%', '--for', 'apple')).code).toBe(0);
    const { tracks } = await json('release', 'status', '--for', 'apple');
    expect(tracks.find(({ track }: { track: string }) => track === 'production').releases[0]).toMatchObject({
      ...{ builds: [2], state: 'completed', review: 'published' },
    });
  });

  it('is checked first', async () => {
    const { stores } = await json('release', 'check', 'ferry-2.ipa');
    const [apple] = stores;
    expect(apple.store).toBe('apple');
    const codes = apple.findings.map(({ code }: { code: string }) => code);
    expect(codes).toContain('ipa.build');
    expect(codes).not.toContain('store.not-reached');
    expect(codes).not.toContain('package.apple-tools');
  });

  it('is refused with what was packed here, with another’s key, and with a map for crashes', async () => {
    await writeStoreIpa(join(dir, 'own.ipa'), { build: 3, sdk: 'none' });
    refusedWith(await hull('release', 'send', 'own.ipa'), 'release.not-sent');
    writeFileSync(join(dir, 'map.txt'), '');
    refusedWith(await hull('release', 'send', 'ferry-2.ipa', '--crash-map', 'map.txt'), 'release.not-sent');
    const { apple } = JSON.parse(readFileSync(join(dir, '.hull/store/running.json'), 'utf8')).accounts;
    const copied = join(temporaryFolder(), 'AuthKey_STRANGER.p8');
    writeFileSync(copied, readFileSync(apple));
    refusedWith(
      await hull('release', 'status', '--for', 'apple', '--account', copied, '--api', store.address),
      'store.no-account',
    );
    const file = join(dir, 'hull.json');
    writeFileSync(
      file,
      readFileSync(file, 'utf8').replace(
        '"apple": {\n      "track"',
        '"apple": {\n      "issuer": "somebody",\n      "track"',
      ),
    );
    refusedWith(
      await hull('release', 'status', '--for', 'apple', '--account', copied, '--api', store.address),
      'store.account-refused',
      3,
    );
  });
});
