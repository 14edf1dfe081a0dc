import {
  type ChangedRelease,
  type ReleaseStatus,
  releaseStatus,
  waitForRelease,
} from '../../core/tasks/release-status.js';
import type { OptionsOf } from '../define-command.js';
import { numberBetween } from '../options/numbers.js';
import { storeLine, storeOptions } from '../options/store.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import { buildsText, jsonRelease, reachWords, tracksText } from '../terminal/releases.js';
import type { declare } from './release-status.js';

const EVERY = 15;
const PRODUCTION = 'production';

/** @returns 1 where the store has rejected something */
export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<number> {
  const own = { ...storeOptions(io, options), project: options.project };
  const first = numberBetween(options.every, '--every', [1, 3600], EVERY) * 1000;
  const every = options.every === undefined ? undefined : { first, most: first };
  const status = options.wait
    ? await waitForRelease({ ...own, every, onChange: (now, changed) => tell(io, now, changed) })
    : await releaseStatus(own);
  const rejected = status.tracks.some(({ releases }) => releases.some(({ review }) => review === 'rejected'));
  if (io.json) {
    emit(
      io,
      'release status',
      {
        store: status.store,
        isStandIn: status.isStandIn,
        id: status.id,
        newestBuild: status.newestBuild,
        tracks: status.tracks.map(({ name, releases, testerLink }) => ({
          track: name,
          releases: releases.map(jsonRelease),
          testerLink: testerLink ?? null,
        })),
      },
      !rejected,
    );
  } else show(io, status);
  return rejected ? 1 : 0;
}

/** What has changed while it waits: at once, with the time. */
function tell(io: Io, status: ReleaseStatus, changed: readonly ChangedRelease[]): void {
  const time = new Date().toTimeString().slice(0, 8);
  if (changed.length === 0) {
    const waiting = status.tracks.flatMap(({ name, releases }) =>
      releases.filter(({ review }) => review === 'in review').map((one) => `${buildsText(one)} on ${name}`),
    );
    if (waiting.length > 0)
      io.note(`${io.paint.dim(time)} waiting for the review of ${safe(waiting.join(', '))}`);
    return;
  }
  for (const { track, release } of changed)
    io.note(
      `${io.paint.dim(time)} ${safe(`${buildsText(release)} on ${track}: ${release.review}, ${reachWords(release)}`)}`,
    );
}

function show(io: Io, status: ReleaseStatus): void {
  const { paint } = io;
  io.out(storeLine(io, status));
  if (status.tracks.length === 0) {
    io.out(`There is no release of ${status.id} yet.`);
    io.note(
      `${paint.dim('next')} hull release send ${status.which === 'apple' ? '<file>.ipa --to <group>' : '--to internal'}`,
    );
    return;
  }
  io.out(tracksText(io, status.tracks));
  const releases = status.tracks.flatMap((track) => track.releases);
  if (releases.some(({ review, state }) => review === 'unknown' && state !== 'draft')) {
    io.note(`${paint.warn('note')} This store does not say how far its review is: look in the console.`);
  }
  for (const { name, testerLink, releases: own } of status.tracks) {
    const isOut = own.some(
      ({ state, review }) => state !== 'draft' && (review === 'published' || review === 'unknown'),
    );
    if (!isOut || name === PRODUCTION) continue;
    const link =
      testerLink ??
      (status.which === 'apple'
        ? 'their email: the store has invited them'
        : 'a link that the console shows');
    io.out(
      `${paint.dim(`testers of ${safe(name)} join ${testerLink === undefined && status.which === 'apple' ? 'through' : 'at'}`)} ${link}`,
    );
  }
}
