import { setTimeout as wait } from 'node:timers/promises';
import type { StoreName } from '../listing/languages.js';
import { openProject, type ProjectSource } from '../project/project.js';
import { inOrder } from '../store/release/tracks.js';
import type { StoreRelease, StoreState, StoreTrack } from '../store/types.js';
import { openStore, type StoreOptions } from './open-store.js';

export interface StatusOptions extends StoreOptions {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
}

/** What a store has of an app, track by track. */
export interface ReleaseStatus {
  readonly which: StoreName;
  /** Address of its API. */
  readonly store: string;
  readonly account: string;
  readonly isStandIn: boolean;
  readonly id: string;
  readonly tracks: readonly (StoreTrack & {
    /** Where testers join; `undefined` where users need no link. */
    readonly testerLink: string | undefined;
  })[];
  /** The highest build that was ever uploaded; 0 for none. */
  readonly newestBuild: number;
}

/**
 * Every track with what is on it.
 *
 * @throws HullError `store.*`, `config.*`
 */
export async function releaseStatus(options: StatusOptions): Promise<ReleaseStatus> {
  const project = openProject(options.project);
  const { store, isStandIn } = openStore(project, options);
  const state: StoreState = await store.look((edit) => edit.state());
  return {
    which: store.name,
    store: store.address,
    account: store.account,
    isStandIn,
    id: project.settings[store.name].id,
    tracks: inOrder(state.tracks)
      .filter(({ releases }) => releases.length > 0)
      .map((track) => ({ ...track, testerLink: store.testerLink(track.name) })),
    newestBuild: Math.max(0, ...state.packages.map(({ build }) => build)),
  };
}

export interface WaitOptions extends StatusOptions {
  /** Milliseconds between two looks: at first, and at most. */
  readonly every?: { readonly first: number; readonly most: number } | undefined;
  /** Called with the status at first, and whenever it has changed. */
  readonly onChange: (status: ReleaseStatus, changed: readonly ChangedRelease[]) => void;
}

/** A release whose state or share is another than before. */
export interface ChangedRelease {
  readonly track: string;
  readonly release: StoreRelease;
  readonly before: StoreRelease | undefined;
}

const EVERY = { first: 15_000, most: 300_000 };
/** Looks become rarer the longer nothing changes. */
const GROWTH = 1.5;

const keyOf = (track: string, { builds }: StoreRelease) => `${track} ${builds.join()}`;

function changedBetween(before: ReleaseStatus, after: ReleaseStatus): ChangedRelease[] {
  const old = new Map(
    before.tracks.flatMap(({ name, releases }) => releases.map((one) => [keyOf(name, one), one] as const)),
  );
  return after.tracks.flatMap(({ name: track, releases }) =>
    releases.flatMap((release): ChangedRelease[] => {
      const was = old.get(keyOf(track, release));
      const isSame =
        was?.state === release.state && was.share === release.share && was.review === release.review;
      return isSame ? [] : [{ track, release, before: was }];
    }),
  );
}

/** Whether nothing is left that changes by itself: the store looks at no release any more. */
export const isSettled = ({ tracks }: ReleaseStatus): boolean =>
  tracks.every(({ releases }) => releases.every(({ review }) => review !== 'in review'));

/**
 * Looks again and again until the store has decided on everything that it reviews.
 *
 * @returns the status at the end
 * @throws HullError `store.*`, `config.*`
 */
export async function waitForRelease(options: WaitOptions): Promise<ReleaseStatus> {
  const { first, most } = options.every ?? EVERY;
  let status = await releaseStatus(options);
  options.onChange(status, []);
  for (let delay = first; !isSettled(status); ) {
    await wait(delay, undefined, options.signal ? { signal: options.signal } : {});
    const now = await releaseStatus(options);
    const changed = changedBetween(status, now);
    if (changed.length > 0) options.onChange(now, changed);
    delay = changed.length > 0 ? first : Math.min(delay * GROWTH, most);
    status = now;
  }
  return status;
}
