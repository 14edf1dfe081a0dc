import { statSync } from 'node:fs';
import { extname } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { fromSystemError, HullError } from '../../errors.js';
import { readRegularFile } from '../../util/files.js';
import { isObject, type JsonObject } from '../../util/json-object.js';
import { callOnce, isTransient, jsonOf, LineCut, unreachable } from '../http.js';
import type {
  PictureKey,
  ReleaseState,
  ReviewState,
  ReviewWish,
  SentPackage,
  Store,
  StoreContact,
  StoreEdit,
  StoreListing,
  StorePicture,
  StoreRelease,
  StoreState,
  StoreTrack,
  UploadedPackage,
} from '../types.js';
import { type AndroidStoreOptions, Api, listOf, textOf } from './api.js';
import { uploadFile } from './upload.js';

/** The Android store's publishing API, version 3, as publicly documented. */
export const ANDROID_ADDRESS = 'https://androidpublisher.googleapis.com';
const TESTING = 'https://play.google.com/apps/testing';
/** Times that a commit is tried again. */
const COMMITS = 4;
const MOST_PICTURE = 32 * 1024 * 1024;

const STATES: Readonly<Record<string, ReleaseState>> = {
  draft: 'draft',
  inProgress: 'in progress',
  halted: 'halted',
  completed: 'completed',
};
/** `releaseLifecycleState` of the list of a track's releases. */
const REVIEWS: Readonly<Record<string, ReviewState>> = {
  RELEASE_LIFECYCLE_STATE_DRAFT: 'not sent',
  RELEASE_LIFECYCLE_STATE_NOT_SENT_FOR_REVIEW: 'not sent',
  RELEASE_LIFECYCLE_STATE_IN_REVIEW: 'in review',
  RELEASE_LIFECYCLE_STATE_APPROVED_NOT_PUBLISHED: 'approved',
  RELEASE_LIFECYCLE_STATE_NOT_APPROVED: 'rejected',
  RELEASE_LIFECYCLE_STATE_PUBLISHED: 'published',
};
const STATUS_OF: Readonly<Record<ReleaseState, string>> = {
  draft: 'draft',
  'in progress': 'inProgress',
  halted: 'halted',
  completed: 'completed',
};

/** Texts of a listing by the fields that the project has them in. */
const TEXTS = {
  name: 'title',
  summary: 'shortDescription',
  Description: 'fullDescription',
  video: 'video',
} as const;

function releaseOf(value: JsonObject, review: ReviewState): StoreRelease {
  const { name, versionCodes, status, userFraction, releaseNotes, ...others } = value;
  const notes = listOf(releaseNotes).flatMap((note): [string, string][] => {
    const [language, text] = [textOf(note.language), textOf(note.text)];
    return language === undefined || text === undefined ? [] : [[language, text]];
  });
  return {
    name: textOf(name),
    builds: (Array.isArray(versionCodes) ? versionCodes : []).map(Number),
    state: STATES[textOf(status) ?? ''] ?? 'draft',
    share: typeof userFraction === 'number' ? userFraction : undefined,
    notes: new Map(notes),
    review,
    others,
  };
}

function writtenRelease({ name, builds, state, share, notes, others }: StoreRelease): JsonObject {
  return {
    ...others,
    ...(name === undefined ? {} : { name }),
    versionCodes: builds.map(String),
    status: STATUS_OF[state],
    ...(share === undefined ? {} : { userFraction: share }),
    ...(notes.size === 0 ? {} : { releaseNotes: [...notes].map(([language, text]) => ({ language, text })) }),
  };
}

const buildsOf = (value: unknown): string =>
  (Array.isArray(value) ? value.map((one) => Number(isObject(one) ? one.versionCode : one)) : [])
    .sort()
    .join();

/** @param summaries the store's own list of the track's releases, where it has one */
function trackOf(value: JsonObject, summaries: readonly JsonObject[]): StoreTrack {
  const reviews = new Map(
    summaries.map(({ activeArtifacts, releaseLifecycleState }) => [
      buildsOf(activeArtifacts),
      REVIEWS[textOf(releaseLifecycleState) ?? ''] ?? 'unknown',
    ]),
  );
  return {
    name: textOf(value.track) ?? '',
    releases: listOf(value.releases).map((one) =>
      releaseOf(one, reviews.get(buildsOf(one.versionCodes)) ?? 'unknown'),
    ),
  };
}

const pictureOf = ({ id, sha256 }: JsonObject): StorePicture => ({
  id: textOf(id) ?? '',
  digest: textOf(sha256)?.toLowerCase() ?? '',
});

/** A bundle has its digests itself, an installable package in its binary. */
function packageOf(value: JsonObject): UploadedPackage {
  const sha256 = textOf(value.sha256) ?? (isObject(value.binary) ? textOf(value.binary.sha256) : undefined);
  return { build: Number(value.versionCode), digest: sha256?.toLowerCase() ?? '' };
}

