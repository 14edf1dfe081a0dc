import { task, withTasks } from '../../../errors.js';
import { type Comparison, comparisonOf, Differences, gained } from '../../../packaging/comparison.js';
import {
  APP_ID_ENTITLEMENT,
  DEBUG_ENTITLEMENT,
  DOMAINS_ENTITLEMENT,
  TEAM_ENTITLEMENT,
} from '../app/entitlements.js';
import { compareVersions } from '../app/versions.js';
import { PROFILE_PATH } from '../package/entries.js';
import type { IpaFacts } from './facts.js';

/** Whether one package of Apple's systems would be taken as an update of another; and what changed. */

function compareIdentity(old: IpaFacts, next: IpaFacts, into: Differences): void {
  if (old.id !== next.id) {
    into.find('error', 'id', {
      observed: `The bundle ID was ${old.id} and is ${next.id}.`,
      impact:
        'It is another app: devices install it beside the old one, and the store refuses it as an update.',
      fix: `Set apple.id back to ${old.id}, or publish it as a new app.`,
    });
  }
  const version = compareVersions(next.version, old.version);
  const build = compareVersions(next.build, old.build);
  if (version === undefined || build === undefined) {
    into.find('warning', 'build', {
      observed: `Versions cannot be compared: ${old.version ?? '?'} (${old.build ?? '?'}), then ${next.version ?? '?'} (${next.build ?? '?'}).`,
      impact: 'The store takes integers with full stops between them, and each higher than the last.',
      fix: withTasks`Set version and build: ${task('setVersion')}`,
    });
  } else if (version < 0) {
    into.find('error', 'version', {
      observed: `The version was ${old.version} and is ${next.version}.`,
      impact: 'The store takes higher versions alone.',
      fix: withTasks`Raise the version: ${task('setVersion')}`,
    });
  } else if (version === 0 && build <= 0) {
    into.find('error', 'build', {
      observed:
        build === 0
          ? `Both are version ${old.version}, build ${old.build}.`
          : `Of version ${next.version} the build was ${old.build} and is ${next.build}.`,
      impact: 'The store takes each build of a version once, in rising order.',
      fix: withTasks`Raise the build: ${task('setVersion', 'build')}`,
    });
  } else if (version === 0) {
    into.change('version', `Both say version ${next.version}.`, 'Users cannot distinguish them.');
  }
  if (old.name !== next.name) into.change('name', `Its name was ${old.name} and is ${next.name}.`);
}

const entitlementOf = (facts: IpaFacts, key: string) =>
  facts.entitlements.find((one) => one.key === key)?.value;

function compareSignatures(old: IpaFacts, next: IpaFacts, into: Differences): void {
  const { verdict } = next.signature;
  if (verdict === 'failed' || verdict === 'unsigned') {
    into.find('error', 'signature', {
      observed:
        verdict === 'unsigned'
          ? 'The new package is not signed.'
          : 'The signature of the new package does not verify.',
      impact: 'No device installs it.',
      fix: withTasks`See what is wrong with ${task('inspectPackage', next.file)}, and pack it again.`,
    });
    return;
  }
  if (
    verdict !== old.signature.verdict &&
    (verdict === 'by nobody' || old.signature.verdict === 'by nobody')
  ) {
    into.find('warning', 'kind', {
      observed: 'A package for simulators is compared with one for devices.',
      impact: 'Neither takes the place of the other.',
      fix: 'Compare two of a kind.',
    });
    return;
  }
  const [was, is] = [old, next].map((facts) => entitlementOf(facts, APP_ID_ENTITLEMENT));
  if (was !== undefined && is !== undefined && was !== is && old.id === next.id) {
    into.find('error', 'app-id', {
      observed: `Its application identifier was ${was} and is ${is}.`,
      impact:
        'It is of another team: devices refuse the update, and what the app kept in the key chain is out of reach.',
      fix: `Sign with a certificate and a profile of the team that signed before (${old.signature.team ?? '?'}).`,
    });
  }
  if (old.profile?.kind !== next.profile?.kind) {
    const kindOf = ({ profile }: IpaFacts) => (profile === undefined ? 'none' : `for ${profile.kind}`);
    into.find('warning', 'profile', {
      observed: `The profile was ${kindOf(old)} and is ${kindOf(next)}.`,
      impact: 'They go to different devices: entitlements and signers differ.',
      fix: 'Compare two of a kind.',
    });
  } else if (old.signature.certificates[0]?.sha256 !== next.signature.certificates[0]?.sha256) {
    into.change('signer', 'Another certificate signs.', 'Any of the same team will do.');
  }
}

