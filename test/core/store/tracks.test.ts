import { describe, expect, it } from 'vitest';
import {
  halted,
  moved,
  readShare,
  resumed,
  withRelease,
  withShare,
} from '../../../src/core/store/release/tracks.js';
import type { StoreRelease, StoreState } from '../../../src/core/store/types.js';

const release = (build: number, more: Partial<StoreRelease> = {}): StoreRelease => ({
  name: undefined,
  builds: [build],
  state: 'completed',
  share: undefined,
  notes: new Map(),
  review: 'published',
  ...more,
});

const state = (tracks: Record<string, readonly StoreRelease[]>): StoreState => ({
  defaultLanguage: 'en-US',
  contact: {},
  tracks: Object.entries(tracks).map(([name, releases]) => ({ name, releases })),
  packages: [],
  listings: [],
});

const shown = ({ releases }: { readonly releases: readonly StoreRelease[] }) =>
  releases.map(({ builds, state: own, share }) => [builds[0], own, share]);

describe('releases on tracks', () => {
  it('take the place of what was there, and leave it to those outside of a share', () => {
    const track = { name: 'production', releases: [release(6)] };
    expect(shown(withRelease(track, release(7), undefined))).toEqual([[7, 'completed', undefined]]);
    expect(shown(withRelease(track, release(7), 0.1))).toEqual([
      [7, 'in progress', 0.1],
      [6, 'completed', undefined],
    ]);
  });

  it('go to more users, never to fewer, and to all of them at the end', () => {
    const staged = state({ production: [release(7, { state: 'in progress', share: 0.1 }), release(6)] });
    expect(shown(withShare(staged, 'production', 0.5))[0]).toEqual([7, 'in progress', 0.5]);
    expect(shown(withShare(staged, 'production', 1))).toEqual([[7, 'completed', undefined]]);
    expect(() => withShare(staged, 'production', 0.05)).toThrowError(/cannot become smaller/);
  });

  it('are halted and resumed', () => {
    const staged = state({ production: [release(7, { state: 'in progress', share: 0.1 }), release(6)] });
    const stopped = halted(staged, 'production');
    expect(shown(stopped)[0]).toEqual([7, 'halted', 0.1]);
    const again = { ...staged, tracks: [stopped] };
    expect(shown(resumed(again, 'production'))[0]).toEqual([7, 'in progress', 0.1]);
    expect(() => halted(again, 'production')).toThrowError(/halted already/);
    expect(() => resumed(staged, 'production')).toThrowError(/is not halted/);
    expect(() => halted(state({ production: [release(7)] }), 'production')).toThrowError(/out to all users/);
    expect(() => halted(state({}), 'production')).toThrowError(/no release on production/);
  });

  it('move to another track, and never below what is there', () => {
    const both = state({ internal: [release(7)], production: [release(6)] });
    expect(moved(both, 'internal', 'production', 0.2).name).toBe('production');
    expect(() => moved(both, 'production', 'internal', undefined)).toThrowError(
      /internal has build 7 already/,
    );
    expect(() => moved(both, 'alpha', 'beta', undefined)).toThrowError(
      expect.objectContaining({ fix: 'Tracks with a release: internal, production.' }),
    );
    const draft = state({ internal: [release(8, { state: 'draft' })] });
    expect(() => moved(draft, 'internal', 'beta', undefined)).toThrowError(/no release on internal/);
  });

  it('keep what else the store has of them, on their own track alone', () => {
    const others = { countryTargeting: { countries: ['IE'] }, inAppUpdatePriority: 3 };
    const staged = state({ beta: [release(7, { state: 'in progress', share: 0.1, others })] });
    expect(withShare(staged, 'beta', 0.5).releases[0]?.others).toEqual(others);
    expect(halted(staged, 'beta').releases[0]?.others).toEqual(others);
    expect(moved(staged, 'beta', 'production', 0.1).releases[0]?.others).toBeUndefined();
  });

  it('have shares that people write', () => {
    expect([readShare('10%'), readShare('0.1'), readShare('100 %'), readShare('2.5%')]).toEqual([
      0.1, 0.1, 1, 0.025,
    ]);
    for (const text of ['0', '0%', '101%', 'half', '-1', ''])
      expect(() => readShare(text)).toThrowError(/not a share/);
  });
});
