import type { Location } from '../../errors.js';
import type { Finding } from '../../finding.js';
import { isKnownVariable } from '../../links/apple-variables.js';
import { type Component, unreachable } from '../../links/components.js';
import { variablesIn } from '../../links/wildcard.js';
import { type LocatedJson, pointerStep } from '../../util/json-locations.js';
import { isObject, type JsonObject } from '../../util/json-object.js';
import { componentPatterns, DOCUMENT_IMPACT, faultTeller, readDocumentJson, texts } from './read-json.js';

/** Bytes, uncompressed (Apple, "Supporting associated domains"). */
export const APPLE_LIMIT = 128 * 1024;

/** What a document says of some apps' links ("applinks.Details"). */
export interface AppleDetail {
  readonly appIds: readonly string[];
  /** Tried in order, the first match decides. */
  readonly components: readonly Component[];
  /** The form of iOS 12 and earlier. */
  readonly paths: readonly Component[];
  readonly pointer: string;
}

export interface AppleAssociation {
  readonly details: readonly AppleDetail[];
  readonly variables: ReadonlyMap<string, readonly string[]>;
  readonly credentials: readonly string[];
  readonly clips: readonly string[];
  readonly faults: readonly Finding[];
  readonly json: LocatedJson | undefined;
}

const EMPTY = { details: [], variables: new Map<string, readonly string[]>(), credentials: [], clips: [] };
const APP_ID = /^[A-Z0-9]{10}\.[A-Za-z0-9.-]+$/;

interface Defaults {
  readonly caseSensitive: boolean;
  readonly percentEncoded: boolean;
}

function defaultsOf(value: unknown, usual: Defaults): Defaults {
  if (!isObject(value)) return usual;
  return {
    caseSensitive: typeof value.caseSensitive === 'boolean' ? value.caseSensitive : usual.caseSensitive,
    percentEncoded: typeof value.percentEncoded === 'boolean' ? value.percentEncoded : usual.percentEncoded,
  };
}

function readComponent(item: JsonObject, pointer: string, usual: Defaults): Component {
  const query = item['?'];
  return {
    ...defaultsOf(item, usual),
    ...componentPatterns(item),
    ...(typeof query === 'string' ? { query } : {}),
    ...(typeof item.comment === 'string' ? { comment: item.comment } : {}),
    missingIsEmpty: true,
    pointer,
  };
}

/** One of `paths`: `NOT ` before it leaves out. */
function readPath(text: string, pointer: string): Component {
  const exclude = text.startsWith('NOT ');
  return {
    path: exclude ? text.slice(4) : text,
    exclude,
    caseSensitive: true,
    percentEncoded: true,
    missingIsEmpty: true,
    pointer,
  };
}

/** Every pattern of a component, by its key. */
function* patternsOf({ path, query, fragment }: Component): Generator<string> {
  if (path !== undefined) yield path;
  if (typeof query === 'string') yield query;
  else if (query) yield* query.values();
  if (fragment !== undefined) yield fragment;
}

/** Names of the variables that the patterns of some components use. */
export function variablesOf(components: readonly Component[]): Set<string> {
  return new Set(components.flatMap((one) => [...patternsOf(one)].flatMap(variablesIn)));
}

/** `details` in its two forms: a list, or an object by app ID as the first devices had it. */
function detailItems(value: unknown): { item: unknown; pointer: string; appId?: string }[] {
  const at = '/applinks/details';
  if (Array.isArray(value)) return value.map((item: unknown, index) => ({ item, pointer: `${at}/${index}` }));
  if (!isObject(value)) return [];
  return Object.entries(value).map(([appId, item]) => ({
    item,
    appId,
    pointer: `${at}/${pointerStep(appId)}`,
  }));
}

/**
 * Reads an association document (Apple, "Supporting associated domains", and the reference of its members).
 *
 * @param place the file or the address that it came from
 */
