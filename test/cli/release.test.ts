import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readServiceAccount } from '../../src/core/store/android/account.js';
import { AndroidStore } from '../../src/core/store/android/store.js';
import type { StoreTrack } from '../../src/core/store/types.js';
import { THOROUGH } from '../support/readers.js';
import { ID, refusedWith } from '../support/ready-project.js';
import {
  bundleOf,
  packBuild,
  type RunningStore,
  releasableProject,
  release,
  startStandIn,
} from '../support/store.js';
import { temporaryFolder } from '../support/temporary.js';

let dir: string;
let store: RunningStore;

beforeAll(async () => {
  dir = await releasableProject();
  store = await startStandIn(dir, '--review', '5s');
}, 120_000);
afterAll(() => store.stop());

const json = async (...args: readonly string[]) => {
  const ran = await release(dir, [...args, '--json']);
  return { ...JSON.parse(ran.out), code: ran.code };
};
const releasesOf = (
  status: {
    tracks: { track: string; releases: { builds: number[]; state: string; share: number | null }[] }[];
  },
  name: string,
) =>
  (status.tracks.find(({ track }) => track === name)?.releases ?? []).map(({ builds, state, share }) => [
    builds[0],
    state,
    share,
  ]);

// Each test goes on from the one before, as a release does.
describe.sequential('a release at the stand-in', () => {
  it('is shown before it is made', async () => {
    const ran = await release(dir, ['release', 'send', '--to', 'internal', '--dry-run']);
    expect(ran.code, ran.err).toBe(0);
    expect(ran.out).toContain('nothing is published');
    expect(ran.out).toContain('Would send 1.0.0 (1) on internal');
    expect(ran.out).toContain('en-US app name  + "Saltmarsh Ferry"');
    expect(ran.out).toMatch(/listing\/en\.md:2/);
    expect((await json('release', 'status')).tracks).toEqual([]);
  });

  it('is made, and waited for', async () => {
    const sent = await json('release', 'send', '--to', 'internal');
    expect(sent).toMatchObject({ code: 0, isSent: true, isStandIn: true, build: 1, track: 'internal' });
    expect(sent.changes.map(({ what }: { what: string }) => what)).toEqual([
      'en-US app name',
      'en-US short description',
      'en-US full description',
      'default language',
      'contact email',
      'en-US pictures: the icon',
      'en-US pictures: the feature graphic',
      'en-US pictures: phones',
    ]);
    const waited = await release(dir, ['release', 'status', '--wait', '--every', '1']);
    expect(waited.code).toBe(0);
    expect(waited.out).toContain('published');
    expect(waited.out).toContain(`testers of internal join at ${store.address}/apps/testing/`);
    expect(waited.err).toMatch(/build 1 on internal: published/);
  });

  it('is not made twice', async () => {
    const again = await json('release', 'send', '--to', 'internal');
    expect(again).toMatchObject({ code: 0, isSent: false, isReleased: true, wasThere: true, changes: [] });
  });

  it('sends only the texts and pictures that changed', async () => {
    const file = join(dir, 'listing/en.md');
    writeFileSync(file, readFileSync(file, 'utf8').replace('between the islands', 'at five piers'));
    rmSync(join(dir, 'listing/pictures/phone/02.png'));
    mkdirSync(join(dir, 'listing/pictures/phone'), { recursive: true });
    writeFileSync(
      join(dir, 'listing/pictures/phone/03.png'),
      readFileSync(join(dir, 'listing/pictures/phone/01.png')),
    );
    const { changes } = await json('release', 'send', '--to', 'internal', '--dry-run');
    expect(changes).toMatchObject([
      {
        what: 'en-US short description',
        after: 'Sailings, tickets and delays at five piers.',
        location: { line: 3 },
      },
      { what: 'en-US pictures: phones', before: '2', after: '2' },
    ]);
    expect((await json('release', 'send', '--to', 'internal')).isSent).toBe(true);
    expect((await json('release', 'send', '--to', 'internal', '--dry-run')).changes).toEqual([]);
  });

  it('moves to another track, in shares, is halted and resumed', async () => {
    expect((await release(dir, ['release', 'move', 'internal', 'production'])).code).toBe(0);
    await packBuild(dir, 2);
    expect((await release(dir, ['release', 'send', '--to', 'internal'])).code).toBe(0);
    const moved = await release(dir, ['release', 'move', 'internal', 'production', '--share', '10%']);
    expect(moved.out).toMatch(/1\.0\.0 \(2\)\s+10 % of the users/);
    await release(dir, ['release', 'rollout', '50%']);
    expect(releasesOf(await json('release', 'status'), 'production')).toEqual([
      [2, 'in progress', 0.5],
      [1, 'completed', null],
    ]);
    await release(dir, ['release', 'halt']);
    expect(releasesOf(await json('release', 'status'), 'production')[0]).toEqual([2, 'halted', 0.5]);
    refusedWith(await release(dir, ['release', 'halt']), 'release.bad-track');
    await release(dir, ['release', 'resume']);
    await release(dir, ['release', 'rollout', '100%']);
    expect(releasesOf(await json('release', 'status'), 'production')).toEqual([[2, 'completed', null]]);
  });

  it('is refused with another package as the same build, or an older one', async () => {
    const older = await release(dir, ['release', 'send', bundleOf(dir, 1), '--to', 'production']);
    refusedWith(older, 'release.build-used');
    writeFileSync(join(dir, 'site/other.html'), '<!doctype html><title>Other</title>');
    await packBuild(dir, 2);
    refusedWith(await release(dir, ['release', 'send', '--to', 'internal']), 'release.build-used');
  });

  it('is refused to those who may not, in words', async () => {
    expect((await release(dir, ['release', 'status'])).out).not.toContain('not sent');
    await packBuild(dir, 3);
    const [, look = '', other = ''] = store.accounts;
    const looking = await release(dir, [
      'release',
      'send',
      '--to',
      'beta',
      '--account',
      look,
      '--api',
      store.address,
    ]);
    refusedWith(looking, 'store.refused', 3);
    expect(looking.err).toContain('lookout@drydock.example may not do this');
    expect((await release(dir, ['release', 'status', '--account', look, '--api', store.address])).code).toBe(
      0,
    );
    const foreign = await release(dir, ['release', 'status', '--account', other, '--api', store.address]);
    refusedWith(foreign, 'store.refused', 3);
    expect((await json('release', 'status')).newestBuild).toBe(2);
  });

  it('has one stand-in for a project', async () => {
    refusedWith(await release(dir, ['drydock', 'store']), 'file.locked', 3);
  });

  it('is refused with a key inside the project, or none', async () => {
    const inside = join(dir, 'account.json');
    writeFileSync(inside, readFileSync(store.accounts[0] as string));
    refusedWith(await release(dir, ['release', 'status', '--account', inside]), 'store.account-in-project');
    rmSync(inside);
    refusedWith(
      await release(dir, ['release', 'status', '--account', join(dir, 'hull.json')]),
      'store.account-in-project',
    );
    const empty = join(temporaryFolder(), 'none.json');
    refusedWith(await release(dir, ['release', 'status', '--account', empty]), 'file.missing');
  });

  it('waits for somebody who sends it for review, where that is asked for', async () => {
    expect((await release(dir, ['release', 'send', '--to', 'internal', '--no-review'])).code).toBe(0);
    const held = await release(dir, ['release', 'status']);
    expect(held.out).toMatch(/1\.0\.0 \(3\)\s+all users of the track, not sent for review yet/);
  });

  it('leaves nothing half-done where the store refuses it', async () => {
    const file = join(dir, 'listing/pictures/phone/01.png');
    const before = readFileSync(file);
    writeFileSync(file, readFileSync(join(dir, 'listing/pictures/icon.png')).subarray(0, 300));
    const ran = await release(dir, ['release', 'send', '--to', 'beta']);
    refusedWith(ran, 'store.refused', 3);
    expect(ran.err).toContain('phone/01.png');
    writeFileSync(file, before);
    const { tracks, newestBuild } = await json('release', 'status');
    expect(newestBuild).toBe(3);
    expect(tracks.map(({ track }: { track: string }) => track)).not.toContain('beta');
  });

  it('is lost by one of two who release at once, who is told', async () => {
    const file = await packBuild(dir, 4);
    const mine = new AndroidStore({
      packageName: ID,
      account: readServiceAccount(store.accounts[0] as string),
      address: store.address,
      access: {},
    });
    const lost = mine.change(async (edit) => {
      const { tracks } = await edit.state();
      const other = await release(dir, ['release', 'send', file, '--to', 'alpha']);
      expect(other.code, other.err).toBe(0);
      // What was read is out of date by now.
      await edit.setTrack({ ...(tracks[0] as StoreTrack), releases: [] });
    });
    await expect(lost).rejects.toMatchObject({ code: 'store.refused', fix: expect.anything() });
    const status = await json('release', 'status');
    expect(releasesOf(status, 'alpha')).toEqual([[4, 'completed', null]]);
    expect(releasesOf(status, 'internal')).toEqual([[3, 'completed', null]]);
  });
});

