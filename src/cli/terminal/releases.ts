import { isStagedFirst, percent } from '../../core/store/release/tracks.js';
import type { ReviewState, StoreRelease, StoreTrack } from '../../core/store/types.js';
import { columnsOrStacks, safe } from './format.js';
import type { Io } from './io.js';

const REVIEW_WORDS: Readonly<Record<ReviewState, string>> = {
  'not sent': 'not sent for review yet',
  'in review': 'in review',
  rejected: 'rejected by the store',
  approved: 'approved, not published yet',
  published: 'published',
  unknown: '',
};

/** Who gets a release, in words. */
export function reachWords({ state, share }: StoreRelease): string {
  switch (state) {
    case 'draft':
      return 'draft: nobody gets it';
    case 'halted':
      return `halted at ${percent(share ?? 1)}: nobody else gets it`;
    case 'in progress':
      return `${percent(share ?? 1)} of the users`;
    case 'completed':
      return 'all users of the track';
  }
}

export const buildsText = ({ builds }: Pick<StoreRelease, 'builds'>): string => `build ${builds.join(', ')}`;

/** One line for each release of some tracks. */
export function tracksText(io: Io, tracks: readonly StoreTrack[]): string {
  const { paint } = io;
  const rows = tracks.flatMap(({ name, releases }) =>
    releases.map((release, index) => {
      const review = REVIEW_WORDS[release.review];
      const painted =
        release.review === 'rejected'
          ? paint.bad(review)
          : release.review === 'in review'
            ? paint.warn(review)
            : review;
      const version =
        release.name === undefined || release.name.includes(`(${release.builds[0]})`)
          ? ''
          : buildsText(release);
      return [
        index === 0 ? paint.bold(safe(name)) : '',
        safe(release.name ?? buildsText(release)),
        [version, reachWords(release), painted].filter((part) => part !== '').join(', '),
      ];
    }),
  );
  return columnsOrStacks(rows, io.width);
}

/** A release as documents have it. */
export interface JsonRelease {
  readonly name: string | null;
  readonly builds: readonly number[];
  readonly state: StoreRelease['state'];
  /** Part of the users, at most 1; `null` for all or none. */
  readonly share: number | null;
  readonly review: ReviewState;
  /** Release notes by the store's language. */
  readonly notes: Readonly<Record<string, string>>;
}

export const jsonRelease = ({ name, builds, state, share, review, notes }: StoreRelease): JsonRelease => ({
  name: name ?? null,
  builds,
  state,
  share: share ?? null,
  review,
  notes: Object.fromEntries(notes),
});

export interface JsonTrack {
  readonly track: string;
  readonly releases: readonly JsonRelease[];
}

export const jsonTrack = ({ name, releases }: StoreTrack): JsonTrack => ({
  track: name,
  releases: releases.map(jsonRelease),
});

/** What the store may not take. */
export function noteStagedFirst(io: Io, track: StoreTrack): void {
  if (!isStagedFirst(track)) return;
  io.note(
    `${io.paint.warn('note')} Nobody has an earlier release on ${safe(track.name)}: stores may refuse a share for the first one.`,
  );
}
