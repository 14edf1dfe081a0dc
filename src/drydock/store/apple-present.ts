import { isObject, type JsonObject } from '../../core/util/json-object.js';
import { idOf, idsOf, type Shelf, textOf } from './apple-shelf.js';
import { RESOURCE_TYPES } from './apple-types.js';
import type { StoredResource } from './model.js';

/** A resource object (JSON:API 1.0) as an answer has it. */
export interface Presented {
  readonly type: string;
  readonly id: string;
  readonly attributes: JsonObject;
  readonly relationships: JsonObject;
}

/** Attributes that are not kept, because they follow from others. */
function followingAttributes(shelf: Shelf, resource: StoredResource): JsonObject {
  switch (resource.type) {
    case 'appStoreVersions':
      return { appVersionState: shelf.versionState(resource) };
    case 'appInfos': {
      const version = shelf.find(idOf(resource, 'version'));
      const state = version && shelf.versionState(version);
      const isLive = state === 'READY_FOR_DISTRIBUTION' || state === 'REPLACED_WITH_NEW_VERSION';
      return { state: isLive ? 'READY_FOR_DISTRIBUTION' : 'PREPARE_FOR_SUBMISSION' };
    }
    case 'appStoreVersionPhasedReleases': {
      const { state, day } = shelf.phase(resource);
      return { phasedReleaseState: state, currentDayNumber: state === 'INACTIVE' ? null : day };
    }
    case 'builds':
      return { processingState: shelf.processingState(resource) };
    case 'buildBetaDetails': {
      const build = shelf.find(idOf(resource, 'build'));
      if (build === undefined) return {};
      const { internal, external } = shelf.testingStates(build);
      return { internalBuildState: internal, externalBuildState: external };
    }
    case 'reviewSubmissions':
      return { state: resource.attributes.submitted === true ? 'WAITING_FOR_REVIEW' : 'READY_FOR_REVIEW' };
    case 'appScreenshots':
    case 'buildUploadFiles': {
      const errors = resource.attributes.faults;
      return {
        assetDeliveryState: {
          state: textOf(resource, 'delivered') || 'AWAITING_UPLOAD',
          errors: (Array.isArray(errors) ? errors : []).map((description) => ({
            code: 'INVALID',
            description,
          })),
        },
      };
    }
    default:
      return {};
  }
}

/** Resources that a relationship leads to. */
export function relatedOf(shelf: Shelf, resource: StoredResource, name: string): StoredResource[] {
  const { id } = resource;
  switch (`${resource.type}.${name}`) {
    case 'appStoreVersions.appStoreVersionPhasedRelease':
      return shelf.below('appStoreVersionPhasedReleases', 'appStoreVersion', id);
    case 'appScreenshotSets.appScreenshots':
      return shelf.below('appScreenshots', 'appScreenshotSet', id);
    case 'builds.buildBetaDetail':
      return shelf.below('buildBetaDetails', 'build', id);
    case 'builds.betaBuildLocalizations':
      return shelf.below('betaBuildLocalizations', 'build', id);
    case 'buildUploads.assetFile':
      return shelf.below('buildUploadFiles', 'buildUpload', id);
    default:
      return [idOf(resource, name), ...idsOf(resource, name)].flatMap((one) => shelf.find(one) ?? []);
  }
}

export function present(shelf: Shelf, resource: StoredResource): Presented {
  const described = RESOURCE_TYPES[resource.type];
  const known = new Set(Object.keys(described?.attributes ?? {}));
  const attributes = Object.entries({ ...resource.attributes, ...followingAttributes(shelf, resource) });
  const relationships = Object.entries(described?.related ?? {}).map(([name, { many }]) => {
    const found = relatedOf(shelf, resource, name).map(({ type, id }) => ({ type, id }));
    return [name, { data: many ? found : (found[0] ?? null) }];
  });
  return {
    type: resource.type,
    id: resource.id,
    attributes: Object.fromEntries(attributes.filter(([name]) => known.has(name))),
    relationships: Object.fromEntries(relationships),
  };
}

/** What a document comes with, as `include` asks. */
export function includedOf(
  shelf: Shelf,
  resources: readonly StoredResource[],
  include: string | undefined,
): Presented[] {
  const names = (include ?? '').split(',').filter((name) => name !== '');
  const found = new Map<string, StoredResource>();
  for (const resource of resources)
    for (const name of names) for (const one of relatedOf(shelf, resource, name)) found.set(one.id, one);
  return [...found.values()].map((one) => present(shelf, one));
}

/** Attributes of a request's resource, or none. */
export function attributesIn(body: unknown): JsonObject {
  const data = isObject(body) && isObject(body.data) ? body.data : {};
  return isObject(data.attributes) ? data.attributes : {};
}

/** IDs that a request's resource names, by relationship. */
export function relatedInRequest(body: unknown): Record<string, readonly string[]> {
  const data = isObject(body) && isObject(body.data) ? body.data : {};
  const relationships = isObject(data.relationships) ? data.relationships : {};
  return Object.fromEntries(
    Object.entries(relationships).map(([name, value]) => {
      const one = isObject(value) ? value.data : undefined;
      const list = (Array.isArray(one) ? one : [one]).filter(isObject);
      return [name, list.map(({ id }) => String(id))];
    }),
  );
}