describe('a stand-in with trouble', () => {
  let own: string;
  beforeAll(async () => {
    own = await releasableProject();
  }, 60_000);

  // A cut line is tried at every place by release-upload.test.ts.
  it.concurrent.each(THOROUGH ? ['429', 'drop'] : ['429'])(
    '%s: the release gets through',
    async (fault) => {
      const troubled = await startStandIn(own, '--fault', fault, '--state', temporaryFolder());
      const reached = ['--account', troubled.accounts[0] as string, '--api', troubled.address];
      try {
        const ran = await release(own, ['release', 'send', '--to', 'internal', ...reached]);
        expect(ran.code, ran.err).toBe(0);
        expect(ran.err).toContain('trying again');
        const status = await release(own, ['release', 'status', '--json', ...reached]);
        expect(JSON.parse(status.out).tracks).toMatchObject([
          { track: 'internal', releases: [{ builds: [1], review: 'in review' }] },
        ]);
      } finally {
        await troubled.stop();
      }
    },
    120_000,
  );

  it('rejects, and says why it was not published', async () => {
    const strict = await startStandIn(
      own,
      '--state',
      temporaryFolder(),
      '--review',
      '100ms',
      '--reject',
      'The icon is blurred.',
    );
    try {
      expect((await release(own, ['release', 'send', '--to', 'internal'])).code).toBe(0);
      const status = await release(own, ['release', 'status', '--wait', '--every', '1']);
      expect(status.code).toBe(1);
      expect(status.out).toContain('rejected by the store');
    } finally {
      await strict.stop();
    }
    // Without a stand-in there is nobody to release to.
    refusedWith(await release(own, ['release', 'status']), 'store.no-account');
  }, 60_000);
});

