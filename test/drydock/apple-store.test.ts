import { generateKeyPairSync, type KeyObject } from 'node:crypto';
import { mkdirSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import jsonwebtoken from 'jsonwebtoken';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readListing } from '../../src/core/listing/read.js';
import { readStoreKey, StoreTokens } from '../../src/core/store/apple/account.js';
import { AppleStore } from '../../src/core/store/apple/store.js';
import { contactChanges, pictureChanges, textChanges } from '../../src/core/store/release/plan.js';
import { withRelease } from '../../src/core/store/release/tracks.js';
import type { SentPackage, StoreEdit, StoreState, StoreTrack } from '../../src/core/store/types.js';
import { type StandInStore, startStore } from '../../src/drydock/store/store.js';
import { ID, testTeam } from '../support/apple.js';
import { writeStoreIpa } from '../support/store-ipa.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

let store: StandInStore;
let listing: string;
const packages = new Map<number, SentPackage>();
const notes: string[] = [];
const GROUP = 'Crew';

beforeAll(async () => {
  const { root } = await testTeam();
  store = await startStore({
    port: 0,
    folder: temporaryFolder(),
    apps: [],
    appleApps: [ID],
    appleRoot: root,
    review: undefined,
    onEvent: (text) => notes.push(text),
  });
  const dir = temporaryFolder();
  for (const build of [1, 2, 3]) {
    const version = build < 3 ? '1.0.0' : '1.1.0';
    const file = await writeStoreIpa(join(dir, `ferry-${build}.ipa`), { version, build });
    const { size } = statSync(file);
    packages.set(build, { file, kind: 'ipa', size, build, version });
  }
  listing = temporaryFolder();
  writeFiles(listing, {
    'en.md':
      '---\nname: Saltmarsh Ferry\nsubtitle: Island sailings and tickets\nkeywords: [ferry, islands]\n---\n\n# Description\n\nEvery sailing of the Saltmarsh ferries.\n\n# What’s new\n\nTickets open offline.\n',
    'de.md': '---\nname: Saltmarsch-Fähre\nkeywords: [Fähre]\n---\n\n# Description\n\nJede Abfahrt.\n',
  });
  const shot = join(listing, 'pictures/apple-phone/01.png');
  mkdirSync(dirname(shot), { recursive: true });
  writeFileSync(shot, await picture(1290, 2796));
}, 120_000);
afterAll(() => store.close());

const picture = (width: number, height: number) =>
  sharp({ create: { width, height, channels: 3, background: '#0b466c' } })
    .png()
    .toBuffer();

const clientOf = (key = 0, changes: { version?: string; bundleId?: string } = {}) =>
  new AppleStore({
    bundleId: ID,
    version: '1.0.0',
    privacy: 'https://ferry.saltmarsh.example/privacy.html',
    key: readStoreKey(
      store.apple.files[key] as string,
      key < 2 ? store.apple.issuer : store.apple.otherIssuer,
      {},
    ),
    address: store.address,
    access: {},
    ...changes,
  });

async function sendListing(edit: StoreEdit, client: AppleStore): Promise<string[]> {
  const state = await edit.state();
  const own = readListing(listing);
  const contact = {
    email: 'crew@ferry.saltmarsh.example',
    website: 'https://ferry.saltmarsh.example/help.html',
    privacy: 'https://ferry.saltmarsh.example/privacy.html',
  };
  const changes = [
    ...textChanges(own, state, 'apple'),
    ...contactChanges(contact, client.contacts, 'en-US', state, () => ({})),
    ...(await pictureChanges(own, edit, state, client)),
  ];
  for (const change of changes) await change.make(edit);
  return changes.map(({ what }) => what);
}

const trackOf = (state: StoreState, name: string) =>
  state.tracks.find((track) => track.name === name)?.releases ?? [];
const sent = (build: number): SentPackage => packages.get(build) as SentPackage;
const released = (build: number, share?: number) => {
  const { version } = sent(build);
  const release = {
    name: `${version} (${build})`,
    builds: [build],
    notes: new Map([['en-US', 'Tickets open offline.']]),
  };
  return (name: string, state: StoreState) =>
    withRelease(state.tracks.find((one) => one.name === name) ?? { name, releases: [] }, release, share);
};

/** The first version of all has no notes. */
const withoutNotes = ({ name, releases }: StoreTrack): StoreTrack => ({
  name,
  releases: releases.map((one) => ({ ...one, notes: new Map() })),
});

