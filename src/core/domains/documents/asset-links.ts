import { type Location, task, withTasks } from '../../errors.js';
import type { Finding } from '../../finding.js';
import { type Component, unreachable } from '../../links/components.js';
import { CREDENTIALS_RELATION, LINK_RELATION } from '../../links/document-names.js';
import { type LocatedJson, pointerStep } from '../../util/json-locations.js';
import { isObject, type JsonObject } from '../../util/json-object.js';
import { componentPatterns, faultTeller, readDocumentJson, texts } from './read-json.js';

/** Where the rules that newer devices read are inside a statement. */
const EXTENSIONS = 'relation_extensions';
const DYNAMIC = 'dynamic_app_link_components';

/** One statement about an Android app (Digital Asset Links, "statement list", "target: android_app"). */
export interface AppStatement {
  readonly relations: readonly string[];
  readonly packageName: string;
  /** As `AA:BB:…`, in capitals; those that are none are left out. */
  readonly fingerprints: readonly string[];
  /** Rules for devices that know them; `undefined` where the statement has none. */
  readonly dynamic: readonly Component[] | undefined;
  readonly pointer: string;
}

export interface AssetLinks {
  readonly statements: readonly AppStatement[];
  /** Further lists that are to be read as if they stood here. */
  readonly includes: readonly string[];
  readonly faults: readonly Finding[];
  readonly json: LocatedJson | undefined;
}

const FINGERPRINT = /^(?:[0-9A-F]{2}:){31}[0-9A-F]{2}$/;

/** Why a text is no fingerprint of a certificate as verifiers compare it; `undefined` where it is one. */
export function fingerprintFault(text: string): string | undefined {
  if (FINGERPRINT.test(text)) return undefined;
  const hex = text.replaceAll(/[^0-9A-Fa-f]/g, '');
  if (/[^0-9A-Fa-f:\s]/.test(text)) return 'has characters that are no hexadecimal digits';
  if (hex.length === 40) return 'is a SHA-1 fingerprint, and SHA-256 is asked for';
  if (hex.length !== 64) return `has ${Math.floor(hex.length / 2)} bytes, and a SHA-256 fingerprint has 32`;
  if (text !== text.toUpperCase()) return 'has lower-case letters, which verifiers do not take for the same';
  return 'is not written as pairs with a colon between them';
}

function readDynamic(statement: JsonObject, pointer: string): readonly Component[] | undefined {
  const extensions = statement[EXTENSIONS];
  const own = isObject(extensions) ? extensions[LINK_RELATION] : undefined;
  const list = isObject(own) ? own[DYNAMIC] : undefined;
  if (!Array.isArray(list)) return undefined;
  const at = `${pointer}/${EXTENSIONS}/${pointerStep(LINK_RELATION)}/${DYNAMIC}`;
  return list.flatMap((item: unknown, index): Component[] => {
    if (!isObject(item)) return [];
    const comment = item.comments;
    return [
      {
        ...componentPatterns(item),
        ...(typeof comment === 'string' ? { comment } : {}),
        caseSensitive: true,
        percentEncoded: true,
        missingIsEmpty: false,
        pointer: `${at}/${index}`,
      },
    ];
  });
}

/**
 * Reads a statement list (Digital Asset Links, "statement list syntax").
 *
 * @param place the file or the address that it came from
 */
