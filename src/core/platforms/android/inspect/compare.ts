import { task, withTasks } from '../../../errors.js';
import { type Comparison, comparisonOf, Differences, gained } from '../../../packaging/comparison.js';
import { permissionMeaning } from '../app/permissions.js';
import type { PackageFacts } from './facts.js';

/** Whether one package would be taken as an update of another, by a store and by a device; and what changed. */

/** Stores take no higher version code (the platform’s store). */
const MAX_BUILD = 2_100_000_000;

/** SHA-256 of the newest signer's certificate, and of those before it in its lineage. */
function signerLine(facts: PackageFacts): {
  readonly signer: string | undefined;
  readonly before: readonly string[];
} {
  const newest = facts.signature.schemes.at(-1)?.signers[0];
  const before = (newest?.lineage ?? []).flatMap(({ certificate }) => certificate?.sha256 ?? []);
  return { signer: newest?.certificate?.sha256, before };
}

function compareIdentity(old: PackageFacts, next: PackageFacts, into: Differences): void {
  if (old.id !== next.id) {
    into.find('error', 'id', {
      observed: `The app ID was ${old.id} and is ${next.id}.`,
      impact: 'It is another app: devices install it beside the old one, and stores refuse it as an update.',
      fix: `Set app.id back to ${old.id}, or publish it as a new app.`,
    });
  }
  if (old.kind !== next.kind) {
    into.find('warning', 'kind', {
      observed: `An ${old.kind.toUpperCase()} is compared with an ${next.kind.toUpperCase()}.`,
      impact:
        'A bundle is signed with the upload key and a package by the store’s: certificates and sizes differ.',
      fix: 'Compare two of a kind.',
    });
  }
  if (old.build !== undefined && next.build !== undefined && next.build <= old.build) {
    into.find('error', 'build', {
      observed:
        next.build === old.build
          ? `Both have build ${old.build}.`
          : `The build was ${old.build} and is ${next.build}.`,
      impact: 'Stores accept each version code once, and devices none below the installed one.',
      fix: withTasks`Raise the build: ${task('setVersion', 'build')}`,
    });
  }
  if (next.build !== undefined && next.build > MAX_BUILD) {
    into.find('error', 'build', {
      observed: `Build ${next.build} is above ${MAX_BUILD}, the highest that stores accept.`,
      impact: 'Stores refuse the upload.',
      fix: 'Use a lower build.',
    });
  }
  if (old.version === next.version) {
    into.change('version', `Both say version ${next.version ?? '?'}.`, 'Users cannot distinguish them.');
  }
}

function compareSignatures(old: PackageFacts, next: PackageFacts, into: Differences): void {
  if (!next.signature.verifies) {
    into.find('error', 'signature', {
      observed:
        next.signature.verdict === 'unsigned'
          ? 'The new package is not signed.'
          : 'The signatures of the new package do not verify.',
      impact: 'No device installs it.',
      fix: withTasks`See what is wrong with ${task('inspectPackage', next.file)}, and pack it again.`,
    });
    return;
  }
  const [was, is] = [signerLine(old), signerLine(next)];
  if (was.signer === undefined || is.signer === undefined) return;
  if (was.signer === is.signer) return;
  if (is.before.includes(was.signer)) {
    into.change(
      'signer',
      'A new key signs; the old one vouches for it in the lineage.',
      'Devices that read lineages accept it; older ones keep the original signer.',
    );
  } else if (was.before.includes(is.signer)) {
    into.find('error', 'signer', {
      observed: 'An older key signs than the one that succeeded it.',
      impact: 'Devices refuse to go back.',
      fix: 'Sign with the newest key.',
    });
  } else {
    into.find(old.kind === next.kind ? 'error' : 'warning', 'signer', {
      observed: `Another key signs: it was ${was.signer} and is ${is.signer}.`,
      impact: 'Devices refuse the update, and stores the upload.',
      fix: withTasks`Sign with the key that signed before; see ${task('showKey')}.`,
    });
  }
}

