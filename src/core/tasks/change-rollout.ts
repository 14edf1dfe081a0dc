import type { StoreName } from '../listing/languages.js';
import { openProject, type ProjectSource } from '../project/project.js';
import { checkShare, halted, moved, resumed, trackIn, withShare } from '../store/release/tracks.js';
import type { StoreState, StoreTrack } from '../store/types.js';
import { openStore, type StoreOptions } from './open-store.js';

/** What is done with a release that is in the store already. */
export type RolloutChange =
  /** Gives the release of one track to another: to all of its users, or a share. */
  | { readonly do: 'move'; readonly from: string; readonly to: string; readonly share?: number | undefined }
  /** Gives a staged release to another share of the users. */
  | { readonly do: 'rollout'; readonly track: string; readonly share: number }
  | { readonly do: 'halt'; readonly track: string }
  | { readonly do: 'resume'; readonly track: string };

export interface RolloutOptions extends StoreOptions {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  readonly change: RolloutChange;
}

export interface ChangedRollout {
  readonly which: StoreName;
  /** Address of its API. */
  readonly store: string;
  readonly account: string;
  readonly isStandIn: boolean;
  readonly before: StoreTrack | undefined;
  readonly after: StoreTrack;
  readonly testerLink: string | undefined;
}

function changedTrack(state: StoreState, change: RolloutChange): StoreTrack {
  switch (change.do) {
    case 'move':
      return moved(state, change.from, change.to, change.share);
    case 'rollout':
      return withShare(state, change.track, change.share);
    case 'halt':
      return halted(state, change.track);
    case 'resume':
      return resumed(state, change.track);
  }
}

/**
 * Moves, widens, halts or resumes a release.
 *
 * @throws HullError `release.bad-track`, `store.*`, `config.*`
 */
export async function changeRollout({ change, ...options }: RolloutOptions): Promise<ChangedRollout> {
  const { store, isStandIn } = openStore(openProject(options.project), options);
  if ('share' in change) checkShare(change.share, store);
  return store.change(async (edit) => {
    const state = await edit.state();
    const after = changedTrack(state, change);
    await edit.setTrack(after);
    return {
      which: store.name,
      store: store.address,
      account: store.account,
      isStandIn,
      before: trackIn(state, after.name),
      after,
      testerLink: store.testerLink(after.name),
    };
  });
}