export function readAssetLinks(location: Location, bytes: Uint8Array): AssetLinks {
  const { json, faults: broken } = readDocumentJson(location, bytes);
  if (json === undefined) return { statements: [], includes: [], faults: broken, json };
  const faults: Finding[] = [];
  const fault = faultTeller(location, json, faults);
  if (!Array.isArray(json.value)) {
    fault('error', '', 'A statement list is a list.', 'Put the statements in brackets: [ { … } ]');
    return { statements: [], includes: [], faults, json };
  }
  const statements: AppStatement[] = [];
  const includes: string[] = [];
  json.value.forEach((item: unknown, index) => {
    const pointer = `/${index}`;
    if (!isObject(item)) {
      fault('error', pointer, 'A statement is an object.', 'Put it in braces, or take it out.');
      return;
    }
    if (typeof item.include === 'string') {
      includes.push(item.include);
      return;
    }
    const { relation, target } = item;
    if (!Array.isArray(relation)) {
      fault(
        'error',
        `${pointer}/relation`,
        'The relation is not a list.',
        `Write "relation": ["${LINK_RELATION}"]`,
      );
      return;
    }
    if (!isObject(target) || typeof target.namespace !== 'string') {
      fault(
        'error',
        `${pointer}/target`,
        'The statement has no target with a namespace.',
        'Name whom it is about.',
      );
      return;
    }
    if (target.namespace !== 'android_app') return;
    const packageName = target.package_name;
    if (typeof packageName !== 'string') {
      fault('error', `${pointer}/target`, 'The target names no package.', 'Add "package_name".');
      return;
    }
    const listed = texts(target.sha256_cert_fingerprints);
    if (listed.length === 0) {
      const observed = 'The target names no certificate.';
      fault('error', `${pointer}/target`, observed, 'Add "sha256_cert_fingerprints".');
    }
    listed.forEach((text, each) => {
      const why = fingerprintFault(text);
      if (why === undefined) return;
      const at = `${pointer}/target/sha256_cert_fingerprints/${each}`;
      fault(
        'error',
        at,
        `The fingerprint ${text} ${why}.`,
        withTasks`${task('writeDomains')} puts the right one there.`,
      );
    });
    const dynamic = readDynamic(item, pointer);
    for (const { component, by } of unreachable(dynamic ?? [])) {
      const observed = `The rule ${component.path ?? '*'} never decides: ${by.path ?? '*'} before it matches the same.`;
      fault('warning', component.pointer, observed, 'Put what is narrower first, or take one out.');
    }
    statements.push({
      relations: texts(relation),
      packageName,
      fingerprints: listed.filter((text) => fingerprintFault(text) === undefined),
      dynamic,
      pointer,
    });
  });
  return { statements, includes, faults, json };
}

/** What a site says of one Android app. */
export interface AppClaim {
  readonly packageName: string;
  /** As `AA:BB:…`. */
  readonly fingerprints: readonly string[];
  readonly relations: readonly string[];
  /** Rules as the document has them; empty where every link that the app asks for is its own. */
  readonly dynamic: readonly JsonObject[];
}

function statementOf(
  { packageName, fingerprints, relations, dynamic }: AppClaim,
  keep: JsonObject,
): JsonObject {
  const { [EXTENSIONS]: _old, ...rest } = keep;
  return {
    ...rest,
    relation: [...relations],
    target: {
      namespace: 'android_app',
      package_name: packageName,
      sha256_cert_fingerprints: [...fingerprints],
    },
    ...(dynamic.length === 0 ? {} : { [EXTENSIONS]: { [LINK_RELATION]: { [DYNAMIC]: dynamic } } }),
  };
}

/** Relations that this tool writes; a statement with any other one is somebody else's. */
const OURS = new Set([LINK_RELATION, CREDENTIALS_RELATION]);

const isOwn = (item: unknown, packageName: string) =>
  isObject(item) &&
  isObject(item.target) &&
  item.target.namespace === 'android_app' &&
  item.target.package_name === packageName &&
  texts(item.relation).every((relation) => OURS.has(relation));

/** A list of statements with those about one app replaced, and all others where they were. */
export function mergeAssetLinks(existing: unknown, claims: readonly AppClaim[]): unknown[] {
  let list: unknown[] = Array.isArray(existing) ? [...existing] : [];
  for (const claim of claims) {
    const first = list.findIndex((item) => isOwn(item, claim.packageName));
    if (first === -1) list.push(statementOf(claim, {}));
    else {
      const own = statementOf(claim, list[first] as JsonObject);
      list = list.flatMap((item, index) =>
        index === first ? [own] : isOwn(item, claim.packageName) ? [] : [item],
      );
    }
  }
  return list;
}
