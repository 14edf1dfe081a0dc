import { HullError } from '../../errors.js';
import type { JsonObject } from '../../util/json-object.js';
import type {
  PictureKey,
  SentPackage,
  StoreContact,
  StoreEdit,
  StorePicture,
  StoreRelease,
  StoreState,
  StoreTrack,
  UploadedPackage,
} from '../types.js';
import { type AppleApi, type Resource, textIn } from './api.js';
import { processedBuild, uploadBuild, uploadedBuilds } from './builds.js';
import type { Groups } from './groups.js';
import { pictureOf, replacePictures, screenshotSets } from './pictures.js';
import {
  commonText,
  INFO_TEXTS,
  type Localized,
  listingOf,
  localizedIn,
  VERSION_TEXTS,
  type Version,
  versionRelease,
  versionsIn,
} from './reading.js';

/** The track that all users get; every other is a group of testers. */
export const PRODUCTION = 'production';
const RELEASE_TYPE = 'AFTER_APPROVAL';

/** What is known of the listing now, and where it can be changed. */
interface ListingState {
  readonly info: Resource | undefined;
  readonly languages: readonly Localized[];
  readonly reviewDetail: Resource | undefined;
}

/**
 * Changes of an app in Apple's store. That store has no edit which is published as one: what concerns a version is changed in the version
 * that is being prepared, which nobody sees before it is submitted. What was made here is taken back where something fails.
 */
export class AppleEdit implements StoreEdit {
  readonly #api: AppleApi;
  readonly #app: Resource;
  readonly #groups: Groups;
  #versions: Promise<readonly Version[]> | undefined;
  #listing: Promise<ListingState> | undefined;
  #prepared: Promise<Version> | undefined;
  /** Takes back what was made, the last first. */
  readonly #undo: (() => Promise<void>)[] = [];
  #submits = false;

  constructor(api: AppleApi, app: Resource, groups: Groups) {
    this.#api = api;
    this.#app = app;
    this.#groups = groups;
  }

  /** There is no edit to take back: nothing was made. */
  leave(): void {
    this.#submits = false;
  }