function listingOf(value: JsonObject): StoreListing {
  const texts = Object.entries(TEXTS).flatMap(([field, key]): [string, string][] => {
    const text = textOf(value[key]);
    return text === undefined || text === '' ? [] : [[field, text]];
  });
  return { language: textOf(value.language) ?? '', texts: new Map(texts) };
}

/** An edit (publishing API, "Edits"): a copy of the app that is changed, and published by its commit. */
class Edit implements StoreEdit {
  readonly #api: Api;
  readonly #path: string;
  #isLeft = false;

  constructor(api: Api, id: string) {
    this.#api = api;
    this.#path = `/edits/${encodeURIComponent(id)}`;
  }

  leave(): void {
    this.#isLeft = true;
  }

  get isLeft(): boolean {
    return this.#isLeft;
  }

  async state(): Promise<StoreState> {
    const [details, tracks, listings, bundles, apks] = await Promise.all(
      ['details', 'tracks', 'listings', 'bundles', 'apks'].map((part) =>
        this.#api.call('GET', `${this.#path}/${part}`),
      ),
    );
    const named = listOf(tracks?.tracks);
    const summaries = await Promise.all(named.map(({ track }) => this.#summaries(textOf(track) ?? '')));
    const packages = [...listOf(bundles?.bundles), ...listOf(apks?.apks)].map(packageOf);
    return {
      defaultLanguage: textOf(details?.defaultLanguage),
      contact: {
        email: textOf(details?.contactEmail),
        website: textOf(details?.contactWebsite),
        phone: textOf(details?.contactPhone),
      },
      tracks: named.map((track, index) => trackOf(track, summaries[index] ?? [])),
      packages: packages.sort((one, other) => one.build - other.build),
      listings: listOf(listings?.listings).map(listingOf),
    };
  }

  /** A track's releases as they are outside of any edit, which says how far their review is. */
  async #summaries(track: string): Promise<readonly JsonObject[]> {
    const url = this.#api.url(`/tracks/${encodeURIComponent(track)}/releases`);
    const answer = await this.#api.answer({ method: 'GET', url });
    // Not every store that speaks this protocol has it.
    if (answer.status >= 400) return [];
    const body = jsonOf(answer, url);
    return isObject(body) ? listOf(body.releases) : [];
  }

  async pictures(keys: readonly PictureKey[]): Promise<StorePicture[][]> {
    const answers = await this.#api.readMany(keys.map((key) => this.#picturesPath(key)));
    return answers.map(({ images }) => listOf(images).map(pictureOf));
  }

  #picturesPath({ language, type }: PictureKey): string {
    return `${this.#path}/listings/${encodeURIComponent(language)}/${type}`;
  }

  async testers(track: string): Promise<string[]> {
    const { googleGroups } = await this.#api.call(
      'GET',
      `${this.#path}/testers/${encodeURIComponent(track)}`,
    );
    return Array.isArray(googleGroups) ? googleGroups.map(String) : [];
  }

  async uploadPackage(
    { file, kind }: SentPackage,
    onProgress?: (sent: number, size: number) => void,
  ): Promise<UploadedPackage> {
    const body = await this.#upload(
      `${this.#path}/${kind === 'aab' ? 'bundles' : 'apks'}`,
      file,
      'application/octet-stream',
      onProgress,
    );
    return packageOf(body);
  }

  async uploadCrashMap(build: number, file: string): Promise<void> {
    const path = `${this.#path}/apks/${build}/deobfuscationFiles/proguard`;
    await this.#upload(path, file, 'application/octet-stream');
  }

  async #upload(
    path: string,
    file: string,
    type: string,
    onProgress?: (sent: number, size: number) => void,
  ): Promise<JsonObject> {
    const { size } = sizeOf(file);
    const url = this.#api.uploadUrl(path, 'resumable');
    const answer = await uploadFile(
      { url, file, size, type, headers: this.#api.headers, onProgress },
      this.#api.options.access,
    );
    if (answer.status >= 300) throw this.#api.refusal(answer, url);
    const body = jsonOf(answer, url);
    return isObject(body) ? body : {};
  }

  async setContact({
    email,
    website,
    phone,
    defaultLanguage,
  }: StoreContact & { readonly defaultLanguage: string }): Promise<void> {
    await this.#api.call('PATCH', `${this.#path}/details`, {
      json: {
        defaultLanguage,
        ...(email === undefined ? {} : { contactEmail: email }),
        ...(website === undefined ? {} : { contactWebsite: website }),
        ...(phone === undefined ? {} : { contactPhone: phone }),
      },
    });
  }

  async setListing(language: string, texts: ReadonlyMap<string, string>): Promise<void> {
    const json = Object.fromEntries(
      Object.entries(TEXTS).flatMap(([field, key]) => {
        const text = texts.get(field);
        return text === undefined ? [] : [[key, text]];
      }),
    );
    await this.#api.call('PUT', `${this.#path}/listings/${encodeURIComponent(language)}`, {
      json: { language, ...json },
    });
  }

  async setPictures(key: PictureKey, files: readonly string[]): Promise<void> {
    // A picture whose line was cut may have arrived twice: then all of them are sent again, once.
    for (let round = 0; round < 2; round += 1) {
      await this.#api.call('DELETE', this.#picturesPath(key));
      for (const file of files) await this.#sendPicture(key, file);
      const [now = []] = await this.pictures([key]);
      if (now.length === files.length) return;
    }
  }

  async #sendPicture(key: PictureKey, file: string): Promise<void> {
    const bytes = readRegularFile(file, MOST_PICTURE);
    const type = /\.jpe?g$/i.test(extname(file)) ? 'image/jpeg' : 'image/png';
    const url = this.#api.uploadUrl(this.#picturesPath(key), 'media');
    const answer = await this.#api.answer({ method: 'POST', url, body: { bytes, type } });
    if (answer.status >= 400) throw this.#api.refusal(answer, url).at({ file });
  }

  async setTrack({ name, releases }: StoreTrack): Promise<void> {
    await this.#api.call('PUT', `${this.#path}/tracks/${encodeURIComponent(name)}`, {
      json: { track: name, releases: releases.map(writtenRelease) },
    });
  }

  async setTesters(track: string, groups: readonly string[]): Promise<void> {
    await this.#api.call('PUT', `${this.#path}/testers/${encodeURIComponent(track)}`, {
      json: { googleGroups: groups },
    });
  }
}

