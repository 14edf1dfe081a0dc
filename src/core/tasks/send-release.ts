import { statSync } from 'node:fs';
import { extname } from 'node:path';
import { fromSystemError, HullError, type Location, task, withTasks } from '../errors.js';
import { NOTES, storeLength } from '../listing/fields.js';
import { storeLanguage } from '../listing/languages.js';
import { type Listing, notesFor } from '../listing/read.js';
import type { PackageIdentity } from '../platforms/android/inspect/facts.js';
import { inspectPackage, packageIdentity } from '../platforms/android/inspect/inspect.js';
import { mainLanguage, type Project, readProject } from '../project/project.js';
import {
  contactChanges,
  languagesIn,
  pictureChanges,
  type StoreChange,
  testerChanges,
  textChanges,
} from '../store/release/plan.js';
import { TRACKS, trackIn, withRelease } from '../store/release/tracks.js';
import type {
  ReviewWish,
  StoreEdit,
  StoreRelease,
  StoreState,
  StoreTrack,
  UploadedPackage,
} from '../store/types.js';
import { fileSha256, newestFirst, readTextFile, shownPath } from '../util/files.js';
import { pointerStep } from '../util/json-locations.js';
import { type OpenedStore, openStore, type StoreOptions } from './open-store.js';
import { outFolder } from './out-folder.js';
import { projectListing } from './project-listing.js';

export interface SendOptions extends StoreOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** An `.aab` or `.apk`; by default the newest bundle, else the newest package, of the project. */
  readonly file?: string | undefined;
  /** By default `release.track`. */
  readonly track?: string | undefined;
  /** Part of the users, above 0 and at most 1; by default all. */
  readonly share?: number | undefined;
  /** File with release notes in the app's own language; by default those of the listing. */
  readonly notes?: string | undefined;
  /** `by hand`: published after somebody has sent the changes for review in the console. */
  readonly review?: ReviewWish | undefined;
  /** Uploaded, and released by hand in the console. */
  readonly draft?: boolean | undefined;
  /** Map that turns names in reports of crashes back into those of the source. */
  readonly crashMap?: string | undefined;
  /** `look`: says what would change, and changes nothing. */
  readonly mode?: 'send' | 'look' | undefined;
  readonly onProgress?: ((sent: number, size: number) => void) | undefined;
  /** Called with what is done next. */
  readonly onStep?: ((step: string) => void) | undefined;
}

/** What a release changed, or would change. */
export interface SentRelease {
  readonly store: string;
  readonly account: string;
  readonly isStandIn: boolean;
  readonly id: string;
  readonly track: string;
  readonly file: string;
  readonly size: number;
  readonly build: number;
  readonly version: string | undefined;
  /** Whether the store had this very package already. */
  readonly wasThere: boolean;
  /** Whether it was released on the track just so. */
  readonly isReleased: boolean;
  /** As the track has it afterwards. */
  readonly release: StoreRelease;
  readonly before: StoreTrack | undefined;
  readonly after: StoreTrack;
  readonly changes: readonly Omit<StoreChange, 'make'>[];
  readonly testerLink: string | undefined;
  readonly isSent: boolean;
}

/** The package that is sent: as named, else the newest bundle, else the newest package. Throws `release.no-package`. */
export function packageToSend(project: Project, named: string | undefined): string {
  if (named !== undefined) return named;
  const found = [/\.aab$/, /^(?!.*-debug).*\.apk$/].flatMap((ending) =>
    newestFirst(outFolder(project), ending),
  )[0];
  if (found !== undefined) return shownPath(found);
  throw new HullError('release.no-package', 'There is no package to send.', {
    location: { file: outFolder(project) },
    fix: withTasks`Make one with ${task('packProject', 'aab')}, or name a file.`,
  });
}

const wrongPackage = (message: string, file: string, fix: HullError['fix']) =>
  new HullError('release.wrong-package', message, { location: { file }, ...(fix ? { fix } : {}) });

async function readPackage(project: Project, file: string): Promise<PackageIdentity> {
  if (extname(file).toLowerCase() === '.ipa') {
    throw new HullError('release.not-sent', 'An .ipa that was made here is not sent to Apple’s store.', {
      location: { file },
      fix: withTasks`That store takes only what Apple’s own tools built: make a source project with ${task('packSourceProject')} for Apple, and archive it there.`,
    });
  }
  const identity = await packageIdentity(file);
  const { id } = project.settings.android;
  if (identity.id !== id)
    throw wrongPackage(
      `This is ${identity.id}, and the project is ${id}.`,
      file,
      'Send a package of this project.',
    );
  if (identity.debuggable)
    throw wrongPackage(
      'The package is debuggable; stores refuse it.',
      file,
      withTasks`Make one for release: ${task('packProject', 'aab')}`,
    );
  if (identity.build === undefined) throw wrongPackage('The package has no version code.', file, undefined);
  return identity;
}

