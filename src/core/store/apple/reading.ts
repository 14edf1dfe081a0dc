import { isObject, type JsonObject } from '../../util/json-object.js';
import { PHASES } from '../release/tracks.js';
import type { ReleaseState, ReviewState, StoreListing, StoreRelease } from '../types.js';
import { type Document, type Resource, relatedIn, textIn } from './api.js';

/** What the API's resources mean (App Store Connect API, "App Store Versions", "Builds", "Beta Groups"). */

/** States of a version in which it can be changed. */
const EDITABLE = new Set([
  'PREPARE_FOR_SUBMISSION',
  'DEVELOPER_REJECTED',
  'REJECTED',
  'METADATA_REJECTED',
  'INVALID_BINARY',
]);
/** A rejected version reaches nobody, and can be changed and submitted again: a draft. */
const VERSION_STATES: Readonly<Record<string, readonly [ReleaseState, ReviewState]>> = {
  PREPARE_FOR_SUBMISSION: ['draft', 'not sent'],
  READY_FOR_REVIEW: ['draft', 'not sent'],
  WAITING_FOR_REVIEW: ['completed', 'in review'],
  IN_REVIEW: ['completed', 'in review'],
  WAITING_FOR_EXPORT_COMPLIANCE: ['completed', 'in review'],
  ACCEPTED: ['completed', 'approved'],
  PENDING_DEVELOPER_RELEASE: ['completed', 'approved'],
  PENDING_APPLE_RELEASE: ['completed', 'approved'],
  PROCESSING_FOR_DISTRIBUTION: ['completed', 'approved'],
  READY_FOR_DISTRIBUTION: ['completed', 'published'],
  DEVELOPER_REJECTED: ['draft', 'not sent'],
  REJECTED: ['draft', 'rejected'],
  METADATA_REJECTED: ['draft', 'rejected'],
  INVALID_BINARY: ['draft', 'rejected'],
};
/** `externalBuildState` and `internalBuildState` of a build. */
const BUILD_STATES: Readonly<Record<string, ReviewState>> = {
  MISSING_EXPORT_COMPLIANCE: 'not sent',
  IN_EXPORT_COMPLIANCE_REVIEW: 'in review',
  READY_FOR_BETA_SUBMISSION: 'not sent',
  WAITING_FOR_BETA_REVIEW: 'in review',
  IN_BETA_REVIEW: 'in review',
  BETA_REJECTED: 'rejected',
  BETA_APPROVED: 'approved',
  READY_FOR_BETA_TESTING: 'published',
  IN_BETA_TESTING: 'published',
};

/** Names of texts of a listing in the two resources that a listing has. */
export const INFO_TEXTS = { name: 'name', subtitle: 'subtitle' } as const;
export const VERSION_TEXTS = {
  Description: 'description',
  keywords: 'keywords',
  promotion: 'promotionalText',
} as const;

/** A version of the store, with what belongs to it. */
export interface Version {
  readonly id: string;
  readonly text: string;
  readonly isEditable: boolean;
  readonly isPublished: boolean;
  readonly build: { readonly id: string; readonly number: number } | undefined;
  readonly phased: { readonly id: string; readonly state: string } | undefined;
  readonly state: ReleaseState;
  readonly review: ReviewState;
  readonly share: number | undefined;
}

/** A phased release before it begins gives its first share. */
function phaseOf(
  version: Resource,
  document: Document,
): Pick<Version, 'phased'> & { share?: number; state?: ReleaseState } {
  const [phased] = relatedIn(document, version, 'appStoreVersionPhasedRelease');
  const state = phased && textIn(phased, 'phasedReleaseState');
  if (phased === undefined || state === undefined || state === 'COMPLETE') return { phased: undefined };
  const day = Number(phased.attributes.currentDayNumber ?? 1);
  return {
    phased: { id: phased.id, state },
    share: PHASES[Math.min(Math.max(day, 1), PHASES.length) - 1] ?? 1,
    state: state === 'PAUSED' ? 'halted' : 'in progress',
  };
}

