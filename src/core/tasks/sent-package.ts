import { extname } from 'node:path';
import { HullError, task, withTasks } from '../errors.js';
import type { StoreName } from '../listing/languages.js';
import { inspectPackage, packageIdentity } from '../platforms/android/inspect/inspect.js';
import { ipaIdentity } from '../platforms/apple/inspect/identity.js';
import { inspectIpa } from '../platforms/apple/inspect/inspect.js';
import type { Project } from '../project/project.js';
import { isCurrentSdk, judgeStoreIpa, LEAST_SDK } from '../store/release/judge-ipa.js';
import type { SentPackage } from '../store/types.js';
import { newestFirst, shownPath } from '../util/files.js';
import { trustedRoot } from './apple-signing.js';
import { outFolder } from './out-folder.js';
import { isVerified } from './verified-packages.js';

/** The store that takes a file, by its ending. */
export const storeFor = (file: string): StoreName =>
  extname(file).toLowerCase() === '.ipa' ? 'apple' : 'android';

/**
 * The package that is sent: as named, else the newest of the project that the store takes.
 *
 * @throws HullError `release.no-package`
 */
export function packageToSend(project: Project, named: string | undefined, store: StoreName): string {
  if (named !== undefined) return named;
  const endings = store === 'apple' ? [/\.ipa$/] : [/\.aab$/, /^(?!.*-debug).*\.apk$/];
  const found = endings.flatMap((ending) => newestFirst(outFolder(project), ending))[0];
  if (found !== undefined) return shownPath(found);
  throw new HullError('release.no-package', 'There is no package to send.', {
    location: { file: outFolder(project) },
    fix:
      store === 'apple'
        ? withTasks`Make a source project with ${task('packSourceProject')} for Apple, archive it on a Mac, and name the .ipa that it exports.`
        : withTasks`Make one with ${task('packProject', 'aab')}, or name a file.`,
  });
}

const wrongPackage = (message: string, file: string, fix?: HullError['fix']) =>
  new HullError('release.wrong-package', message, { location: { file }, ...(fix ? { fix } : {}) });

function checkApp(id: string, wanted: string, file: string): void {
  if (id !== wanted)
    throw wrongPackage(
      `This is ${id}, and the project is ${wanted}.`,
      file,
      'Send a package of this project.',
    );
}

async function readIpa({ settings }: Project, file: string): Promise<SentPackage> {
  const { id, sdk, size, version, build } = await ipaIdentity(file);
  if (sdk === undefined) {
    throw new HullError('release.not-sent', 'An .ipa that was made here is not sent to Apple’s store.', {
      location: { file },
      fix: withTasks`That store takes only what Apple’s own tools built: make a source project with ${task('packSourceProject')} for Apple, and archive it there.`,
    });
  }
  checkApp(id, settings.apple.id, file);
  if (!isCurrentSdk(sdk)) {
    throw wrongPackage(
      `The package was built with the SDK ${sdk}; the store takes ${LEAST_SDK} and later.`,
      file,
      'Archive the source project again with Apple’s current tools.',
    );
  }
  if (build === undefined || !/^\d{1,15}$/.test(build)) {
    throw wrongPackage(
      build === undefined ? 'The package has no build number.' : `The build is "${build}", not one number.`,
      file,
      withTasks`Set CFBundleVersion to one number, as the source project does: ${task('setVersion', 'build')}`,
    );
  }
  if (version === undefined)
    throw wrongPackage('The package has no version (CFBundleShortVersionString).', file);
  return { file, kind: 'ipa', size, version, build: Number(build) };
}

/**
 * Reads which app and build a package is.
 *
 * @throws HullError `release.wrong-package`, `release.not-sent`, `package.unknown`, `zip.*`, `file.*`
 */
export async function readOutgoing(project: Project, file: string): Promise<SentPackage> {
  if (storeFor(file) === 'apple') return readIpa(project, file);
  const { id, kind, size, version, build, debuggable } = await packageIdentity(file);
  checkApp(id, project.settings.android.id, file);
  if (debuggable)
    throw wrongPackage(
      'The package is debuggable; stores refuse it.',
      file,
      withTasks`Make one for release: ${task('packProject', 'aab')}`,
    );
  if (build === undefined) throw wrongPackage('The package has no version code.', file);
  return { file, kind: kind === 'aab' ? 'aab' : 'apk', size, version, build };
}

/**
 * Whether a package is signed as the store wants it: that takes as long as to send it, and is done meanwhile. What was packed here was
 * verified then.
 *
 * @param digest SHA-256 of a package for Android, hexadecimal
 * @throws HullError `release.wrong-package`, `zip.*`
 */
export async function checkOutgoing(
  project: Project,
  { kind, file }: SentPackage,
  digest: Promise<string>,
): Promise<void> {
  if (kind === 'ipa') {
    const facts = await inspectIpa(file, trustedRoot(project).root);
    const [fault] = judgeStoreIpa(facts).filter(({ severity }) => severity === 'error');
    if (fault) throw wrongPackage(fault.observed, file, fault.fix);
    return;
  }
  if (isVerified(project.dir, await digest)) return;
  const { signature } = await inspectPackage(file);
  if (signature.verifies) return;
  throw wrongPackage(
    'The package’s signature does not verify.',
    file,
    withTasks`Look at it with ${task('inspectPackage', file)}.`,
  );
}
