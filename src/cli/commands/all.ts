import type { CommandDefinition } from '../define-command.js';
import { art } from './art.js';
import { begin } from './begin.js';
import { catalogCheck, catalogCompare, catalogModule, catalogSend } from './catalog.js';
import { compare } from './compare.js';
import { completion } from './completion.js';
import { demo } from './demo.js';
import { domainsExplain } from './domains-explain.js';
import { domainsVerify } from './domains-verify.js';
import { domainsWrite } from './domains-write.js';
import { drydockDevice } from './drydock-device.js';
import { drydockStore } from './drydock-store.js';
import { drydockTeam } from './drydock-team.js';
import { drydockVerifier } from './drydock-verifier.js';
import { fleetArt } from './fleet-art.js';
import { fleetCompare } from './fleet-compare.js';
import { fleetDomains } from './fleet-domains.js';
import { fleetList } from './fleet-list.js';
import { fleetPack } from './fleet-pack.js';
import { fleetRelease } from './fleet-release.js';
import { fleetSurvey } from './fleet-survey.js';
import { inspect } from './inspect.js';
import { install } from './install.js';
import { keysCheck } from './keys-check.js';
import { keysImport } from './keys-import.js';
import { keysNew } from './keys-new.js';
import { keysRequest } from './keys-request.js';
import { keysRotate } from './keys-rotate.js';
import { keysShow } from './keys-show.js';
import { packAab } from './pack-aab.js';
import { packAndroidProject } from './pack-android-project.js';
import { packApk } from './pack-apk.js';
import { packAppleProject } from './pack-apple-project.js';
import { packIpa } from './pack-ipa.js';
import { preview } from './preview.js';
import { refit } from './refit.js';
import { releaseCheck } from './release-check.js';
import { releaseHalt, releaseResume } from './release-halt.js';
import { releaseListing } from './release-listing.js';
import { releaseMove } from './release-move.js';
import { releaseRollout } from './release-rollout.js';
import { releaseSend } from './release-send.js';
import { releaseStatus } from './release-status.js';
import { serve } from './serve.js';
import { sign } from './sign.js';
import { survey } from './survey.js';
import { tags } from './tags.js';
import { tryCommand } from './try.js';
import { version } from './version.js';
import { watch } from './watch.js';

/** Groups of commands, by their first word. */
export const GROUPS: Readonly<Record<string, string>> = {
  keys: 'signing identities: make, request, import, show, check, rotate',
  pack: 'make signed packages, or a source project',
  domains: 'links that open in the app: write the association documents, verify them, explain a link',
  release: 'bring packages to users: listing, tracks, shares, reviews',
  catalog: 'what the app sells: check it, compare it with the store, send it',
  fleet: 'many brands of one project',
  drydock: 'stand-ins on loopback, to try what needs a device or a store',
};

/** Every command, in the order in which a new user meets them. */
export const COMMANDS: readonly CommandDefinition[] = [
  begin,
  survey,
  art,
  tags,
  preview,
  keysNew,
  keysShow,
  keysRequest,
  keysImport,
  keysCheck,
  keysRotate,
  sign,
  packApk,
  packAab,
  packAndroidProject,
  packIpa,
  packAppleProject,
  refit,
  inspect,
  compare,
  version,
  tryCommand,
  install,
  watch,
  domainsWrite,
  domainsVerify,
  domainsExplain,
  releaseListing,
  releaseCheck,
  releaseSend,
  releaseStatus,
  releaseMove,
  releaseRollout,
  releaseHalt,
  releaseResume,
  catalogCheck,
  catalogCompare,
  catalogSend,
  catalogModule,
  fleetList,
  fleetSurvey,
  fleetArt,
  fleetPack,
  fleetDomains,
  fleetCompare,
  fleetRelease,
  serve,
  drydockDevice,
  drydockVerifier,
  drydockTeam,
  drydockStore,
  demo,
  completion,
];
