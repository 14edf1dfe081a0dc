import { statSync } from 'node:fs';
import { fromSystemError, HullError, type Location, task, withTasks } from '../errors.js';
import { LISTING_FIELDS, NOTES, storeLength } from '../listing/fields.js';
import { type StoreName, storeLanguage } from '../listing/languages.js';
import { type Listing, notesFor } from '../listing/read.js';
import { mainLanguage, openProject, type Project, type ProjectSource } from '../project/project.js';
import {
  contactChanges,
  languagesIn,
  pictureChanges,
  type StoreChange,
  testerChanges,
  textChanges,
} from '../store/release/plan.js';
import { checkShare, TRACKS, trackIn, withRelease } from '../store/release/tracks.js';
import type {
  ReviewWish,
  SentPackage,
  Store,
  StoreEdit,
  StoreRelease,
  StoreState,
  StoreTrack,
  UploadedPackage,
} from '../store/types.js';
import { fileDigest, readTextFile, shownPath } from '../util/files.js';
import { pointerStep } from '../util/json-locations.js';
import { type OpenedStore, openStore, type StoreOptions } from './open-store.js';
import { projectListing } from './project-listing.js';
import { checkOutgoing, packageToSend, readOutgoing, storeFor } from './sent-package.js';

export interface SendOptions extends StoreOptions {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  /** An `.aab`, `.apk` or `.ipa`; by default the newest of the project that the store takes. */
  readonly file?: string | undefined;
  /** A track, or a group of testers of Apple's store; by default `release.track`, or `release.apple.track`. */
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
  readonly which: StoreName;
  /** Address of its API. */
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

/** The most characters of release notes, in UTF-16 code units. */
const notesLimit = (store: StoreName): number =>
  LISTING_FIELDS.find(({ key }) => key === NOTES)?.limits[store] ?? 500;

/** Release notes by the store's language. Throws `release.bad-notes`. */
function releaseNotes(
  listing: Listing,
  {
    notes,
    project,
    store,
  }: { readonly notes: string | undefined; readonly project: Project; readonly store: StoreName },
): Map<string, string> {
  const { app } = project.settings;
  const found = new Map<string, string>();
  const locations = new Map<string, Location>();
  if (notes !== undefined) {
    const language = storeLanguage(store, mainLanguage(project)) ?? 'en-US';
    found.set(language, readTextFile(notes).trim());
    locations.set(language, { file: notes });
  } else {
    for (const [language, own] of languagesIn(listing, store)) {
      const text = notesFor(own, app.version);
      if (text === undefined) continue;
      found.set(language, text.value);
      locations.set(language, text.location);
    }
  }
  const most = notesLimit(store);
  for (const [language, text] of found) {
    const length = storeLength(text);
    if (length <= most && length > 0) continue;
    throw new HullError(
      'release.bad-notes',
      length === 0
        ? 'The release notes are empty.'
        : `The release notes in ${language} have ${length} characters; the store takes ${most}.`,
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
  readonly facts: SentPackage;
  readonly digest: Promise<string>;
  /** Fails where the package must not be published. */
  readonly checked: Promise<void>;
  readonly track: string;
  readonly notes: ReadonlyMap<string, string>;
  readonly options: SendOptions;
}

/** Where `hull.json` has what a store says of the app's maker. */
const CONTACT_PLACES = {
  language: '/app/language',
  email: '/release/contact/email',
  website: '/release/contact/website',
  phone: '/release/contact/phone',
  privacy: '/release/privacy',
} as const;

async function changesOf(
  edit: StoreEdit,
  state: StoreState,
  { project, listing, opened: { store }, track }: Prepared,
): Promise<StoreChange[]> {
  const { release } = project.settings;
  const testers = store.name === 'apple' ? release.apple.testers : release.testers;
  const place = store.name === 'apple' ? '/release/apple/testers' : '/release/testers';
  const changed = await testerChanges(testers, edit, (group) =>
    project.location(`${place}/${pointerStep(group)}`),
  );
  if (!store.hasListing(track)) return changed;
  const main = storeLanguage(store.name, mainLanguage(project));
  const languages = languagesIn(listing, store.name);
  const hasMain = main !== undefined && (languages.has(main) || state.defaultLanguage === undefined);
  return [
    ...textChanges(listing, state, store.name),
    ...contactChanges(
      { ...release.contact, privacy: release.privacy },
      store.contacts,
      hasMain ? main : (state.defaultLanguage ?? 'en-US'),
      state,
      (key) => project.location(CONTACT_PLACES[key]),
    ),
    ...(await pictureChanges(listing, edit, state, store)),
    ...changed,
  ];
}

const buildUsed = (message: string, file: string) =>
  new HullError('release.build-used', message, {
    location: { file },
    fix: withTasks`Raise the build with ${task('setVersion', 'build')}, pack again, and send that.`,
  });

/** Refuses a build that the store has from other bytes, or that is below what users of the track have. */
async function checkBuild(state: StoreState, { facts, track, digest }: Prepared): Promise<void> {
  const { build } = facts;
  const used = state.packages.find((one) => one.build === build);
  if (used && used.digest !== '' && used.digest !== (await digest))
    throw buildUsed(`The store has another package as build ${build} already.`, facts.file);
  const newest = Math.max(0, ...(trackIn(state, track)?.releases.flatMap(({ builds }) => builds) ?? []));
  if (newest > build)
    throw buildUsed(`${track} has build ${newest} already, and this package is build ${build}.`, facts.file);
}

async function upload(edit: StoreEdit, prepared: Prepared): Promise<UploadedPackage> {
  const { facts, options } = prepared;
  options.onStep?.(`uploading ${shownPath(facts.file)}`);
  const sent = await edit.uploadPackage(facts, options.onProgress);
  if (sent.digest !== '' && sent.digest !== (await prepared.digest)) {
    throw new HullError(
      'store.upload-damaged',
      'The store has other bytes than were sent. Nothing was published.',
      {
        location: { file: facts.file },
        fix: 'Send it again. If it happens again, something between this computer and the store changes files.',
      },
    );
  }
  return sent;
}

function releaseIn(track: StoreTrack, { facts, notes, options }: Prepared): StoreTrack {
  const { build } = facts;
  const release = {
    name: facts.version === undefined ? undefined : `${facts.version} (${build})`,
    builds: [build],
    notes: track.takesNotes === false ? new Map<string, string>() : notes,
  };
  if (!options.draft) return withRelease(track, release, options.share);
  const others = track.releases.filter(({ state }) => state !== 'draft');
  return {
    name: track.name,
    releases: [{ ...release, state: 'draft', share: undefined, review: 'unknown' }, ...others],
  };
}

/** Whether a track has this build just as it would be released now. */
function isReleased(track: StoreTrack | undefined, wanted: StoreTrack, shares: Store['shares']): boolean {
  const own = wanted.releases[0] as StoreRelease;
  const there = track?.releases.find(({ builds }) => builds.join() === own.builds.join());
  return (
    there !== undefined &&
    there.state === own.state &&
    (there.share === own.share || shares === 'phased') &&
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
    isReleased: isReleased(before, after, prepared.opened.store.shares),
  };
}

async function carryOut(edit: StoreEdit, prepared: Prepared): Promise<Plan> {
  const { track, options } = prepared;
  const plan = await planIn(edit, prepared);
  if (isThere(plan, options)) {
    edit.leave();
    return plan;
  }
  if (plan.changes.length > 0) options.onStep?.('sending texts and pictures');
  for (const change of plan.changes) await change.make(edit);
  if (!plan.isReleased) {
    if (!plan.wasThere) await upload(edit, prepared);
    options.onStep?.(`releasing on ${track}`);
    await edit.setTrack(plan.after);
  }
  if (options.crashMap !== undefined) await edit.uploadCrashMap(prepared.facts.build, options.crashMap);
  await prepared.checked;
  return plan;
}

/** Whether the store has everything just so; of a map for crashes it does not say. */
const isThere = ({ isReleased, changes }: Plan, { crashMap }: SendOptions): boolean =>
  isReleased && changes.length === 0 && crashMap === undefined;

/**
 * Sends a package to a track of the store, with the texts, pictures and testers of the project that the store has otherwise: validated
 * first, published last, and nothing of it where anything fails.
 *
 * @throws HullError `store.*`, `release.*`, `listing.malformed`, `package.unknown`, `zip.*`, `config.*`, `file.*`
 */
export async function sendRelease(options: SendOptions): Promise<SentRelease> {
  const prepared = await prepare(options);
  const { opened, project, facts, track } = prepared;
  const isLook = options.mode === 'look';
  options.onStep?.('comparing with the store');
  const plan = isLook
    ? await opened.store.look((edit) => planIn(edit, prepared))
    : await opened.store.change((edit) => carryOut(edit, prepared), options.review);
  if (isLook) await prepared.checked;
  const isSent = !isLook && !isThere(plan, options);
  return {
    which: opened.store.name,
    store: opened.store.address,
    account: opened.store.account,
    isStandIn: opened.isStandIn,
    id: project.settings[opened.store.name].id,
    track,
    file: facts.file,
    size: facts.size,
    build: facts.build,
    version: facts.version,
    wasThere: plan.wasThere,
    isReleased: plan.isReleased,
    release: plan.after.releases[0] as StoreRelease,
    before: plan.before,
    after: plan.after,
    changes: plan.changes.map(({ make: _make, ...shown }) => shown),
    testerLink: opened.store.testerLink(track),
    isSent,
  };
}

async function prepare(options: SendOptions): Promise<Prepared> {
  const project = openProject(options.project);
  const { release } = project.settings;
  const name = options.store ?? (options.file === undefined ? 'android' : storeFor(options.file));
  const file = packageToSend(project, options.file, name);
  const track = options.track ?? (name === 'apple' ? release.apple.track : release.track);
  if (track === undefined) {
    throw new HullError('release.bad-track', 'No track is named.', {
      location: { option: 'to' },
      fix:
        name === 'apple'
          ? 'Name production, or a group of testers; or set release.apple.track in hull.json.'
          : `Name one, as ${TRACKS.join(', ')}; or set release.track in hull.json.`,
    });
  }
  if (options.crashMap !== undefined) checkCrashMap(options.crashMap, name);
  const opened = openStore(project, { ...options, store: name });
  checkShare(options.share, opened.store);
  const facts = await readOutgoing(project, file);
  const listing = projectListing(project);
  const notes = releaseNotes(listing, { notes: options.notes, project, store: name });
  const digest = fileDigest(file, opened.store.digest);
  const checked = checkOutgoing(project, facts, digest);
  for (const one of [digest, checked]) one.catch(() => undefined);
  return { project, opened, listing, facts, track, notes, options, digest, checked };
}

function checkCrashMap(file: string, store: StoreName): void {
  if (store === 'apple') {
    throw new HullError('release.not-sent', 'Apple’s store takes no map for reports of crashes.', {
      location: { option: 'crash-map' },
      fix: 'Leave it out: symbols go with the archive.',
    });
  }
  try {
    statSync(file);
  } catch (error) {
    throw fromSystemError(error, file);
  }
}