/** Whether the package is signed: that takes as long as to send it, and is done meanwhile. */
async function checkSignature(file: string): Promise<void> {
  const { signature } = await inspectPackage(file);
  if (signature.verifies) return;
  throw wrongPackage(
    'The package’s signature does not verify.',
    file,
    withTasks`Look at it with ${task('inspectPackage', file)}.`,
  );
}

/** Release notes by the store's language. Throws `release.bad-notes`. */
function releaseNotes(
  listing: Listing,
  { notes, project }: { readonly notes: string | undefined; readonly project: Project },
): Map<string, string> {
  const { app } = project.settings;
  const found = new Map<string, string>();
  const locations = new Map<string, Location>();
  if (notes !== undefined) {
    const language = storeLanguage('android', mainLanguage(project)) ?? 'en-US';
    found.set(language, readTextFile(notes).trim());
    locations.set(language, { file: notes });
  } else {
    for (const [language, own] of languagesIn(listing, 'android')) {
      const text = notesFor(own, app.version);
      if (text === undefined) continue;
      found.set(language, text.value);
      locations.set(language, text.location);
    }
  }
  for (const [language, text] of found) {
    const length = storeLength(text);
    if (length <= 500 && length > 0) continue;
    throw new HullError(
      'release.bad-notes',
      length === 0
        ? 'The release notes are empty.'
        : `The release notes in ${language} have ${length} characters; the store takes 500.`,
      {
        location: locations.get(language) ?? {},
        fix: `Shorten them: "# ${NOTES}" in the listing, or the file that was named.`,
      },
    );
  }
  return found;
}

const sameNotes = (one: ReadonlyMap<string, string>, other: ReadonlyMap<string, string>) =>
  one.size === other.size && [...one].every(([language, text]) => other.get(language) === text);

/** Everything that is known before anything is changed. */
interface Prepared {
  readonly project: Project;
  readonly opened: OpenedStore;
  readonly listing: Listing;
  readonly facts: PackageIdentity;
  readonly sha256: Promise<string>;
  /** Fails where the package must not be published. */
  readonly checked: Promise<void>;
  readonly track: string;
  readonly notes: ReadonlyMap<string, string>;
  readonly options: SendOptions;
}

async function changesOf(
  edit: StoreEdit,
  state: StoreState,
  { project, listing }: Prepared,
): Promise<StoreChange[]> {
  const { release } = project.settings;
  const main = storeLanguage('android', mainLanguage(project));
  const languages = languagesIn(listing, 'android');
  const locate = (key: string) =>
    project.location(key === 'language' ? '/app/language' : `/release/contact/${key}`);
  return [
    ...textChanges(listing, state, 'android'),
    ...(main !== undefined && (languages.has(main) || state.defaultLanguage === undefined)
      ? contactChanges(release.contact, main, state, locate)
      : contactChanges(release.contact, state.defaultLanguage ?? 'en-US', state, locate)),
    ...(await pictureChanges(listing, edit, state, 'android')),
    ...(await testerChanges(release.testers, edit, (track) =>
      project.location(`/release/testers/${pointerStep(track)}`),
    )),
  ];
}

const buildUsed = (message: string, file: string) =>
  new HullError('release.build-used', message, {
    location: { file },
    fix: withTasks`Raise the build with ${task('setVersion', 'build')}, pack again, and send that.`,
  });

/** Refuses a build that the store has from other bytes, or that is below what users of the track have. */
async function checkBuild(state: StoreState, { facts, track, sha256 }: Prepared): Promise<void> {
  const build = facts.build as number;
  const used = state.packages.find((one) => one.build === build);
  if (used && used.sha256 !== '' && used.sha256 !== (await sha256))
    throw buildUsed(`The store has another package as build ${build} already.`, facts.file);
  const newest = Math.max(0, ...(trackIn(state, track)?.releases.flatMap(({ builds }) => builds) ?? []));
  if (newest > build)
    throw buildUsed(`${track} has build ${newest} already, and this package is build ${build}.`, facts.file);
}

async function upload(edit: StoreEdit, prepared: Prepared): Promise<UploadedPackage> {
  const { facts, options } = prepared;
  options.onStep?.(`uploading ${shownPath(facts.file)}`);
  const sent = await edit.uploadPackage(facts.file, facts.kind === 'aab' ? 'aab' : 'apk', options.onProgress);
  if (sent.sha256 !== '' && sent.sha256 !== (await prepared.sha256)) {
    throw new HullError(
      'store.upload-damaged',
      'The store has other bytes than were sent. Nothing was published.',
      {
        location: { file: facts.file },
        fix: 'Send it again. If it happens again, something between this computer and the store changes files.',
      },
    );
  }
  if (options.crashMap !== undefined) await edit.uploadCrashMap(sent.build, options.crashMap);
  return sent;
}

