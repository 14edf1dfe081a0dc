import { HullError } from '../errors.js';
import { isObject, type JsonObject } from '../util/json-object.js';

/**
 * Where a package comes from, as an in-toto statement (in-toto Attestation Framework v1, "statement.md") with the predicate SLSA
 * Provenance v1. It says nothing of time and machine: the same input gives the same statement.
 */

export const STATEMENT_TYPE = 'https://in-toto.io/Statement/v1';
export const PREDICATE_TYPE = 'https://slsa.dev/provenance/v1';
/** Of the envelope around it (in-toto, "envelope.md"). */
export const PAYLOAD_TYPE = 'application/vnd.in-toto+json';
const BUILD_TYPE = 'https://jolly-hull.example/provenance/pack/v1';
/** Packed by someone who holds the key: no service vouches for more. */
const BUILDER = 'https://jolly-hull.example/provenance/key-holder';

/** A file or a package, by its digest (in-toto, "resource_descriptor.md"). */
export interface Resource {
  readonly name?: string;
  readonly uri?: string;
  /** Hexadecimal, by the name of the digest. */
  readonly digest?: Readonly<Record<string, string>>;
  readonly annotations?: JsonObject;
}

/** What a statement says of a package. */
export interface Provenance {
  /** The package. */
  readonly subject: Resource;
  readonly kind: string;
  readonly brand: string | undefined;
  readonly debuggable: boolean;
  /** Version of Jolly Hull. */
  readonly version: string;
  /** What it was made from: configuration, pictures, the commit, this tool. */
  readonly inputs: readonly Resource[];
  /** The bill of materials. */
  readonly record: Resource;
}

/** The statement. */
export const statementOf = ({ subject, kind, brand, debuggable, version, inputs, record }: Provenance) => ({
  _type: STATEMENT_TYPE,
  subject: [subject],
  predicateType: PREDICATE_TYPE,
  predicate: {
    buildDefinition: {
      buildType: BUILD_TYPE,
      externalParameters: { kind, debuggable, ...(brand === undefined ? {} : { brand }) },
      internalParameters: {},
      resolvedDependencies: inputs,
    },
    runDetails: {
      builder: { id: BUILDER, version: { 'jolly-hull': version } },
      byproducts: [record],
    },
  },
});

function resourceOf(value: unknown): Resource | undefined {
  if (!isObject(value)) return undefined;
  const { name, uri, digest, annotations } = value;
  const digests = isObject(digest)
    ? Object.fromEntries(
        Object.entries(digest).filter((one): one is [string, string] => typeof one[1] === 'string'),
      )
    : undefined;
  return {
    ...(typeof name === 'string' ? { name } : {}),
    ...(typeof uri === 'string' ? { uri } : {}),
    ...(digests === undefined ? {} : { digest: digests }),
    ...(isObject(annotations) ? { annotations } : {}),
  };
}

const inside = (value: unknown, ...path: readonly string[]): unknown =>
  path.reduce<unknown>((at, step) => (isObject(at) ? at[step] : undefined), value);

const listed = (value: unknown): Resource[] =>
  Array.isArray(value) ? value.flatMap((one) => resourceOf(one) ?? []) : [];

/**
 * Reads a statement of this tool.
 *
 * @param file as errors show it
 * @throws HullError `provenance.malformed`
 */
export function readStatement(payload: Uint8Array, payloadType: string, file: string): Provenance {
  const fail = (why: string) =>
    new HullError('provenance.malformed', `This is not a statement of a package’s origin: ${why}.`, {
      location: { file },
      fix: 'Give a file that was written with a package, as in ferry.apk.intoto.jsonl.',
    });
  if (payloadType !== PAYLOAD_TYPE) throw fail(`it is of the type "${payloadType}"`);
  let value: unknown;
  try {
    value = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(payload));
  } catch {
    throw fail('its payload is not valid JSON');
  }
  if (!isObject(value) || value._type !== STATEMENT_TYPE) throw fail('it is not an in-toto statement v1');
  if (value.predicateType !== PREDICATE_TYPE) throw fail('its predicate is not SLSA provenance v1');
  const definition = inside(value, 'predicate', 'buildDefinition');
  if (inside(definition, 'buildType') !== BUILD_TYPE) throw fail('another tool has built the package');
  const [subject] = listed(value.subject);
  const [record] = listed(inside(value, 'predicate', 'runDetails', 'byproducts'));
  const kind = inside(definition, 'externalParameters', 'kind');
  const brand = inside(definition, 'externalParameters', 'brand');
  const version = inside(value, 'predicate', 'runDetails', 'builder', 'version', 'jolly-hull');
  if (subject === undefined || record === undefined)
    throw fail('it names no package, or no bill of materials');
  if (typeof kind !== 'string' || typeof version !== 'string') throw fail('it names no kind, or no version');
  return {
    subject,
    record,
    kind,
    version,
    brand: typeof brand === 'string' ? brand : undefined,
    debuggable: inside(definition, 'externalParameters', 'debuggable') === true,
    inputs: listed(inside(definition, 'resolvedDependencies')),
  };
}