describe.sequential('a catalog at the stand-in', () => {
  const catalog = (changes: object = {}) =>
    JSON.stringify({
      currency: 'EUR',
      items: {
        day_ticket: {
          kind: 'one-time',
          texts: { en: { title: 'Day ticket', description: 'Every sailing until midnight.' } },
          price: '4.50',
          prices: { JP: '650 JPY' },
          ...changes,
        },
        season_pass: {
          kind: 'subscription',
          texts: { en: { title: 'Season pass', benefits: ['All islands'] } },
          price: '29.00',
          period: 'P1M',
          trial: 'P7D',
        },
      },
    });
  const write = (changes?: object) => writeFileSync(join(dir, 'catalog.json'), catalog(changes));

  it('is checked and compared, and sent only when that is confirmed', async () => {
    write();
    expect((await json('catalog', 'check')).findings).toEqual([]);
    const compared = await json('catalog', 'compare');
    expect(compared.changes.map((one: { do: string; id: string }) => [one.do, one.id])).toEqual([
      ['create', 'day_ticket'],
      ['create', 'season_pass'],
    ]);
    refusedWith(await release(dir, ['catalog', 'send']), 'catalog.final');
    expect((await json('catalog', 'send', '--yes')).isSent).toBe(true);
    expect((await json('catalog', 'compare')).changes.map((one: { do: string }) => one.do)).toEqual([
      'activate',
      'activate',
    ]);
    expect((await json('catalog', 'send', '--activate')).isSent).toBe(true);
    expect((await json('catalog', 'compare')).changes).toEqual([]);
  });

  it('sends what differs, and nothing of what is faulty or means something else', async () => {
    write({ price: '5.00', prices: { JP: '700 JPY' } });
    const { changes } = await json('catalog', 'compare');
    expect(changes).toMatchObject([
      {
        do: 'update',
        id: 'day_ticket',
        fields: [
          { field: 'price', before: '4.50 EUR', after: '5.00 EUR' },
          { field: 'price in JP', before: '650 JPY', after: '700 JPY' },
        ],
      },
    ]);
    expect((await json('catalog', 'send', '--yes')).isSent).toBe(true);
    // Limits of prices are the store's own.
    write({ price: '5000.00' });
    refusedWith(await release(dir, ['catalog', 'compare']), 'catalog.price-refused');
    write({ prices: { JP: '700.5 JPY' } });
    refusedWith(await release(dir, ['catalog', 'send', '--yes']), 'catalog.faulty');
    expect((await release(dir, ['catalog', 'check'])).code).toBe(1);
    write({ kind: 'subscription', period: 'P1M' });
    refusedWith(await release(dir, ['catalog', 'send', '--yes']), 'catalog.other-item');
  });
});

