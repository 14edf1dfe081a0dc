import { permissionMeaning } from '../app/permissions.js';
import type { PackageFacts, SizeShare } from './inspect.js';

/** Whether one package would be taken as an update of another, by a store and by a device; and what changed. */

export type Severity = 'blocks' | 'warns' | 'notes';

export interface Difference {
  readonly severity: Severity;
  /** Stable name of the kind of difference. */
  readonly code: string;
  readonly saw: string;
  /** What follows from it, for users or for the release. */
  readonly means?: string;
}

export interface SizeChange {
  readonly part: SizeShare['part'] | 'package';
  /** Bytes. */
  readonly before: number;
  readonly after: number;
}

export interface Comparison {
  /** False where a store or a device would refuse the update. */
  readonly updates: boolean;
  /** What blocks first. */
  readonly differences: readonly Difference[];
  readonly sizes: readonly SizeChange[];
  readonly files: {
    readonly added: readonly string[];
    readonly removed: readonly string[];
    readonly changed: readonly string[];
  };
}

/** Stores take no higher version code (the platform’s store). */
const MAX_BUILD = 2_100_000_000;

const ORDER: readonly Severity[] = ['blocks', 'warns', 'notes'];

/** SHA-256 of the newest signer's certificate, and of those before it in its lineage. */
function signerLine(facts: PackageFacts): {
  readonly signer: string | undefined;
  readonly before: readonly string[];
} {
  const newest = facts.signature.schemes.at(-1)?.signers[0];
  const before = (newest?.lineage ?? []).flatMap(({ certificate }) => certificate?.sha256 ?? []);
  return { signer: newest?.certificate?.sha256, before };
}

function identity(old: PackageFacts, next: PackageFacts): Difference[] {
  const found: Difference[] = [];
  if (old.id !== next.id) {
    found.push({
      severity: 'blocks',
      code: 'id',
      saw: `The app ID was ${old.id} and is ${next.id}.`,
      means:
        'It is another app: it would be installed beside the old one, and stores refuse it as an update.',
    });
  }
  if (old.kind !== next.kind) {
    found.push({
      severity: 'warns',
      code: 'kind',
      saw: `An ${old.kind.toUpperCase()} is compared with an ${next.kind.toUpperCase()}.`,
      means:
        'A bundle is signed with the upload key and a package by the store’s: certificates and sizes are not alike.',
    });
  }
  if (old.build !== undefined && next.build !== undefined && next.build <= old.build) {
    found.push({
      severity: 'blocks',
      code: 'build',
      saw:
        next.build === old.build
          ? `Both have build ${old.build}.`
          : `The build was ${old.build} and is ${next.build}.`,
      means:
        'Stores take every version code once, and devices none below the one that is installed. Raise it: hull version',
    });
  }
  if (next.build !== undefined && next.build > MAX_BUILD) {
    found.push({
      severity: 'blocks',
      code: 'build',
      saw: `Build ${next.build} is above ${MAX_BUILD}, which is as far as stores go.`,
    });
  }
  if (old.version === next.version) {
    found.push({
      severity: 'notes',
      code: 'version',
      saw: `Both say version ${next.version ?? '?'}.`,
      means: 'Users cannot tell them apart.',
    });
  }
  return found;
}

function signatures(old: PackageFacts, next: PackageFacts): Difference[] {
  if (!next.signature.verifies) {
    return [
      {
        severity: 'blocks',
        code: 'signature',
        saw:
          next.signature.verdict === 'unsigned'
            ? 'The new one is not signed.'
            : 'The signatures of the new one do not hold.',
        means: 'No device installs it; hull inspect says what is wrong.',
      },
    ];
  }
  const [was, is] = [signerLine(old), signerLine(next)];
  if (was.signer === undefined || is.signer === undefined) return [];
  if (was.signer === is.signer) return [];
  if (is.before.includes(was.signer)) {
    return [
      {
        severity: 'notes',
        code: 'signer',
        saw: 'A new key signs, for which the old one vouches in the lineage.',
        means: 'Devices that read lineages take it; older ones go on with the original signer.',
      },
    ];
  }
  if (was.before.includes(is.signer)) {
    return [
      {
        severity: 'blocks',
        code: 'signer',
        saw: 'An older key signs than the one that succeeded it.',
        means: 'Devices refuse to go back. Sign with the newest key.',
      },
    ];
  }
  const severity = old.kind === next.kind ? 'blocks' : 'warns';
  return [
    {
      severity,
      code: 'signer',
      saw: `Another key signs: it was ${was.signer} and is ${is.signer}.`,
      means:
        'Devices refuse the update, and stores the upload. Sign with the key that signed before; see hull keys show.',
    },
  ];
}

