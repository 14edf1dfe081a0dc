import { HullError } from '../../errors.js';
import type { Store, StoreRelease, StoreState, StoreTrack } from '../types.js';

/** The usual order of tracks, from the fewest users to all. */
export const TRACKS = ['internal', 'alpha', 'beta', 'production'] as const;

/** Tracks in the usual order, others between testers and all users. */
export function inOrder(tracks: readonly StoreTrack[]): StoreTrack[] {
  const rank = ({ name }: StoreTrack) => {
    const at = TRACKS.indexOf(name as (typeof TRACKS)[number]);
    return at < 0 ? TRACKS.length - 1.5 : at;
  };
  return [...tracks].sort((one, other) => rank(one) - rank(other));
}

const bad = (message: string, fix: string) => new HullError('release.bad-track', message, { fix });

export function trackIn({ tracks }: StoreState, name: string): StoreTrack | undefined {
  return tracks.find((track) => track.name === name);
}

/** The release of a track that its users have or get: the newest that is not a draft. */
export function liveRelease(track: StoreTrack | undefined): StoreRelease | undefined {
  const live = track?.releases.filter(({ state }) => state !== 'draft') ?? [];
  return live.sort((one, other) => Math.max(...other.builds) - Math.max(...one.builds))[0];
}

const isWhole = (share: number | undefined) => share === undefined || share >= 1;

/** A share is a rollout in progress; all users are a release that is complete. */
const stateFor = (share: number | undefined): Pick<StoreRelease, 'state' | 'share'> =>
  isWhole(share) ? { state: 'completed', share: undefined } : { state: 'in progress', share };

/**
 * A track with a new release. What users outside of a share keep stays beside it: the newest complete release.
 *
 * @param share of the users, above 0; 1 or `undefined` for all
 */
export function withRelease(
  track: StoreTrack,
  release: Pick<StoreRelease, 'name' | 'builds' | 'notes'>,
  share: number | undefined,
): StoreTrack {
  const own: StoreRelease = { ...release, ...stateFor(share), review: 'unknown' };
  const complete = track.releases
    .filter(({ state }) => state === 'completed')
    .sort((one, other) => Math.max(...other.builds) - Math.max(...one.builds))[0];
  if (isWhole(share)) return { name: track.name, releases: [own] };
  return { name: track.name, releases: complete === undefined ? [own] : [own, complete] };
}

/** Whether a share is asked for where nobody has an earlier release: stores may refuse that. */
export const isStagedFirst = ({ releases }: StoreTrack): boolean =>
  releases.length === 1 && releases[0]?.state === 'in progress';

/** The staged release of a track. Throws `release.bad-track` where there is none. */
function staged(track: StoreTrack | undefined, name: string, what: string): StoreRelease {
  const found = track?.releases.find(({ state }) => state === 'in progress' || state === 'halted');
  if (found) return found;
  const live = liveRelease(track);
  throw bad(
    live === undefined
      ? `There is no release on ${name}.`
      : `Build ${Math.max(...live.builds)} on ${name} is out to all users already.`,
    `Only a staged release can be ${what}: send or move one with a share.`,
  );
}

const replaced = (track: StoreTrack, old: StoreRelease, by: StoreRelease): StoreTrack => ({
  name: track.name,
  releases: track.releases.flatMap((one) => {
    if (one === old) return [by];
    // What everybody had before ends where everybody gets the new one.
    return by.state === 'completed' && one.state === 'completed' ? [] : [one];
  }),
});

/** Gives a staged release to another share. Throws `release.bad-track`. */
export function withShare(state: StoreState, name: string, share: number): StoreTrack {
  const track = trackIn(state, name);
  const old = staged(track, name, 'given to more users');
  if (share < (old.share ?? 0)) {
    throw bad(
      `${percent(old.share ?? 0)} of the users have it already; a share cannot become smaller.`,
      'Halt the release instead, so that nobody else gets it.',
    );
  }
  return replaced(track as StoreTrack, old, { ...old, ...stateFor(share) });
}

/** Halts a staged release: nobody else gets it. Throws `release.bad-track`. */
export function halted(state: StoreState, name: string): StoreTrack {
  const track = trackIn(state, name);
  const old = staged(track, name, 'halted');
  if (old.state === 'halted')
    throw bad(`The release on ${name} is halted already.`, 'Nothing needs to be done.');
  return replaced(track as StoreTrack, old, { ...old, state: 'halted' });
}

/** Lets a halted release continue. Throws `release.bad-track`. */
export function resumed(state: StoreState, name: string): StoreTrack {
  const track = trackIn(state, name);
  const old = staged(track, name, 'resumed');
  if (old.state !== 'halted') throw bad(`The release on ${name} is not halted.`, 'Nothing needs to be done.');
  return replaced(track as StoreTrack, old, { ...old, state: 'in progress' });
}

/** Gives the release of one track to another. Throws `release.bad-track`. */
export function moved(state: StoreState, from: string, to: string, share: number | undefined): StoreTrack {
  const release = liveRelease(trackIn(state, from));
  if (release === undefined) {
    const known = state.tracks.filter((track) => liveRelease(track)).map(({ name }) => name);
    throw bad(
      `There is no release on ${from} to move.`,
      known.length === 0 ? 'Send a package first.' : `Tracks with a release: ${known.join(', ')}.`,
    );
  }
  const target = trackIn(state, to) ?? { name: to, releases: [] };
  const there = liveRelease(target);
  const [build, other] = [Math.max(...release.builds), there ? Math.max(...there.builds) : 0];
  if (build <= other) {
    throw bad(
      `${to} has build ${other} already, and ${from} has ${build}.`,
      'Users never get an older build: send a newer package.',
    );
  }
  const { name, builds, notes } = release;
  return withRelease(target, { name, builds, notes }, share);
}

/** Share on each day of a phased release (App Store Connect Help, "Release a version update in phases"). */
export const PHASES = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1] as const;

/**
 * Refuses a share that a store does not give: where it has chosen the shares itself, a release begins with the first of them.
 *
 * @throws HullError `release.bad-share`
 */
export function checkShare(share: number | undefined, { shares }: Pick<Store, 'shares'>): void {
  if (shares === 'any' || share === undefined || share === 1 || share === PHASES[0]) return;
  throw new HullError(
    'release.bad-share',
    `This store chooses the shares itself: ${percent(PHASES[0])} on the first day, all users after ${PHASES.length}.`,
    {
      location: { option: 'share' },
      fix: `Begin with ${percent(PHASES[0])}, which grows by itself; or give it to all.`,
    },
  );
}

export const percent = (share: number): string => `${Number((share * 100).toFixed(4))} %`;

/**
 * A share as people write it: `10%`, `0.1`.
 *
 * @throws HullError `release.bad-share`
 */
export function readShare(text: string): number {
  const match = /^(\d+(?:\.\d+)?)\s*(%?)$/.exec(text.trim());
  const value = match ? Number(match[1]) / (match[2] === '%' ? 100 : 1) : Number.NaN;
  if (value > 0 && value <= 1) return value;
  throw new HullError('release.bad-share', `"${text}" is not a share of the users.`, {
    location: { option: 'share' },
    fix: 'Write it as 10% or 0.1: more than nobody, and at most all.',
  });
}