export function readAppleAssociation(location: Location, bytes: Uint8Array): AppleAssociation {
  const { json, faults: broken } = readDocumentJson(location, bytes);
  const faults: Finding[] = [...broken];
  if (bytes.length > APPLE_LIMIT) {
    faults.push({
      code: 'domains.document-content',
      severity: 'error',
      location,
      observed: `The document has ${bytes.length} bytes, and devices read ${APPLE_LIMIT} at most.`,
      impact: DOCUMENT_IMPACT.error,
      fix: 'Say the same with fewer components: wildcards, or what is left out instead of what is in.',
    });
  }
  if (json === undefined) return { ...EMPTY, faults, json };
  const fault = faultTeller(location, json, faults);
  if (!isObject(json.value)) {
    fault('error', '', 'The document is not an object.', 'Put its members in braces.');
    return { ...EMPTY, faults, json };
  }
  const { applinks, webcredentials, appclips } = json.value;
  const links = isObject(applinks) ? applinks : {};
  const variables = new Map<string, readonly string[]>();
  if (isObject(links.substitutionVariables)) {
    for (const [name, values] of Object.entries(links.substitutionVariables))
      variables.set(name, texts(values));
  }
  const usual = defaultsOf(links.defaults, { caseSensitive: true, percentEncoded: true });
  const details: AppleDetail[] = [];
  for (const { item, pointer, appId } of detailItems(links.details)) {
    if (!isObject(item)) {
      fault('error', pointer, 'An entry of details is an object.', 'Put it in braces.');
      continue;
    }
    const appIds = [
      ...texts(item.appIDs),
      ...(typeof item.appID === 'string' ? [item.appID] : []),
      ...(appId === undefined ? [] : [appId]),
    ];
    if (appIds.length === 0)
      fault('error', pointer, 'The entry names no app.', 'Add "appIDs": ["<team>.<bundle>"]');
    for (const id of appIds) {
      if (APP_ID.test(id)) continue;
      fault(
        'warning',
        pointer,
        `"${id}" is no app ID.`,
        'Write it as the team’s ten characters, a dot, the bundle’s ID.',
      );
    }
    const own = defaultsOf(item.defaults, usual);
    const components = (Array.isArray(item.components) ? item.components : []).flatMap(
      (one: unknown, index): Component[] =>
        isObject(one) ? [readComponent(one, `${pointer}/components/${index}`, own)] : [],
    );
    for (const component of components) {
      for (const name of variablesOf([component])) {
        if (variables.has(name) || isKnownVariable(name)) continue;
        fault(
          'warning',
          component.pointer,
          `$(${name}) is defined nowhere.`,
          'Define it in substitutionVariables.',
        );
      }
      if (component.path !== undefined && !/^[/*?$]/.test(component.path)) {
        fault(
          'warning',
          component.pointer,
          `The path ${component.path} begins without a slash, and matches nothing.`,
          `Write /${component.path}`,
        );
      }
    }
    for (const { component, by } of unreachable(components)) {
      fault(
        'warning',
        component.pointer,
        `The component ${component.path ?? '*'} never decides: ${by.path ?? '*'} before it matches the same.`,
        'Put what is narrower first, or take one out.',
      );
    }
    details.push({
      appIds,
      components,
      paths: texts(item.paths).map((text, index) => readPath(text, `${pointer}/paths/${index}`)),
      pointer,
    });
  }
  return {
    details,
    variables,
    credentials: texts(isObject(webcredentials) ? webcredentials.apps : []),
    clips: texts(isObject(appclips) ? appclips.apps : []),
    faults,
    json,
  };
}

/** What a site says of one app of a team. */
export interface AppleClaim {
  /** Team and bundle identifier. */
  readonly appId: string;
  /** In order; empty where no link is the app's. */
  readonly components: readonly JsonObject[];
  /** The same for iOS 12 and earlier; empty where no such device is meant. */
  readonly paths: readonly string[];
  readonly credentials: boolean;
  /** App ID of an app clip. */
  readonly clip: string | undefined;
}

/** An object's members with one changed, in the order they had; a member that becomes nothing goes. */
function withMember(object: JsonObject, key: string, value: unknown): JsonObject {
  if (value !== undefined) return { ...object, [key]: value };
  const { [key]: _gone, ...rest } = object;
  return rest;
}

/** A list of app IDs with one in it, or not. */
function appList(value: unknown, appId: string, isIn: boolean): JsonObject | undefined {
  const old = isObject(value) ? value : {};
  const apps = texts(old.apps);
  const next = isIn ? (apps.includes(appId) ? apps : [...apps, appId]) : apps.filter((one) => one !== appId);
  return next.length === 0 ? undefined : { ...old, apps: next };
}

function ownDetail(claim: AppleClaim): JsonObject {
  return {
    appIDs: [claim.appId],
    ...(claim.paths.length === 0 ? {} : { appID: claim.appId, paths: [...claim.paths] }),
    components: [...claim.components],
  };
}

/** Merges one app's entry into `details`; an entry that it shares with other apps is left to these. */
function mergeDetails(value: unknown, claim: AppleClaim): unknown[] | undefined {
  const list = Array.isArray(value)
    ? (value as unknown[])
    : detailItems(value).map(({ item, appId }) => ({ appID: appId, ...(isObject(item) ? item : {}) }));
  const own = claim.components.length === 0 ? [] : [ownDetail(claim)];
  const next: unknown[] = [];
  let placed = false;
  for (const item of list) {
    const ids = isObject(item) ? [...texts(item.appIDs), ...texts([item.appID])] : [];
    if (!ids.includes(claim.appId)) {
      next.push(item);
      continue;
    }
    if (!placed) next.push(...own);
    placed = true;
    const others = ids.filter((id) => id !== claim.appId);
    if (others.length > 0) {
      const { appID: _one, appIDs: _all, ...rest } = item as JsonObject;
      next.push({ appIDs: [...new Set(others)], ...rest });
    }
  }
  if (!placed) next.push(...own);
  return next.length === 0 ? undefined : next;
}

/** A document with what it says of one app replaced, and all else where it was. */
export function mergeAppleAssociation(existing: unknown, claim: AppleClaim): JsonObject {
  const old = isObject(existing) ? existing : {};
  const links = isObject(old.applinks) ? old.applinks : {};
  const details = mergeDetails(links.details, claim);
  const older: JsonObject =
    claim.paths.length > 0 && links.apps === undefined ? { apps: [], ...links } : links;
  const applinks = withMember(older, 'details', details);
  let next = withMember(old, 'applinks', Object.keys(applinks).length === 0 ? undefined : applinks);
  next = withMember(next, 'webcredentials', appList(old.webcredentials, claim.appId, claim.credentials));
  if (claim.clip !== undefined) {
    next = withMember(next, 'appclips', appList(old.appclips, claim.clip, true));
  }
  return next;
}