function levels(old: PackageFacts, next: PackageFacts): Difference[] {
  const found: Difference[] = [];
  if (next.sdk.min > old.sdk.min) {
    found.push({
      severity: 'warns',
      code: 'min-sdk',
      saw: `The lowest API level was ${old.sdk.min} and is ${next.sdk.min}.`,
      means: 'Users of older devices keep what they have and get no more updates.',
    });
  } else if (next.sdk.min < old.sdk.min) {
    found.push({
      severity: 'notes',
      code: 'min-sdk',
      saw: `The lowest API level was ${old.sdk.min} and is ${next.sdk.min}: more devices can install it.`,
    });
  }
  if (next.sdk.target < old.sdk.target) {
    found.push({
      severity: 'blocks',
      code: 'target-sdk',
      saw: `It was made for API ${old.sdk.target} and is for ${next.sdk.target}.`,
      means:
        'Stores refuse a lower target, and devices do where permissions would be granted without asking.',
    });
  } else if (next.sdk.target > old.sdk.target) {
    found.push({
      severity: 'warns',
      code: 'target-sdk',
      saw: `It was made for API ${old.sdk.target} and is for ${next.sdk.target}.`,
      means: 'The platform’s newer rules count from now on.',
    });
  }
  if (next.debuggable) {
    found.push({
      severity: 'blocks',
      code: 'debuggable',
      saw: 'The new one is debuggable.',
      means: 'Stores refuse it, and anyone could look inside the running app.',
    });
  }
  return found;
}

const short = (name: string) => name.replace(/^android\.permission\./, '');

function reach(old: PackageFacts, next: PackageFacts): Difference[] {
  const names = (facts: PackageFacts) => new Set(facts.permissions.map(({ name }) => name));
  const [had, has] = [names(old), names(next)];
  const gained = [...has].filter((name) => !had.has(name));
  const lost = [...had].filter((name) => !has.has(name));
  const required = (facts: PackageFacts) =>
    facts.features.filter((feature) => feature.required).map(({ name }) => name);
  const found: Difference[] = [];
  for (const name of gained) {
    const known = permissionMeaning(name);
    const asked = known?.granted === 'asked';
    found.push({
      severity: asked ? 'warns' : 'notes',
      code: 'permission',
      saw: `It asks for ${short(name)} now${known ? `: ${known.meaning}` : '.'}`,
      means: asked
        ? 'Users are asked when it is needed; the store shows it, and reviewers want to know what for.'
        : 'Granted without a question; the store shows it.',
    });
  }
  for (const name of lost) {
    found.push({
      severity: 'notes',
      code: 'permission',
      saw: `It asks for ${short(name)} no more.`,
      means: 'What it allowed fails where a page still asks for it.',
    });
  }
  const [needed, needs] = [required(old), required(next)];
  for (const name of needs.filter((one) => !needed.includes(one))) {
    found.push({
      severity: 'warns',
      code: 'feature',
      saw: `It requires ${name} now.`,
      means: 'Devices without it are offered no more updates.',
    });
  }
  for (const name of needed.filter((one) => !needs.includes(one))) {
    found.push({ severity: 'notes', code: 'feature', saw: `It requires ${name} no more.` });
  }
  const links = (facts: PackageFacts) =>
    new Set(
      facts.components.flatMap((one) =>
        one.links
          .filter(({ excluded }) => !excluded)
          .map(({ pattern, verified }) => `${pattern}${verified ? '' : ' (not verified)'}`),
      ),
    );
  const [linked, links2] = [links(old), links(next)];
  for (const link of [...links2].filter((one) => !linked.has(one))) {
    found.push({
      severity: 'notes',
      code: 'link',
      saw: `It opens ${link} now.`,
      means: 'Once the host’s association names the app.',
    });
  }
  for (const link of [...linked].filter((one) => !links2.has(one))) {
    found.push({
      severity: 'warns',
      code: 'link',
      saw: `It opens ${link} no more.`,
      means: 'Such links open in the browser after the update.',
    });
  }
  const open = (facts: PackageFacts) =>
    new Set(facts.components.filter(({ exported }) => exported).map(({ name }) => name));
  const was = open(old);
  for (const name of [...open(next)].filter((one) => !was.has(one))) {
    found.push({ severity: 'warns', code: 'exported', saw: `${name} is open to other apps now.` });
  }
  return found;
}

function sizes(old: PackageFacts, next: PackageFacts): SizeChange[] {
  const packed = (facts: PackageFacts, part: SizeShare['part']) =>
    facts.sizes.find((share) => share.part === part)?.packed ?? 0;
  const parts = [...new Set([...old.sizes, ...next.sizes].map(({ part }) => part))];
  const changes = parts.map((part) => ({ part, before: packed(old, part), after: packed(next, part) }));
  return [
    ...changes.filter(({ before, after }) => before !== after),
    { part: 'package' as const, before: old.size, after: next.size },
  ];
}

/** Compares two packages of one app. Signatures' own files are not counted among the changed ones. */
export function comparePackages(old: PackageFacts, next: PackageFacts): Comparison {
  const differences = [
    ...identity(old, next),
    ...signatures(old, next),
    ...levels(old, next),
    ...reach(old, next),
    ...next.limits.map((saw): Difference => ({ severity: 'blocks', code: 'size', saw })),
  ].sort((a, b) => ORDER.indexOf(a.severity) - ORDER.indexOf(b.severity));
  const byPath = (facts: PackageFacts) =>
    new Map(facts.files.filter(({ path }) => !path.startsWith('META-INF/')).map((file) => [file.path, file]));
  const [was, is] = [byPath(old), byPath(next)];
  return {
    updates: !differences.some(({ severity }) => severity === 'blocks'),
    differences,
    sizes: sizes(old, next),
    files: {
      added: [...is.keys()].filter((path) => !was.has(path)).sort(),
      removed: [...was.keys()].filter((path) => !is.has(path)).sort(),
      changed: [...is]
        .filter(([path, file]) => was.has(path) && was.get(path)?.crc32 !== file.crc32)
        .map(([path]) => path)
        .sort(),
    },
  };
}
