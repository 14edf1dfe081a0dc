import type { Location } from '../../errors.js';
import type { Finding } from '../../finding.js';
import { type LocatedJson, pointerStep } from '../../util/json-locations.js';
import { isObject, type JsonObject } from '../../util/json-object.js';
import { parseUrl } from '../../util/url-path.js';
import { faultTeller, readDocumentJson } from './read-json.js';

/** A web app that an origin lets extend its scope to it (Web App Scope Extensions, "association file"). */
export interface OriginClaim {
  /** The manifest's `id`, as an address. */
  readonly id: string;
  /** The part of the origin that is the app's: a path, `/` where nothing is said. */
  readonly scope: string;
  readonly pointer: string;
}

export interface OriginAssociation {
  readonly apps: readonly OriginClaim[];
  readonly faults: readonly Finding[];
  readonly json: LocatedJson | undefined;
}

/** Reads an origin's association document. */
export function readOriginAssociation(location: Location, bytes: Uint8Array): OriginAssociation {
  const { json, faults: broken } = readDocumentJson(location, bytes);
  if (json === undefined) return { apps: [], faults: broken, json };
  const faults: Finding[] = [];
  const fault = faultTeller(location, json, faults);
  if (!isObject(json.value)) {
    fault(
      'error',
      '',
      'The document is not an object.',
      'Name each web app by its id: { "https://…/": { } }',
    );
    return { apps: [], faults, json };
  }
  const apps = Object.entries(json.value).flatMap(([id, value]): OriginClaim[] => {
    const pointer = `/${pointerStep(id)}`;
    if (parseUrl(id)?.protocol !== 'https:') {
      fault('warning', pointer, `"${id}" is not the id of a web app.`, 'Write it as an https address.');
      return [];
    }
    const scope = isObject(value) && typeof value.scope === 'string' ? value.scope : '/';
    return [{ id: new URL(id).href, scope, pointer }];
  });
  return { apps, faults, json };
}

/** A document with one web app in it, all else where it was. */
export function mergeOriginAssociation(existing: unknown, id: string, scope: string): JsonObject {
  const old = isObject(existing) ? existing : {};
  const before = isObject(old[id]) ? (old[id] as JsonObject) : {};
  const { scope: _old, ...rest } = before;
  return { ...old, [id]: scope === '/' ? rest : { ...rest, scope } };
}