function releaseIn(track: StoreTrack, { facts, notes, options }: Prepared): StoreTrack {
  const build = facts.build as number;
  const release = {
    name: facts.version === undefined ? undefined : `${facts.version} (${build})`,
    builds: [build],
    notes,
  };
  if (!options.draft) return withRelease(track, release, options.share);
  const others = track.releases.filter(({ state }) => state !== 'draft');
  return {
    name: track.name,
    releases: [{ ...release, state: 'draft', share: undefined, review: 'unknown' }, ...others],
  };
}

/** Whether a track has this build just as it would be released now. */
function isReleased(track: StoreTrack | undefined, wanted: StoreTrack): boolean {
  const own = wanted.releases[0] as StoreRelease;
  const there = track?.releases.find(({ builds }) => builds.join() === own.builds.join());
  return (
    there !== undefined &&
    there.state === own.state &&
    there.share === own.share &&
    sameNotes(there.notes, own.notes)
  );
}

/** What would change, and what has to be done for it. */
interface Plan {
  readonly changes: readonly StoreChange[];
  readonly before: StoreTrack | undefined;
  readonly after: StoreTrack;
  readonly wasThere: boolean;
  readonly isReleased: boolean;
}

async function planIn(edit: StoreEdit, prepared: Prepared): Promise<Plan> {
  const { facts, track } = prepared;
  const state = await edit.state();
  await checkBuild(state, prepared);
  const before = trackIn(state, track);
  const after = releaseIn(before ?? { name: track, releases: [] }, prepared);
  return {
    changes: await changesOf(edit, state, prepared),
    before,
    after,
    wasThere: state.packages.some(({ build }) => build === facts.build),
    isReleased: isReleased(before, after),
  };
}

async function carryOut(edit: StoreEdit, prepared: Prepared): Promise<Plan> {
  const { track, options } = prepared;
  // Somebody may have changed the app since it was looked at.
  const plan = await planIn(edit, prepared);
  if (plan.changes.length > 0) options.onStep?.('sending texts and pictures');
  for (const change of plan.changes) await change.make(edit);
  if (!plan.isReleased) {
    if (!plan.wasThere) await upload(edit, prepared);
    options.onStep?.(`releasing on ${track}`);
    await edit.setTrack(plan.after);
  }
  await prepared.checked;
  return plan;
}

/**
 * Sends a package to a track of the store, with the texts, pictures and testers of the project that the store has otherwise: validated
 * first, published last, and nothing of it where anything fails.
 *
 * @throws HullError `store.*`, `release.*`, `listing.malformed`, `package.unknown`, `zip.*`, `config.*`, `file.*`
 */
export async function sendRelease(options: SendOptions): Promise<SentRelease> {
  const prepared = await prepare(options);
  const { opened, project, facts, track } = prepared;
  options.onStep?.('comparing with the store');
  const plan = await opened.store.look((edit) => planIn(edit, prepared));
  if (options.mode === 'look') await prepared.checked;
  const isSent = options.mode !== 'look' && !(plan.isReleased && plan.changes.length === 0);
  const done = isSent ? await opened.store.change((edit) => carryOut(edit, prepared), options.review) : plan;
  return {
    store: opened.store.address,
    account: opened.store.account,
    isStandIn: opened.isStandIn,
    id: project.settings.android.id,
    track,
    file: facts.file,
    size: facts.size,
    build: facts.build as number,
    version: facts.version,
    wasThere: plan.wasThere,
    isReleased: plan.isReleased,
    release: done.after.releases[0] as StoreRelease,
    before: plan.before,
    after: done.after,
    changes: done.changes.map(({ make: _make, ...shown }) => shown),
    testerLink: opened.store.testerLink(track),
    isSent,
  };
}

async function prepare(options: SendOptions): Promise<Prepared> {
  const project = readProject(options.project ?? '.');
  const { release } = project.settings;
  const file = packageToSend(project, options.file);
  const track = options.track ?? release.track;
  if (track === undefined) {
    throw new HullError('release.bad-track', 'No track is named.', {
      location: { option: 'to' },
      fix: `Name one, as ${TRACKS.join(', ')}; or set release.track in hull.json.`,
    });
  }
  if (options.crashMap !== undefined) checkThere(options.crashMap);
  const opened = openStore(project, options);
  const facts = await readPackage(project, file);
  const listing = projectListing(project);
  const notes = releaseNotes(listing, { notes: options.notes, project });
  const sha256 = fileSha256(file);
  const checked = checkSignature(file);
  for (const one of [sha256, checked]) one.catch(() => undefined);
  return { project, opened, listing, facts, track, notes, options, sha256, checked };
}

function checkThere(file: string): void {
  try {
    statSync(file);
  } catch (error) {
    throw fromSystemError(error, file);
  }
}