  async #readVersions(): Promise<readonly Version[]> {
    this.#versions ??= this.#api
      .list(`/v1/apps/${encodeURIComponent(this.#app.id)}/appStoreVersions`, {
        'filter[platform]': 'IOS',
        include: 'build,appStoreVersionPhasedRelease',
        limit: '20',
      })
      .then(versionsIn);
    return this.#versions;
  }

  /** The listing of the version that can be changed, else of the newest. */
  async #readListing(): Promise<ListingState> {
    this.#listing ??= (async () => {
      const versions = await this.#readVersions();
      const version = versions.find(({ isEditable }) => isEditable) ?? versions[0];
      const infos = await this.#api.list(`/v1/apps/${encodeURIComponent(this.#app.id)}/appInfos`, {
        limit: '10',
      });
      const info =
        infos.data.find(
          (one) => (textIn(one, 'state') ?? textIn(one, 'appStoreState')) !== 'READY_FOR_DISTRIBUTION',
        ) ?? infos.data[0];
      const below = async (path: string | undefined) =>
        path === undefined ? [] : (await this.#api.list(path, { limit: '200' })).data;
      const place = version && `/v1/appStoreVersions/${encodeURIComponent(version.id)}`;
      const [ofInfo, ofVersion, detail] = await Promise.all([
        below(info && `/v1/appInfos/${encodeURIComponent(info.id)}/appInfoLocalizations`),
        below(place && `${place}/appStoreVersionLocalizations`),
        place === undefined ? undefined : this.#api.get(`${place}/appStoreReviewDetail`),
      ]);
      return { info, languages: localizedIn(ofInfo, ofVersion), reviewDetail: detail };
    })();
    return this.#listing;
  }

  async state(): Promise<StoreState> {
    const [versions, listing, packages, groups] = await Promise.all([
      this.#readVersions(),
      this.#readListing(),
      uploadedBuilds(this.#api, this.#app.id, this.#api.options.version),
      this.#groups.tracks(),
    ]);
    const { languages, reviewDetail } = listing;
    const newest = versions[0];
    const notes = new Map(
      languages.flatMap(({ language, version }): [string, string][] => {
        const text = version && textIn(version, 'whatsNew');
        return text === undefined ? [] : [[language, text]];
      }),
    );
    const production: StoreTrack = {
      name: PRODUCTION,
      releases: versions
        .filter(({ build }) => build !== undefined)
        .map((version) => versionRelease(version, version === newest ? notes : new Map())),
      ...(versions.some(({ isPublished }) => isPublished) ? {} : { takesNotes: false as const }),
    };
    return {
      defaultLanguage: textIn(this.#app, 'primaryLocale'),
      contact: {
        email: reviewDetail && textIn(reviewDetail, 'contactEmail'),
        phone: reviewDetail && textIn(reviewDetail, 'contactPhone'),
        website: commonText(
          languages.map(({ version }) => version),
          'supportUrl',
        ),
        privacy: commonText(
          languages.map(({ info }) => info),
          'privacyPolicyUrl',
        ),
      },
      tracks: [...groups, production],
      packages,
      listings: languages.map(listingOf),
    };
  }

  async pictures(keys: readonly PictureKey[]): Promise<readonly (readonly StorePicture[])[]> {
    const { languages } = await this.#readListing();
    const asked = [...new Set(keys.map(({ language }) => language))];
    const sets = new Map(
      await Promise.all(
        asked.map(async (language) => {
          const version = languages.find((one) => one.language === language)?.version;
          return [
            language,
            version === undefined ? [] : await screenshotSets(this.#api, version.id),
          ] as const;
        }),
      ),
    );
    return keys.map(({ language, type }) =>
      (sets.get(language)?.find((one) => one.type === type)?.pictures ?? []).map(pictureOf),
    );
  }

  testers(track: string): Promise<string[]> {
    return this.#groups.testers(track);
  }

  async uploadPackage(
    sent: SentPackage,
    onProgress?: (sent: number, size: number) => void,
  ): Promise<UploadedPackage> {
    return uploadBuild(this.#api, this.#app.id, sent, onProgress);
  }

  async uploadCrashMap(): Promise<void> {
    throw new HullError('release.not-sent', 'Apple’s store takes no map for reports of crashes.', {
      fix: 'Leave it out: symbols go with the archive.',
    });
  }

  /** The version that is changed: the one that is being prepared, or a new one. */
  #prepare(): Promise<Version> {
    this.#prepared ??= (async () => {
      const { version: text } = this.#api.options;
      const editable = (await this.#readVersions()).find(({ isEditable }) => isEditable);
      if (editable) {
        if (editable.text !== text)
          await this.#api.update('appStoreVersions', editable.id, { versionString: text });
        return editable;
      }
      const made = await this.#api.create(
        'appStoreVersions',
        { platform: 'IOS', versionString: text, releaseType: RELEASE_TYPE },
        { app: ['apps', this.#app.id] },
      );
      this.#undo.push(() => this.#api.remove('appStoreVersions', made.id));
      // It begins with the texts of the version before, in resources of its own.
      this.#versions = undefined;
      this.#listing = undefined;
      const found = (await this.#readVersions()).find(({ id }) => id === made.id);
      if (found) return found;
      throw new HullError('store.not-json', 'The store makes a version and does not list it.', {
        location: { url: this.#api.url('/v1/appStoreVersions') },
        fix: 'Send it again in a minute.',
      });
    })();
    return this.#prepared;
  }

  async #localized(language: string): Promise<Localized | undefined> {
    return (await this.#readListing()).languages.find((one) => one.language === language);
  }

  async setListing(language: string, texts: ReadonlyMap<string, string>): Promise<void> {
    const { id } = await this.#prepare();
    const known = await this.#localized(language);
    const infoId = (await this.#readListing()).info?.id;
    const attributes = (names: Readonly<Record<string, string>>, old: Resource | undefined): JsonObject =>
      Object.fromEntries(
        Object.entries(names).flatMap(([field, name]) => {
          const text = texts.get(field);
          return text === undefined || (old && textIn(old, name) === text) ? [] : [[name, text]];
        }),
      );
    const info = attributes(INFO_TEXTS, known?.info);
    const version = attributes(VERSION_TEXTS, known?.version);
    // A new language of the app brings that of the version with it.
    if (infoId !== undefined && Object.keys(info).length > 0)
      await this.#localize('appInfoLocalizations', known?.info, language, info, [
        'appInfo',
        'appInfos',
        infoId,
      ]);
    this.#listing = undefined;
    const now = await this.#localized(language);
    if (Object.keys(version).length > 0)
      await this.#localize('appStoreVersionLocalizations', now?.version, language, version, [
        'appStoreVersion',
        'appStoreVersions',
        id,
      ]);
    this.#listing = undefined;
  }

  async #localize(
    type: string,
    known: Resource | undefined,
    language: string,
    attributes: JsonObject,
    [name, of, id]: readonly [string, string, string],
  ): Promise<void> {
    if (known) {
      await this.#api.update(type, known.id, attributes);
      return;
    }
    await this.#api.create(type, { locale: language, ...attributes }, { [name]: [of, id] });
  }

  async setContact(contact: StoreContact & { readonly defaultLanguage: string }): Promise<void> {
    const { email, phone, website, privacy, defaultLanguage } = contact;
    const { id } = await this.#prepare();
    const { languages, reviewDetail } = await this.#readListing();
    if (textIn(this.#app, 'primaryLocale') !== defaultLanguage)
      await this.#api.update('apps', this.#app.id, { primaryLocale: defaultLanguage });
    const review = {
      ...(email === undefined ? {} : { contactEmail: email }),
      ...(phone === undefined ? {} : { contactPhone: phone }),
    };
    if (Object.keys(review).length > 0) {
      if (reviewDetail) await this.#api.update('appStoreReviewDetails', reviewDetail.id, review);
      else
        await this.#api.create('appStoreReviewDetails', review, {
          appStoreVersion: ['appStoreVersions', id],
        });
    }
    for (const { info, version } of languages) {
      if (website !== undefined && version && textIn(version, 'supportUrl') !== website)
        await this.#api.update('appStoreVersionLocalizations', version.id, { supportUrl: website });
      if (privacy !== undefined && info && textIn(info, 'privacyPolicyUrl') !== privacy)
        await this.#api.update('appInfoLocalizations', info.id, { privacyPolicyUrl: privacy });
    }
    this.#listing = undefined;
  }

  async setPictures({ language, type }: PictureKey, files: readonly string[]): Promise<void> {
    await this.#prepare();
    const version = (await this.#localized(language))?.version;
    if (version === undefined) {
      throw new HullError('store.refused', `The store has no listing in ${language} yet.`, {
        fix: 'Give the language a text first: its pictures belong to it.',
      });
    }
    await replacePictures(this.#api, version.id, type, files);
  }

  async setTesters(track: string, groups: readonly string[]): Promise<void> {
    await this.#groups.setTesters(track, groups);
  }

  async setTrack(track: StoreTrack): Promise<void> {
    if (track.name === PRODUCTION) for (const release of track.releases) await this.#setVersion(release);
    else await this.#groups.give(track);
  }

  async #setVersion(release: StoreRelease): Promise<void> {
    const versions = await this.#readVersions();
    const now = versions.find(({ build }) => build?.number === release.builds[0]);
    if (now && now.state === release.state && now.share === release.share && !now.isEditable) return;
    if (now?.isPublished) return this.#setPhase(now, release);
    const version = now ?? (await this.#prepare());
    const [number = 0] = release.builds;
    if (version.build?.number !== number) {
      const build = await processedBuild(this.#api, this.#app.id, number, this.#api.options.version);
      await this.#api.relate(
        'PATCH',
        `/v1/appStoreVersions/${encodeURIComponent(version.id)}/relationships/build`,
        {
          type: 'builds',
          id: build.id,
        },
      );
    }
    await this.#setNotes(release.notes);
    await this.#setPhase(version, release);
    if (release.state !== 'draft' && version.review !== 'in review' && version.review !== 'approved')
      this.#submits = true;
    this.#versions = undefined;
  }

  async #setNotes(notes: ReadonlyMap<string, string>): Promise<void> {
    for (const { language, version } of (await this.#readListing()).languages) {
      const text = notes.get(language);
      if (version === undefined || text === undefined || textIn(version, 'whatsNew') === text) continue;
      await this.#api.update('appStoreVersionLocalizations', version.id, { whatsNew: text });
    }
    this.#listing = undefined;
  }

  /** Begins, halts, resumes or ends a phased release. */
  async #setPhase({ id, phased, isPublished }: Version, { state }: StoreRelease): Promise<void> {
    const type = 'appStoreVersionPhasedReleases';
    const wanted = state === 'halted' ? 'PAUSED' : state === 'in progress' ? 'ACTIVE' : undefined;
    if (phased === undefined) {
      if (wanted === 'ACTIVE' && !isPublished)
        await this.#api.create(
          type,
          { phasedReleaseState: 'INACTIVE' },
          { appStoreVersion: ['appStoreVersions', id] },
        );
      return;
    }
    if (!isPublished) {
      if (wanted === undefined) await this.#api.remove(type, phased.id);
      return;
    }
    const next = wanted ?? 'COMPLETE';
    if (phased.state !== next) await this.#api.update(type, phased.id, { phasedReleaseState: next });
    this.#versions = undefined;
  }

  /**
   * Submits the version for review, where that is wanted: the store judges first what is added to a submission, and the submission itself
   * comes last.
   */
  async commit(): Promise<void> {
    if (!this.#submits) return;
    const { id } = await this.#prepare();
    const open = await this.#api.list('/v1/reviewSubmissions', {
      'filter[app]': this.#app.id,
      'filter[platform]': 'IOS',
      'filter[state]': 'READY_FOR_REVIEW',
    });
    const submission =
      open.data[0] ??
      (await this.#api.create('reviewSubmissions', { platform: 'IOS' }, { app: ['apps', this.#app.id] }));
    const items = await this.#api.list(`/v1/reviewSubmissions/${encodeURIComponent(submission.id)}/items`);
    if (items.data.length === 0) {
      const item = await this.#api.create(
        'reviewSubmissionItems',
        {},
        {
          reviewSubmission: ['reviewSubmissions', submission.id],
          appStoreVersion: ['appStoreVersions', id],
        },
      );
      this.#undo.push(() => this.#api.remove('reviewSubmissionItems', item.id));
    }
    await this.#api.update('reviewSubmissions', submission.id, { submitted: true });
  }

  async discard(): Promise<void> {
    for (const take of this.#undo.reverse()) await take().catch(() => undefined);
  }
}
