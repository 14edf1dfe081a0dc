import { randomUUID } from 'node:crypto';
import { PHASES } from '../../core/store/release/tracks.js';
import type { JsonObject } from '../../core/util/json-object.js';
import type { Books } from './books.js';
import type { Review, StoredResource } from './model.js';

/** Reviews of versions and of external tests, as the queue calls them. */
export const PRODUCTION = 'production';
export const TESTING = 'external testing';
const DAY = 86_400_000;

/** What the queue calls an app of Apple's store. */
export const reviewedApp = (bundleId: string): string => `apple/${bundleId}`;

export const textOf = ({ attributes }: Pick<StoredResource, 'attributes'>, name: string): string =>
  typeof attributes[name] === 'string' ? attributes[name] : '';

export const idOf = ({ related }: Pick<StoredResource, 'related'>, name: string): string =>
  typeof related[name] === 'string' ? related[name] : '';

export const idsOf = ({ related }: Pick<StoredResource, 'related'>, name: string): readonly string[] =>
  Array.isArray(related[name]) ? related[name] : [];

/** Resources of Apple's store: what is kept, and what follows from it. */
export class Shelf {
  readonly books: Books;
  readonly #now: () => number;

  constructor(books: Books, now: () => number) {
    this.books = books;
    this.#now = now;
  }

  all(type: string, app?: string): StoredResource[] {
    return this.books.resources(type).filter((one) => app === undefined || one.app === app);
  }

  /** Those that belong to another, by a relationship of theirs. */
  below(type: string, name: string, id: string): StoredResource[] {
    return this.books.resources(type).filter((one) => idOf(one, name) === id);
  }

  find(id: string): StoredResource | undefined {
    return this.books.resource(id);
  }

  add(
    type: string,
    app: string,
    attributes: JsonObject,
    related: StoredResource['related'] = {},
  ): StoredResource {
    const made = { id: randomUUID(), type, app, attributes, related };
    this.books.keepResource(made);
    return made;
  }

  change(
    resource: StoredResource,
    attributes: JsonObject,
    related: StoredResource['related'] = {},
  ): StoredResource {
    const changed = {
      ...resource,
      attributes: { ...resource.attributes, ...attributes },
      related: { ...resource.related, ...related },
    };
    this.books.keepResource(changed);
    return changed;
  }

  /** Takes a resource away, and everything that belongs to it. */
  remove(id: string): void {
    for (const type of [
      'appStoreVersionLocalizations',
      'appScreenshotSets',
      'appScreenshots',
      'appInfoLocalizations',
    ])
      for (const one of this.books.resources(type))
        if (Object.values(one.related).includes(id)) this.remove(one.id);
    this.books.removeResource(id);
  }

  // What follows

  bundleId(app: string): string {
    const found = this.find(app);
    return found ? textOf(found, 'bundleId') : '';
  }

  buildNumber(version: StoredResource): string {
    const build = this.find(idOf(version, 'build'));
    return build ? textOf(build, 'version') : '';
  }

  #reviewOf(app: string, track: string, builds: string): Review | undefined {
    return this.books
      .reviews(reviewedApp(this.bundleId(app)))
      .find((one) => one.track === track && one.builds === builds);
  }

  /** Versions of an app, the newest first. */
  versions(app: string): StoredResource[] {
    return this.all('appStoreVersions', app).reverse();
  }

  /** `appVersionState`: what was submitted goes the way of its review. */
  versionState(version: StoredResource): string {
    const state = textOf(version, 'state');
    if (state !== 'SUBMITTED') return state;
    const review = this.#reviewOf(version.app, PRODUCTION, this.buildNumber(version));
    if (review?.state === 'rejected') return 'REJECTED';
    if (review?.state !== 'published') return 'WAITING_FOR_REVIEW';
    const newest = this.versions(version.app).find((one) => this.#isPublished(one));
    return newest?.id === version.id ? 'READY_FOR_DISTRIBUTION' : 'REPLACED_WITH_NEW_VERSION';
  }

  #isPublished(version: StoredResource): boolean {
    return (
      textOf(version, 'state') === 'SUBMITTED' &&
      this.#reviewOf(version.app, PRODUCTION, this.buildNumber(version))?.state === 'published'
    );
  }

  hasPublished(app: string): boolean {
    return this.versions(app).some((version) => this.#isPublished(version));
  }

  rejection(version: StoredResource): string | undefined {
    return this.#reviewOf(version.app, PRODUCTION, this.buildNumber(version))?.reason ?? undefined;
  }

  phaseOf(version: StoredResource): StoredResource | undefined {
    return this.below('appStoreVersionPhasedReleases', 'appStoreVersion', version.id)[0];
  }

  /** State and day of a phased release: it begins when its version is published, and grows each day that it is not paused. */
  phase(phased: StoredResource): { readonly state: string; readonly day: number } {
    const version = this.find(idOf(phased, 'appStoreVersion'));
    const stored = textOf(phased, 'phasedReleaseState');
    if (version === undefined || !this.#isPublished(version)) return { state: stored, day: 1 };
    const since = this.#reviewOf(version.app, PRODUCTION, this.buildNumber(version))?.since ?? this.#now();
    const day = Math.min(PHASES.length, 1 + Math.floor((this.#now() - since) / DAY));
    if (stored === 'COMPLETE') return { state: stored, day: PHASES.length };
    if (stored === 'PAUSED') return { state: stored, day };
    return day >= PHASES.length ? { state: 'COMPLETE', day } : { state: 'ACTIVE', day };
  }

  /** Groups of a build. */
  groupsOf(build: StoredResource): StoredResource[] {
    return this.all('betaGroups', build.app).filter((group) => idsOf(group, 'builds').includes(build.id));
  }

  testingStates(build: StoredResource): { readonly internal: string; readonly external: string } {
    if (this.processingState(build) !== 'VALID') return { internal: 'PROCESSING', external: 'PROCESSING' };
    const groups = this.groupsOf(build);
    const isIn = (internal: boolean) =>
      groups.some(({ attributes }) => attributes.isInternalGroup === internal);
    const review = this.#reviewOf(build.app, TESTING, textOf(build, 'version'))?.state;
    const external =
      review === undefined
        ? 'READY_FOR_BETA_SUBMISSION'
        : review === 'rejected'
          ? 'BETA_REJECTED'
          : review === 'published'
            ? isIn(false)
              ? 'IN_BETA_TESTING'
              : 'BETA_APPROVED'
            : 'WAITING_FOR_BETA_REVIEW';
    return { internal: isIn(true) ? 'IN_BETA_TESTING' : 'READY_FOR_BETA_TESTING', external };
  }

  /** A build is processed for a moment after its upload was judged. */
  processingState(build: StoredResource): string {
    const ready = Number(build.attributes.readyAt ?? 0);
    return ready <= this.#now() ? 'VALID' : 'PROCESSING';
  }
}