/** Decides on what waits for review, as somebody on the page. */
async function decide(
  track: string,
  builds: string,
  decision: 'approve' | 'reject',
  reason = '',
): Promise<void> {
  const answer = await fetch(`${store.address}/review`, {
    method: 'POST',
    headers: { authorization: `Bearer ${store.token}`, 'content-type': 'application/json' },
    body: JSON.stringify({ app: `apple/${ID}`, track, builds, decision, reason }),
  });
  expect(answer.status, await answer.text()).toBe(200);
}

describe('a key of Apple’s store', () => {
  it('signs tokens that another library verifies', async () => {
    const { privateKey, publicKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' });
    const file = join(temporaryFolder(), 'AuthKey_HARBOUR001.p8');
    writeFileSync(file, privateKey.export({ format: 'pem', type: 'pkcs8' }));
    const token = await new StoreTokens(readStoreKey(file, 'issuer-1', {})).token();
    const { header, payload } = jsonwebtoken.verify(token, publicKey, {
      algorithms: ['ES256'],
      issuer: 'issuer-1',
      audience: 'appstoreconnect-v1',
      complete: true,
    });
    expect(header).toMatchObject({ alg: 'ES256', kid: 'HARBOUR001' });
    const { iat = 0, exp = 0 } = payload as { iat?: number; exp?: number };
    expect(exp - iat).toBeLessThanOrEqual(20 * 60);
  });

  const pem = (key: KeyObject) => key.export({ format: 'pem', type: 'pkcs8' }) as string;
  const p256 = () => pem(generateKeyPairSync('ec', { namedCurve: 'P-256' }).privateKey);
  it.each([
    ['a file of another name', 'key.p8', p256(), 'store.bad-account'],
    ['what is no key', 'AuthKey_ABC.p8', 'nothing', 'store.bad-account'],
    [
      'an RSA key',
      'AuthKey_ABC.p8',
      pem(generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey),
      'store.bad-account',
    ],
    [
      'another curve',
      'AuthKey_ABC.p8',
      pem(generateKeyPairSync('ec', { namedCurve: 'P-384' }).privateKey),
      'store.bad-account',
    ],
  ])('refuses %s', (_what, name, content, code) => {
    const file = join(temporaryFolder(), name);
    writeFileSync(file, content);
    expect(() => readStoreKey(file, 'issuer-1', {})).toThrowError(expect.objectContaining({ code }));
  });

  it('is of somebody', () => {
    expect(() => readStoreKey(store.apple.files[0] as string, undefined, { file: 'hull.json' })).toThrowError(
      expect.objectContaining({ code: 'store.no-account', location: { file: 'hull.json' } }),
    );
  });
});

describe('Apple’s store at the stand-in', () => {
  it('knows nobody without a good token', async () => {
    const ask = async (authorization?: string) => {
      const answer = await fetch(`${store.address}/v1/apps`, {
        headers: authorization ? { authorization } : {},
      });
      return { status: answer.status, body: await answer.json() };
    };
    expect(await ask()).toMatchObject({
      status: 401,
      body: { errors: [{ status: '401', code: 'NOT_AUTHORIZED' }] },
    });
    const [file = ''] = store.apple.files;
    const { key, keyId, issuer } = readStoreKey(file, store.apple.issuer, {});
    const sign = (claims: object) =>
      jsonwebtoken.sign({ aud: 'appstoreconnect-v1', iss: issuer, ...claims }, pemOf(key), {
        algorithm: 'ES256',
        keyid: keyId,
      });
    const now = Math.floor(Date.now() / 1000);
    expect((await ask(`Bearer ${sign({ iat: now, exp: now + 600 })}`)).status).toBe(200);
    expect((await ask(`Bearer ${sign({ iat: now, exp: now + 3600 })}`)).status).toBe(401);
    expect((await ask(`Bearer ${sign({ iat: now - 3000, exp: now - 2000 })}`)).status).toBe(401);
    expect((await ask(`Bearer ${sign({ iat: now, exp: now + 600, iss: 'somebody' })}`)).status).toBe(401);
  });

  it('refuses those who may only look, and shows others nothing', async () => {
    await expect(
      clientOf(1).change((edit) => edit.setTesters('Fog horn', ['a@ferry.saltmarsh.example'])),
    ).rejects.toThrow(/may not do this/);
    await expect(clientOf(2).look((edit) => edit.state())).rejects.toThrow(/has no app/);
    await expect(clientOf(0, { bundleId: 'example.other' }).look((edit) => edit.state())).rejects.toThrow(
      /has no app/,
    );
  });

  it('gives a build to testers, with their notes', async () => {
    const client = clientOf();
    await client.change(async (edit) => {
      const state = await edit.state();
      expect(state.packages).toEqual([]);
      await edit.uploadPackage(sent(1));
      await edit.setTrack(released(1)(GROUP, state));
    });
    const state = await clientOf().look((edit) => edit.state());
    expect(trackOf(state, GROUP)).toMatchObject([
      { name: '1.0.0 (1)', builds: [1], state: 'completed', review: 'published' },
    ]);
    expect(trackOf(state, GROUP)[0]?.notes.get('en-US')).toBe('Tickets open offline.');
    expect(state.packages).toMatchObject([{ build: 1, digest: expect.stringMatching(/^[0-9a-f]{32}$/) }]);
    expect(trackOf(state, 'production')).toEqual([]);
  });

  it('makes a group for testers outside, who get a build after a review', async () => {
    const client = clientOf();
    const testers = ['pier@ferry.saltmarsh.example', 'buoy@ferry.saltmarsh.example'];
    await client.change(async (edit) => {
      await edit.setTesters('Islanders', testers);
      await edit.setTrack(released(1)('Islanders', await edit.state()));
    });
    const look = () =>
      clientOf().look(async (edit) => ({
        state: await edit.state(),
        emails: await edit.testers('Islanders'),
      }));
    const first = await look();
    expect([...first.emails].sort()).toEqual([...testers].sort());
    expect(trackOf(first.state, 'Islanders')).toMatchObject([{ review: 'in review' }]);
    await decide('external testing', '1', 'approve');
    expect(trackOf((await look()).state, 'Islanders')).toMatchObject([{ review: 'published' }]);
    await client.change((edit) => edit.setTesters('Islanders', testers.slice(0, 1)));
    expect((await look()).emails).toEqual(testers.slice(0, 1));
    await expect(
      client.change(async (edit) => edit.setTrack(released(1)('Nobody', await edit.state()))),
    ).rejects.toMatchObject({
      code: 'release.bad-track',
      fix: expect.anything(),
    });
  });

  it('refuses a version that is not whole, in words, and can go on', async () => {
    const client = clientOf();
    await expect(
      client.change(async (edit) =>
        edit.setTrack(withoutNotes(released(1)('production', await edit.state()))),
      ),
    ).rejects.toThrow(/You must provide a value for the description.*screenshot/s);
    expect(trackOf(await clientOf().look((edit) => edit.state()), 'production')).toMatchObject([
      { state: 'draft', review: 'not sent' },
    ]);
  });

  it('takes the listing, and the first version to its review', async () => {
    const client = clientOf();
    await client.change(async (edit) => {
      expect(await sendListing(edit, client)).toEqual([
        'de-DE name',
        'de-DE keywords',
        'de-DE description',
        'en-US name',
        'en-US subtitle',
        'en-US keywords',
        'en-US description',
        'contact email',
        'contact website',
        'privacy page',
        'de-DE pictures: Apple’s phones',
        'en-US pictures: Apple’s phones',
      ]);
      const state = await edit.state();
      expect(state.tracks.find(({ name }) => name === 'production')?.takesNotes).toBe(false);
      await edit.setTrack(withoutNotes(released(1)('production', state)));
    });
    await clientOf().look(async (edit) => {
      expect(await sendListing(refusing(edit), client)).toEqual([]);
      const state = await edit.state();
      expect(state.listings.find(({ language }) => language === 'de-DE')?.texts.get('Description')).toBe(
        'Jede Abfahrt.',
      );
      expect(trackOf(state, 'production')).toMatchObject([
        { name: '1.0.0 (1)', state: 'completed', review: 'in review' },
      ]);
    });
    await decide('production', '1', 'reject', 'The icon is blurred.');
    const state = await clientOf().look((edit) => edit.state());
    expect(trackOf(state, 'production')).toMatchObject([{ state: 'draft', review: 'rejected' }]);
  });

  it('publishes what is sent again, and updates in phases', async () => {
    await clientOf().change(async (edit) => {
      await edit.uploadPackage(sent(2));
      await edit.setTrack(withoutNotes(released(2)('production', await edit.state())));
    });
    await decide('production', '2', 'approve');
    const client = clientOf(0, { version: '1.1.0' });
    await client.change(async (edit) => {
      await edit.uploadPackage(sent(3));
      const state = await edit.state();
      expect(trackOf(state, 'production')).toMatchObject([{ builds: [2], review: 'published' }]);
      await edit.setTrack(released(3, 0.01)('production', state));
    });
    const look = () => client.look((edit) => edit.state());
    expect(trackOf(await look(), 'production')).toMatchObject([
      { builds: [3], state: 'in progress', share: 0.01, review: 'in review' },
      { builds: [2], state: 'completed', review: 'published' },
    ]);
    await decide('production', '3', 'approve');
    const [now] = trackOf(await look(), 'production');
    expect(now).toMatchObject({ state: 'in progress', share: 0.01, review: 'published' });
    expect(now?.notes.get('en-US')).toBe('Tickets open offline.');
    const set = (state: 'halted' | 'in progress' | 'completed') =>
      client.change(async (edit) => {
        const [release] = trackOf(await edit.state(), 'production');
        if (release)
          await edit.setTrack({
            name: 'production',
            releases: [{ ...release, state, share: state === 'completed' ? undefined : 0.01 }],
          });
      });
    await set('halted');
    expect(trackOf(await look(), 'production')[0]).toMatchObject({ state: 'halted' });
    await set('in progress');
    expect(trackOf(await look(), 'production')[0]).toMatchObject({ state: 'in progress' });
    await set('completed');
    expect(trackOf(await look(), 'production')[0]).toMatchObject({ state: 'completed', share: undefined });
  });

  it('leaves no version behind that it made in vain', async () => {
    const client = clientOf(0, { version: '1.2.0' });
    await expect(
      client.change(async (edit) => {
        await edit.setListing('en-US', new Map([['Description', 'x'.repeat(4001)]]));
      }),
    ).rejects.toMatchObject({ code: 'store.refused' });
    const state = await client.look((edit) => edit.state());
    expect(trackOf(state, 'production')).toMatchObject([{ name: '1.1.0 (3)' }]);
    expect(state.listings.find(({ language }) => language === 'en-US')?.texts.get('Description')).toBe(
      'Every sailing of the Saltmarsh ferries.',
    );
  });

  it.each([
    ['an old SDK', { sdk: 'iphoneos17.2' }, /SDK iphoneos17\.2/],
    ['no SDK', { sdk: 'none' as const }, /which SDK/],
    ['a profile for devices', { kind: 'ad hoc' as const }, /named devices/],
  ])('refuses a package with %s', async (_what, changes, words) => {
    const build = 9;
    const file = await writeStoreIpa(join(temporaryFolder(), 'ferry.ipa'), { build, ...changes });
    const { size } = statSync(file);
    await expect(
      clientOf().change((edit) => edit.uploadPackage({ file, kind: 'ipa', size, build, version: '1.0.0' })),
    ).rejects.toThrow(words);
  });

  it('refuses a build that was used, another than was announced, and a picture of another size', async () => {
    const { file, size } = sent(1);
    const upload = (changes: Partial<SentPackage>) =>
      clientOf().change((edit) =>
        edit.uploadPackage({ file, size, kind: 'ipa', build: 1, version: '1.0.0', ...changes }),
      );
    await expect(upload({})).rejects.toThrow(/has been used already/);
    await expect(upload({ build: 8 })).rejects.toThrow(/1\.0\.0 \(8\) was announced/);
    const wrong = join(temporaryFolder(), '01.png');
    writeFileSync(wrong, await picture(800, 600));
    const client = clientOf(0, { version: '1.3.0' });
    await expect(
      client.change((edit) => edit.setPictures({ language: 'en-US', type: 'APP_IPHONE_67' }, [wrong])),
    ).rejects.toMatchObject({ code: 'store.refused', location: { file: wrong } });
  });
});

const pemOf = (key: KeyObject) => key.export({ format: 'pem', type: 'pkcs8' }) as string;

/** An edit that lets itself be read, and nothing else. */
function refusing(edit: StoreEdit): StoreEdit {
  const no = async () => {
    throw new Error('nothing was to be changed');
  };
  return {
    leave: () => edit.leave(),
    state: () => edit.state(),
    pictures: (keys) => edit.pictures(keys),
    testers: (track) => edit.testers(track),
    uploadPackage: no,
    uploadCrashMap: no,
    setContact: no,
    setListing: no,
    setPictures: no,
    setTrack: no,
    setTesters: no,
  };
}
