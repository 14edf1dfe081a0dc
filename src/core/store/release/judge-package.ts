import { type Location, task, withTasks } from '../../errors.js';
import type { Finding } from '../../finding.js';
import type { PackageFacts } from '../../platforms/android/inspect/facts.js';

/** API level that new apps and updates have to target (Android store, "Target API level requirements", from August 2026). */
export const TARGET_SDK = 36;
/** Certificates have to be valid beyond this day (Android store, "Sign your app"). */
const VALID_BEYOND = '2033-10-22';

/** Permissions for which a form of the console has to be filled in (Android store, "Permissions and APIs that access sensitive information"). */
const DECLARED: Readonly<Record<string, string>> = {
  ACCESS_BACKGROUND_LOCATION: 'why the location is needed while the app is not open, with a video',
  READ_MEDIA_IMAGES: 'why the photo picker is not enough',
  READ_MEDIA_VIDEO: 'why the photo picker is not enough',
  QUERY_ALL_PACKAGES: 'why all other apps have to be seen',
  REQUEST_INSTALL_PACKAGES: 'why the app installs others',
  MANAGE_EXTERNAL_STORAGE: 'why all files have to be reached',
  READ_SMS: 'the use that is allowed for it',
  SEND_SMS: 'the use that is allowed for it',
  RECEIVE_SMS: 'the use that is allowed for it',
  READ_CALL_LOG: 'the use that is allowed for it',
  USE_EXACT_ALARM: 'that the app is an alarm clock or a calendar',
  USE_FULL_SCREEN_INTENT: 'that the app is for calls or alarms',
  FOREGROUND_SERVICE_LOCATION: 'each kind of foreground service, with a video',
  FOREGROUND_SERVICE_CAMERA: 'each kind of foreground service, with a video',
  FOREGROUND_SERVICE_MICROPHONE: 'each kind of foreground service, with a video',
  FOREGROUND_SERVICE_DATA_SYNC: 'each kind of foreground service, with a video',
  FOREGROUND_SERVICE_MEDIA_PLAYBACK: 'each kind of foreground service, with a video',
};

export interface ExpectedPackage {
  readonly id: string;
  /** Certificates that the project signs with, `AA:BB:…`; empty where they are not known without a password. */
  readonly certificates: readonly string[];
  /** The highest build of each track in the store; `undefined` where the store was not asked. */
  readonly released: number | undefined;
  readonly done: Readonly<Record<string, string>>;
  /** ISO 8601, without the time: an example of how a declaration is noted. */
  readonly today: string;
}

/** What a store would refuse of a package, before anything is sent. */
export function judgePackage(facts: PackageFacts, expected: ExpectedPackage): Finding[] {
  const findings: Finding[] = [];
  const location: Location = { file: facts.file };
  const add = (
    name: string,
    severity: Finding['severity'],
    parts: Pick<Finding, 'observed' | 'impact' | 'fix'>,
  ) => findings.push({ code: `package.${name}`, severity, location, ...parts });
  const refused = 'The store refuses the package.';

  if (facts.id !== expected.id) {
    add('other-app', 'error', {
      observed: `The package is ${facts.id}, and hull.json says ${expected.id}.`,
      impact: refused,
      fix: withTasks`Pack this project: ${task('packProject', 'aab')}`,
    });
  }
  if (facts.kind === 'apk') {
    add('not-a-bundle', 'error', {
      observed: 'This is an installable package, not a bundle.',
      impact: 'The store takes new apps as bundles only.',
      fix: withTasks`Make one with ${task('packProject', 'aab')}.`,
    });
  }
  if (facts.debuggable) {
    add('debuggable', 'error', {
      observed: 'The package is debuggable.',
      impact: refused,
      fix: withTasks`Pack it for release: ${task('packProject', 'aab')}`,
    });
  }
  if (facts.sdk.target < TARGET_SDK) {
    add('target', 'error', {
      observed: `The package targets API level ${facts.sdk.target}.`,
      impact: `New apps and updates have to target API level ${TARGET_SDK}.`,
      fix: withTasks`Pack it again with this version: ${task('packProject', 'aab')}`,
    });
  }
  if (!facts.signature.verifies) {
    add('signature', 'error', {
      observed: 'The signature does not verify.',
      impact: refused,
      fix: withTasks`See why with ${task('inspectPackage', facts.file)}.`,
    });
  }
  const signers = facts.signature.schemes.flatMap((scheme) =>
    scheme.signers.flatMap(({ certificate }) => (certificate ? [certificate] : [])),
  );
  const { certificates } = expected;
  if (
    certificates.length > 0 &&
    signers.length > 0 &&
    !signers.some(({ sha256 }) => certificates.includes(sha256))
  ) {
    add('other-key', 'error', {
      observed: `The package is signed by ${signers[0]?.sha256}, which is no key of hull.json.`,
      impact: 'The store refuses updates that are signed by another key.',
      fix: withTasks`Pack it again, or correct android.key: ${task('showKey')} shows the fingerprint.`,
    });
  }
  const ends = signers.map(({ notAfter }) => notAfter.slice(0, 10)).sort()[0];
  if (ends !== undefined && ends <= VALID_BEYOND) {
    add('certificate-ends', 'error', {
      observed: `The certificate that signs ends on ${ends}.`,
      impact: `The store takes certificates that end after ${VALID_BEYOND}.`,
      fix: withTasks`Before the first release: make another key with ${task('createKey')}.`,
    });
  }
  if (expected.released !== undefined && (facts.build ?? 0) <= expected.released) {
    add('build', 'error', {
      observed: `The package is build ${facts.build ?? 0}, and the store has build ${expected.released}.`,
      impact: 'The store takes each build once, and users never get an older one.',
      fix: withTasks`Raise it with ${task('setVersion', 'build')}, and pack again.`,
    });
  }
  const libraries = facts.alignment.misaligned.filter((path) => path.endsWith('.so'));
  if (libraries.length > 0) {
    add('page-size', 'error', {
      observed: `${libraries[0]} is not aligned to 16 KiB${libraries.length > 1 ? `, nor are ${libraries.length - 1} more` : ''}.`,
      impact: 'Devices with pages of 16 KiB cannot load it, and the store refuses the package.',
      fix: 'Align it, or sign the package again here: that aligns it.',
    });
  }
  for (const limit of facts.limits) {
    add('size', 'error', {
      observed: limit,
      impact: refused,
      fix: 'Keep large media on a server instead of in the package.',
    });
  }
  for (const { name } of facts.permissions) {
    const short = name.replace('android.permission.', '');
    const what = DECLARED[short];
    const key = `permission_${short.toLowerCase()}`;
    if (what === undefined || expected.done[key] !== undefined) continue;
    add('permission-declared', 'warning', {
      observed: `The package asks for ${short}.`,
      impact: 'The store releases it after a form in the console is filled in.',
      fix: `In the console, under app content, say ${what}. Then note the day in hull.json: "release": { "done": { "${key}": "${expected.today}" } }`,
    });
  }
  return findings;
}