describe('what is in the way of a release', () => {
  it('is named, and goes away when its cause does', async () => {
    const own = await releasableProject();
    const check = async () =>
      JSON.parse((await release(own, ['release', 'check', '--for', 'android', '--json'])).out);
    const before = await check();
    const codes = before.stores[0].findings.map(({ code }: { code: string }) => code);
    // The host of the privacy page is made up: nobody answers there.
    expect(codes.slice(0, 2)).toEqual(['policy.page-unreachable', 'policy.minimum-functionality']);
    expect(codes).toContain('console.content-rating');
    expect(before.stores[0].notJudged[0]).toContain('no account of the store is named');
    const config = join(own, 'hull.json');
    writeFileSync(
      config,
      readFileSync(config, 'utf8').replace(
        '"privacy"',
        '"done": { "content_rating": "2026-11-29" }, "privacy"',
      ),
    );
    writeFileSync(
      join(own, 'site/sign-in.html'),
      '<!doctype html><title>In</title><form><input type="password"></form>',
    );
    const after = (await check()).stores[0].findings.map(({ code }: { code: string }) => code);
    expect(after).not.toContain('console.content-rating');
    expect(after).toContain('policy.account-deletion');
    expect(after).toContain('console.app-access');
  }, 60_000);

  it('has a first listing from the manifest, which is never written over', async () => {
    const own = temporaryFolder();
    mkdirSync(join(own, 'site'));
    const shot = await sharp({ create: { width: 540, height: 1170, channels: 4, background: '#0b4f6c80' } })
      .png()
      .toBuffer();
    writeFileSync(join(own, 'site/shot.png'), shot);
    writeFileSync(
      join(own, 'site/index.html'),
      '<!doctype html><link rel="manifest" href="m.webmanifest"><title>Ferry</title>',
    );
    writeFileSync(
      join(own, 'site/m.webmanifest'),
      JSON.stringify({
        name: 'Ferry',
        description: 'Sailings and tickets.',
        screenshots: [{ src: 'shot.png', sizes: '540x1170' }, { src: 'gone.png' }],
      }),
    );
    writeFileSync(
      join(own, 'hull.json'),
      JSON.stringify({
        app: { id: 'example.saltmarsh.ferry', name: 'Ferry', version: '1.0.0', build: 1 },
        web: { folder: 'site' },
      }),
    );
    const first = await release(own, ['release', 'listing', '--json']);
    expect(JSON.parse(first.out).written).toHaveLength(2);
    expect(first.out).toContain('gone.png');
    expect(readFileSync(join(own, 'listing/en.md'), 'utf8')).toContain('summary: "Sailings and tickets."');
    expect(await sharp(join(own, 'listing/pictures/phone/01.png')).metadata()).toMatchObject({
      width: 585,
      height: 1170,
      hasAlpha: false,
    });
    writeFileSync(join(own, 'listing/en.md'), 'mine');
    const again = JSON.parse((await release(own, ['release', 'listing', '--json'])).out);
    expect(again).toMatchObject({ written: [], kept: ['listing/en.md', 'listing/pictures/phone/01.png'] });
    expect(readFileSync(join(own, 'listing/en.md'), 'utf8')).toBe('mine');
  });
});