function compareLevels(old: PackageFacts, next: PackageFacts, into: Differences): void {
  if (next.sdk.min > old.sdk.min) {
    into.find('warning', 'min-sdk', {
      observed: `The lowest API level was ${old.sdk.min} and is ${next.sdk.min}.`,
      impact: 'Users of older devices keep what they have and get no more updates.',
      fix: `Set android.min_sdk back to ${old.sdk.min}, unless this is meant.`,
    });
  } else if (next.sdk.min < old.sdk.min) {
    into.change(
      'min-sdk',
      `The lowest API level was ${old.sdk.min} and is ${next.sdk.min}: more devices can install it.`,
    );
  }
  if (next.sdk.target < old.sdk.target) {
    into.find('error', 'target-sdk', {
      observed: `The target API level was ${old.sdk.target} and is ${next.sdk.target}.`,
      impact:
        'Stores refuse a lower target, and so do devices where it would grant permissions without asking.',
      fix: 'Pack it with the version of Jolly Hull that packed the old one, or a newer one.',
    });
  } else if (next.sdk.target > old.sdk.target) {
    into.find('warning', 'target-sdk', {
      observed: `The target API level was ${old.sdk.target} and is ${next.sdk.target}.`,
      impact: 'The platform’s newer rules apply from now on.',
      fix: 'Try it on a device of that level before the release.',
    });
  }
  if (next.debuggable) {
    into.find('error', 'debuggable', {
      observed: 'The new package is debuggable.',
      impact: 'Stores refuse it, and anyone could look inside the running app.',
      fix: 'Pack it again for release.',
    });
  }
}

const short = (name: string) => name.replace(/^android\.permission\./, '');

function comparePermissions(old: PackageFacts, next: PackageFacts, into: Differences): void {
  const names = (facts: PackageFacts) => new Set(facts.permissions.map(({ name }) => name));
  const [had, has] = [names(old), names(next)];
  for (const name of gained(had, has)) {
    const known = permissionMeaning(name);
    const observed = `It requests ${short(name)} now${known ? `: ${known.meaning}` : '.'}`;
    if (known?.granted === 'asked') {
      into.find('warning', 'permission', {
        observed,
        impact: 'Users are asked when it is needed; the store shows it, and reviewers want to know what for.',
        fix: 'Tell users and reviewers why, or remove the permission.',
      });
    } else into.change('permission', observed, 'Granted without a question; the store shows it.');
  }
  for (const name of gained(has, had)) {
    into.change(
      'permission',
      `It no longer requests ${short(name)}.`,
      'Pages that still need it find that it is missing.',
    );
  }
  const required = (facts: PackageFacts) =>
    new Set(facts.features.filter((feature) => feature.required).map(({ name }) => name));
  const [needed, needs] = [required(old), required(next)];
  for (const name of gained(needed, needs)) {
    into.find('warning', 'feature', {
      observed: `It requires ${name} now.`,
      impact: 'Devices without it are offered no more updates.',
      fix: 'Make the feature optional, unless the app is useless without it.',
    });
  }
  for (const name of gained(needs, needed)) into.change('feature', `It no longer requires ${name}.`);
}

function compareEntries(old: PackageFacts, next: PackageFacts, into: Differences): void {
  const links = (facts: PackageFacts) =>
    new Set(
      facts.components.flatMap((one) =>
        one.links
          .filter(({ excluded }) => !excluded)
          .map(({ pattern, declared }) => `${pattern}${declared ? '' : ' (not to be verified)'}`),
      ),
    );
  const [opened, opens] = [links(old), links(next)];
  for (const link of gained(opened, opens)) {
    into.change('link', `It opens ${link} now.`, 'After the host’s association names the app.');
  }
  for (const link of gained(opens, opened)) {
    into.find('warning', 'link', {
      observed: `It no longer opens ${link}.`,
      impact: 'Such links open in the browser after the update.',
      fix: 'Add it to links in hull.json again, unless this is meant.',
    });
  }
  const exported = (facts: PackageFacts) =>
    new Set(facts.components.filter((one) => one.exported).map(({ name }) => name));
  for (const name of gained(exported(old), exported(next))) {
    into.find('warning', 'exported', {
      observed: `${name} is open to other apps now.`,
      impact: 'Any app on the device can start it.',
      fix: 'Check that it takes nothing on trust.',
    });
  }
}

/** Compares two packages of one app. Signatures' own files are not counted among the changed ones. */
export function comparePackages(old: PackageFacts, next: PackageFacts): Comparison {
  const into = new Differences(next.file);
  compareIdentity(old, next, into);
  compareSignatures(old, next, into);
  compareLevels(old, next, into);
  comparePermissions(old, next, into);
  compareEntries(old, next, into);
  for (const observed of next.limits) {
    into.find('error', 'size', {
      observed,
      impact: 'Stores refuse the upload.',
      fix: 'Make the web folder smaller, or host its large files.',
    });
  }
  return comparisonOf(into, old, next, ({ path }) => !path.startsWith('META-INF/'));
}
