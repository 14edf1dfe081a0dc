import { readShare } from '../../core/store/release/tracks.js';
import { changeRollout, type RolloutChange } from '../../core/tasks/change-rollout.js';
import type { OptionsOf } from '../define-command.js';
import { sameStore, storeLine, storeOptions } from '../options/store.js';
import type { Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import { jsonTrack, noteStagedFirst, tracksText } from '../terminal/releases.js';
import type { declare as declareHalt } from './release-halt.js';
import type { declare as declareMove } from './release-move.js';
import type { declare as declareRollout } from './release-rollout.js';

type Options = OptionsOf<typeof declareHalt>;

const PRODUCTION = 'production';

async function change(
  io: Io,
  command: 'release move' | 'release rollout' | 'release halt' | 'release resume',
  options: Omit<Options, 'track'>,
  wanted: RolloutChange,
): Promise<void> {
  const changed = await changeRollout({
    ...storeOptions(io, options),
    project: options.project,
    change: wanted,
  });
  if (io.json) {
    emit(io, command, {
      store: changed.store,
      isStandIn: changed.isStandIn,
      before: changed.before ? jsonTrack(changed.before) : null,
      after: jsonTrack(changed.after),
      testerLink: changed.testerLink ?? null,
    });
    return;
  }
  io.out(storeLine(io, changed));
  io.out(tracksText(io, [changed.after]));
  noteStagedFirst(io, changed.after);
  io.note(`${io.paint.dim('next')} hull release status --wait${sameStore(changed.which)}`);
}

export const runMove = (
  io: Io,
  options: OptionsOf<typeof declareMove>,
  from: string,
  to: string,
): Promise<void> =>
  change(io, 'release move', options, {
    do: 'move',
    from,
    to,
    share: options.share === undefined ? undefined : readShare(options.share),
  });

export const runRollout = (io: Io, options: OptionsOf<typeof declareRollout>, share: string): Promise<void> =>
  change(io, 'release rollout', options, {
    do: 'rollout',
    track: options.track ?? PRODUCTION,
    share: readShare(share),
  });

export const runHalt = (io: Io, options: Options): Promise<void> =>
  change(io, 'release halt', options, { do: 'halt', track: options.track ?? PRODUCTION });

export const runResume = (io: Io, options: Options): Promise<void> =>
  change(io, 'release resume', options, { do: 'resume', track: options.track ?? PRODUCTION });