/** Versions, the newest first; those that another has replaced are left out. */
export function versionsIn(document: Document): Version[] {
  return document.data.flatMap((version): Version[] => {
    const name = textIn(version, 'appVersionState') ?? textIn(version, 'appStoreState') ?? '';
    const known = VERSION_STATES[name];
    if (known === undefined) return [];
    const [state, review] = known;
    const phase = phaseOf(version, document);
    const [build] = relatedIn(document, version, 'build');
    const number = build && Number(textIn(build, 'version'));
    return [
      {
        id: version.id,
        text: textIn(version, 'versionString') ?? '',
        isEditable: EDITABLE.has(name),
        isPublished: review === 'published',
        build: build && number !== undefined ? { id: build.id, number } : undefined,
        phased: phase.phased,
        state: state === 'completed' ? (phase.state ?? state) : state,
        review,
        share: state === 'completed' ? phase.share : undefined,
      },
    ];
  });
}

export function versionRelease(version: Version, notes: ReadonlyMap<string, string>): StoreRelease {
  const { text, build, state, share, review } = version;
  return {
    name: build === undefined ? text : `${text} (${build.number})`,
    builds: build === undefined ? [] : [build.number],
    ...{ state, share, review, notes },
  };
}

/** Whether a build can still be given to anybody. */
const isAlive = ({ attributes }: Resource): boolean =>
  attributes.expired !== true && attributes.processingState === 'VALID';

/** A build as testers of a group have it; `undefined` where it has expired or is not ready. */
export function testedRelease(build: Resource, document: Document, isInternal: boolean): StoreRelease[] {
  if (!isAlive(build)) return [];
  const number = Number(textIn(build, 'version'));
  const [version] = relatedIn(document, build, 'preReleaseVersion');
  const [detail] = relatedIn(document, build, 'buildBetaDetail');
  const state = detail && textIn(detail, isInternal ? 'internalBuildState' : 'externalBuildState');
  const notes = relatedIn(document, build, 'betaBuildLocalizations').flatMap((one): [string, string][] => {
    const [language, text] = [textIn(one, 'locale'), textIn(one, 'whatsNew')];
    return language === undefined || text === undefined ? [] : [[language, text]];
  });
  const name = version && textIn(version, 'version');
  return [
    {
      name: name === undefined ? undefined : `${name} (${number})`,
      builds: [number],
      state: 'completed',
      share: undefined,
      notes: new Map(notes),
      review: BUILD_STATES[state ?? ''] ?? 'unknown',
    },
  ];
}

/** A language of the listing: the parts that belong to the app, and those of a version. */
export interface Localized {
  readonly language: string;
  readonly info: Resource | undefined;
  readonly version: Resource | undefined;
}

export function localizedIn(infos: readonly Resource[], versions: readonly Resource[]): Localized[] {
  const of = (list: readonly Resource[], language: string) =>
    list.find((one) => textIn(one, 'locale') === language);
  const languages = [...infos, ...versions].flatMap((one) => textIn(one, 'locale') ?? []);
  return [...new Set(languages)].map((language) => ({
    language,
    info: of(infos, language),
    version: of(versions, language),
  }));
}

export function listingOf({ language, info, version }: Localized): StoreListing {
  const texts = [
    ...Object.entries(INFO_TEXTS).map(([field, name]) => [field, info && textIn(info, name)] as const),
    ...Object.entries(VERSION_TEXTS).map(
      ([field, name]) => [field, version && textIn(version, name)] as const,
    ),
  ];
  return {
    language,
    texts: new Map(texts.flatMap(([field, text]) => (text === undefined ? [] : [[field, text] as const]))),
  };
}

/** A text that all languages have alike; `undefined` where one has none, or they differ. */
export function commonText(resources: readonly (Resource | undefined)[], name: string): string | undefined {
  const texts = new Set(resources.map((one) => one && textIn(one, name)));
  return texts.size === 1 ? [...texts][0] : undefined;
}

/** Why an asset was not taken: `assetDeliveryState` of a picture, `state` of an upload. */
export function deliveryOf(value: unknown): { readonly state: string; readonly faults: string[] } {
  const delivery: JsonObject = isObject(value) ? value : {};
  const errors = Array.isArray(delivery.errors) ? delivery.errors.filter(isObject) : [];
  return {
    state: typeof delivery.state === 'string' ? delivery.state : '',
    faults: errors.map(({ code, description }) => String(description ?? code ?? '')),
  };
}