function sizeOf(file: string): { readonly size: number } {
  try {
    return statSync(file);
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

/** The Android store, for one app. */
export class AndroidStore implements Store {
  readonly name = 'android';
  readonly digest = 'sha256';
  readonly shares = 'any';
  readonly contacts = ['email', 'website', 'phone'] as const;
  readonly address: string;
  readonly account: string;
  readonly #api: Api;

  constructor(options: AndroidStoreOptions) {
    this.address = options.address;
    this.account = options.account.email;
    this.#api = new Api(options);
  }

  hasListing(): boolean {
    return true;
  }

  testerLink(track: string): string | undefined {
    const { packageName, address } = this.#api.options;
    if (track === 'production') return undefined;
    if (address !== ANDROID_ADDRESS) return `${address}/apps/testing/${packageName}`;
    // The link for internal testers has a number that the API does not tell.
    return track === 'internal' ? undefined : `${TESTING}/${packageName}`;
  }

  async look<T>(work: (edit: StoreEdit) => Promise<T>): Promise<T> {
    const id = await this.#begin();
    try {
      return await work(new Edit(this.#api, id));
    } finally {
      await this.#discard(id);
    }
  }

  async change<T>(work: (edit: StoreEdit) => Promise<T>, review: ReviewWish = 'at once'): Promise<T> {
    const id = await this.#begin();
    const path = `/edits/${encodeURIComponent(id)}`;
    try {
      const edit = new Edit(this.#api, id);
      const done = await work(edit);
      if (edit.isLeft) await this.#discard(id);
      else {
        await this.#api.call('POST', `${path}:validate`);
        await this.#commit(path, review);
      }
      return done;
    } catch (error) {
      await this.#discard(id);
      throw error;
    }
  }

  /** A commit is not made twice: where the line is cut, an edit that is gone has been published. */
  async #commit(path: string, review: ReviewWish): Promise<void> {
    const url = this.#api.url(`${path}:commit${review === 'by hand' ? '?changesNotSentForReview=true' : ''}`);
    for (let attempt = 0; ; attempt += 1) {
      try {
        const headers = await this.#api.headers();
        const answer = await callOnce({ method: 'POST', url, headers }, this.#api.options.access);
        if (answer.status < 400) return;
        if (attempt > 0 && answer.status === 404) return;
        if (attempt >= COMMITS || !isTransient(answer.status)) throw this.#api.refusal(answer, url);
      } catch (error) {
        if (!(error instanceof LineCut)) throw error;
        if (attempt >= COMMITS) throw unreachable(url, error);
      }
      const still = await this.#api.answer({ method: 'GET', url: this.#api.url(path) });
      if (still.status === 404) return;
      await wait(1000 * 2 ** attempt, undefined, this.#signal);
    }
  }

  get #signal(): { readonly signal?: AbortSignal } {
    const { signal } = this.#api.options.access;
    return signal ? { signal } : {};
  }

  async #begin(): Promise<string> {
    const { id } = await this.#api.call('POST', '/edits', { json: {} });
    if (typeof id === 'string' && id !== '') return id;
    throw new HullError('store.not-json', 'The store begins an edit and does not name it.', {
      location: { url: this.#api.url('/edits') },
      fix: 'Check that the address is that of a publishing API.',
    });
  }

  /** Takes an edit back; one that ended by itself is in nobody's way. */
  async #discard(id: string): Promise<void> {
    await this.#api.call('DELETE', `/edits/${encodeURIComponent(id)}`).catch(() => undefined);
  }
}