function compareDevices(old: IpaFacts, next: IpaFacts, into: Differences): void {
  const minimum = compareVersions(next.minVersion, old.minVersion);
  if (minimum === 1) {
    into.find('warning', 'min-version', {
      observed: `The lowest system version was ${old.minVersion} and is ${next.minVersion}.`,
      impact: 'Users of older devices keep what they have and get no more updates.',
      fix: `Set apple.min_version back to ${old.minVersion}, unless this is meant.`,
    });
  } else if (minimum === -1) {
    into.change(
      'min-version',
      `The lowest system version was ${old.minVersion} and is ${next.minVersion}: more devices can install it.`,
    );
  }
  const [had, has] = [new Set(old.devices), new Set(next.devices)];
  for (const device of gained(has, had)) {
    into.find('error', 'devices', {
      observed: `It no longer runs on ${device}s.`,
      impact: 'The store refuses updates that leave out a kind of device.',
      fix: 'Name it again in apple.devices.',
    });
  }
  for (const device of gained(had, has)) {
    into.find('warning', 'devices', {
      observed: `It runs on ${device}s now.`,
      impact: 'The store asks for pictures of it there, and no later update may leave it out.',
      fix: 'Try it there before the release, or leave it out of apple.devices.',
    });
  }
}

function compareRights(old: IpaFacts, next: IpaFacts, into: Differences): void {
  const reasons = (facts: IpaFacts) => new Map(facts.permissions.map(({ key, reason }) => [key, reason]));
  const [had, has] = [reasons(old), reasons(next)];
  for (const [key, reason] of has) {
    const before = had.get(key);
    if (before === undefined) {
      into.find('warning', 'permission', {
        observed: `It may ask for ${key} now: “${reason}”`,
        impact: 'Users are asked when it is needed, and reviewers want to know what for.',
        fix: 'Tell reviewers why, or remove the permission.',
      });
    } else if (before !== reason) {
      into.change('permission', `The reason of ${key} was “${before}” and is “${reason}”.`);
    }
  }
  for (const key of had.keys()) {
    if (has.has(key)) continue;
    into.change(
      'permission',
      `It no longer asks for ${key}.`,
      'Pages that still need it find that it is missing.',
    );
  }
  const links = (facts: IpaFacts) =>
    new Set([...facts.domains, ...facts.schemes.map((scheme) => `${scheme}://`)]);
  const [opened, opens] = [links(old), links(next)];
  for (const link of gained(opened, opens)) into.change('link', `It opens ${link} now.`);
  for (const link of gained(opens, opened)) {
    into.find('warning', 'link', {
      observed: `It no longer opens ${link}.`,
      impact: 'Such links open in the browser after the update, or nowhere.',
      fix: 'Add it to hull.json again, unless this is meant.',
    });
  }
  const apart: readonly string[] = [
    APP_ID_ENTITLEMENT,
    TEAM_ENTITLEMENT,
    DEBUG_ENTITLEMENT,
    DOMAINS_ENTITLEMENT,
  ];
  const entitlements = (facts: IpaFacts) =>
    new Set(facts.entitlements.map(({ key }) => key).filter((key) => !apart.includes(key)));
  const [held, holds] = [entitlements(old), entitlements(next)];
  for (const key of gained(held, holds)) into.change('entitlement', `It has the entitlement ${key} now.`);
  for (const key of gained(holds, held)) {
    into.find('warning', 'entitlement', {
      observed: `It no longer has the entitlement ${key}.`,
      impact: 'What it allowed stops working with the update.',
      fix: 'Take a profile that allows it, unless this is meant.',
    });
  }
}

function comparePrivacy(old: IpaFacts, next: IpaFacts, into: Differences): void {
  if (next.transport.arbitrary && !old.transport.arbitrary) {
    into.find('warning', 'transport', {
      observed: 'It allows plain http everywhere now.',
      impact: 'Anyone on the way can read and change what is sent, and reviewers ask why.',
      fix: 'Name the hosts that need it alone, or serve them over https.',
    });
  }
  if (next.privacy?.tracking && !old.privacy?.tracking) {
    into.find('warning', 'privacy', {
      observed: 'Its privacy manifest says now that it tracks users.',
      impact: 'Users have to be asked first, and the store shows it.',
      fix: 'Change what the store says of the app’s privacy too.',
    });
  }
  const collected = (facts: IpaFacts) => new Set(facts.privacy?.collected);
  for (const kind of gained(collected(old), collected(next))) {
    into.find('warning', 'privacy', {
      observed: `Its privacy manifest says now that it collects ${kind}.`,
      impact: 'The store shows it.',
      fix: 'Change what the store says of the app’s privacy too.',
    });
  }
}

/** Compares two packages of one app. The signature's own files and the profile are not counted among the changed ones. */
export function compareIpas(old: IpaFacts, next: IpaFacts): Comparison {
  const into = new Differences(next.file);
  compareIdentity(old, next, into);
  compareSignatures(old, next, into);
  compareDevices(old, next, into);
  compareRights(old, next, into);
  comparePrivacy(old, next, into);
  return comparisonOf(
    into,
    old,
    next,
    ({ path }) => path !== PROFILE_PATH && !/(?:^|\/)_CodeSignature\//.test(path),
  );
}
