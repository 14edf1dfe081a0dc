import { HullError } from '../../errors.js';
import type { StoreTrack } from '../types.js';
import { type AppleApi, type Document, type Resource, relatedIn, textIn } from './api.js';
import { processedBuild } from './builds.js';
import { testedRelease } from './reading.js';

/** Builds of a group that are read. */
const SHOWN = '5';

/** Groups of testers (App Store Connect API, "Beta Groups"): each is a track of its own. */
export class Groups {
  readonly #api: AppleApi;
  readonly #app: string;
  #groups: Promise<readonly Resource[]> | undefined;

  constructor(api: AppleApi, app: string) {
    this.#api = api;
    this.#app = app;
  }

  async #all(): Promise<readonly Resource[]> {
    this.#groups ??= this.#api
      .list('/v1/betaGroups', { 'filter[app]': this.#app, limit: '200' })
      .then(({ data }) => data);
    return this.#groups;
  }

  async #find(name: string): Promise<Resource | undefined> {
    return (await this.#all()).find((one) => textIn(one, 'name') === name);
  }

  /** Throws `release.bad-track`. */
  async #named(name: string): Promise<Resource> {
    const group = await this.#find(name);
    if (group) return group;
    const names = (await this.#all()).flatMap((one) => textIn(one, 'name') ?? []);
    throw new HullError('release.bad-track', `There is no group of testers "${name}".`, {
      location: { option: 'to' },
      fix: `${names.length === 0 ? 'There is none yet' : `Groups: ${names.join(', ')}`}. Name production, or a group; one with testers in release.apple.testers is made.`,
    });
  }

  /** Link by which anybody can join, by the group's name. */
  async links(): Promise<ReadonlyMap<string, string>> {
    return new Map(
      (await this.#all()).flatMap((group): [string, string][] => {
        const [name, link] = [textIn(group, 'name'), textIn(group, 'publicLink')];
        return name === undefined || link === undefined || group.attributes.publicLinkEnabled !== true
          ? []
          : [[name, link]];
      }),
    );
  }

  #builds(group: Resource): Promise<Document> {
    return this.#api.list('/v1/builds', {
      'filter[app]': this.#app,
      'filter[betaGroups]': group.id,
      include: 'preReleaseVersion,buildBetaDetail,betaBuildLocalizations',
      sort: '-uploadedDate',
      limit: SHOWN,
    });
  }

  async tracks(): Promise<StoreTrack[]> {
    return Promise.all(
      (await this.#all()).map(async (group): Promise<StoreTrack> => {
        const document = await this.#builds(group);
        const isInternal = group.attributes.isInternalGroup === true;
        return {
          name: textIn(group, 'name') ?? '',
          releases: document.data.flatMap((build) => testedRelease(build, document, isInternal)).slice(0, 1),
        };
      }),
    );
  }

  async #testers(group: Resource): Promise<ReadonlyMap<string, string>> {
    const { data } = await this.#api.list(`/v1/betaGroups/${encodeURIComponent(group.id)}/betaTesters`, {
      limit: '200',
    });
    return new Map(
      data.flatMap((tester): [string, string][] => {
        const email = textIn(tester, 'email');
        return email === undefined ? [] : [[email.toLowerCase(), tester.id]];
      }),
    );
  }

  async testers(name: string): Promise<string[]> {
    const group = await this.#find(name);
    return group === undefined ? [] : [...(await this.#testers(group)).keys()];
  }

  /** Makes the group where it is not there yet. */
  async setTesters(name: string, emails: readonly string[]): Promise<void> {
    let group = await this.#find(name);
    if (group === undefined) {
      group = await this.#api.create('betaGroups', { name }, { app: ['apps', this.#app] });
      this.#groups = undefined;
    }
    const now = await this.#testers(group);
    const wanted = new Set(emails.map((email) => email.toLowerCase()));
    for (const email of wanted) {
      if (!now.has(email))
        await this.#api.create('betaTesters', { email }, { betaGroups: [['betaGroups', group.id]] });
    }
    const gone = [...now]
      .filter(([email]) => !wanted.has(email))
      .map(([, id]) => ({ type: 'betaTesters', id }));
    if (gone.length > 0)
      await this.#api.relate(
        'DELETE',
        `/v1/betaGroups/${encodeURIComponent(group.id)}/relationships/betaTesters`,
        gone,
      );
  }

  /** Gives the newest build of a track to its group; an external group gets it after a review. */
  async give({ name, releases }: StoreTrack): Promise<void> {
    const [release] = releases;
    if (release === undefined || release.state === 'draft') return;
    const group = await this.#named(name);
    const [number = 0] = release.builds;
    const version = /^(\S+) \(/.exec(release.name ?? '')?.[1];
    const build = await processedBuild(this.#api, this.#app, number, version);
    await this.#setNotes(build, release.notes);
    // Some groups get every build by themselves, and refuse to be given one.
    if (group.attributes.hasAccessToAllBuilds !== true)
      await this.#api.relate('POST', `/v1/betaGroups/${encodeURIComponent(group.id)}/relationships/builds`, [
        { type: 'builds', id: build.id },
      ]);
    if (group.attributes.isInternalGroup !== true) await this.#review(build);
  }

  async #setNotes(build: Resource, notes: ReadonlyMap<string, string>): Promise<void> {
    const { data } = await this.#api.list(
      `/v1/builds/${encodeURIComponent(build.id)}/betaBuildLocalizations`,
      { limit: '50' },
    );
    for (const [language, text] of notes) {
      const known = data.find((one) => textIn(one, 'locale') === language);
      if (known === undefined)
        await this.#api.create(
          'betaBuildLocalizations',
          { locale: language, whatsNew: text },
          { build: ['builds', build.id] },
        );
      else if (textIn(known, 'whatsNew') !== text)
        await this.#api.update('betaBuildLocalizations', known.id, { whatsNew: text });
    }
  }

  /** Sends a build for the review of external testing, where it was not sent yet. */
  async #review(build: Resource): Promise<void> {
    const document = await this.#api.list('/v1/builds', {
      'filter[app]': this.#app,
      'filter[id]': build.id,
      include: 'buildBetaDetail',
    });
    const [own] = document.data;
    const [detail] = own ? relatedIn(document, own, 'buildBetaDetail') : [];
    const state = detail && textIn(detail, 'externalBuildState');
    if (state === 'MISSING_EXPORT_COMPLIANCE') {
      throw new HullError('store.refused', 'The store asks whether the build encrypts anything of its own.', {
        fix: 'Answer it in App Store Connect; apps made here say it in Info.plist (apple.encryption), so that nobody asks again.',
      });
    }
    if (state === 'READY_FOR_BETA_SUBMISSION')
      await this.#api.create('betaAppReviewSubmissions', {}, { build: ['builds', build.id] });
  }
}
