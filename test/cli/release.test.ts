import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { refusedWith } from '../support/ready-project.js';
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
  store = await startStandIn(dir, '--review', '1500ms');
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

  it('leaves nothing half-done where the store refuses it', async () => {
    const file = join(dir, 'listing/pictures/phone/01.png');
    const before = readFileSync(file);
    writeFileSync(file, readFileSync(join(dir, 'listing/pictures/icon.png')).subarray(0, 300));
    const ran = await release(dir, ['release', 'send', '--to', 'beta']);
    refusedWith(ran, 'store.refused', 3);
    expect(ran.err).toContain('phone/01.png');
    writeFileSync(file, before);
    const { tracks, newestBuild } = await json('release', 'status');
    expect(newestBuild).toBe(2);
    expect(tracks.map(({ track }: { track: string }) => track)).not.toContain('beta');
  });

  it('is lost by one of two who release at once, who is told', async () => {
    const one = await packBuild(dir, 4);
    const other = await packBuild(dir, 5);
    const account = store.accounts[0] as string;
    // Another account of the same owner would be another person; here the second edit of one account ends the first.
    const [first, second] = await Promise.all([
      release(dir, ['release', 'send', one, '--to', 'alpha', '--account', account, '--api', store.address]),
      release(dir, ['release', 'send', other, '--to', 'beta', '--account', account, '--api', store.address]),
    ]);
    const codes = [first.code, second.code].sort();
    expect(codes, first.err + second.err).toEqual([0, 3]);
    const loser = first.code === 0 ? second : first;
    refusedWith(loser, 'store.refused', 3);
    const { tracks } = await json('release', 'status');
    const names = tracks.map(({ track }: { track: string }) => track);
    expect(names.filter((name: string) => name === 'alpha' || name === 'beta')).toHaveLength(1);
  });
});

describe('a stand-in with trouble', () => {
  let own: string;
  beforeAll(async () => {
    own = await releasableProject();
  }, 60_000);

  it.concurrent.each(['429', '500', 'drop'])(
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
