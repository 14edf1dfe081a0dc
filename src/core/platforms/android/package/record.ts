import { createHash } from 'node:crypto';
import type { App } from '../../../app/app.js';
import { HullError, task, withTasks } from '../../../errors.js';
import type { PackageKind } from '../inspect/package-kind.js';

/** A bill of materials of what went into a package (CycloneDX 1.6, ECMA-424), and whether a rebuild gives the same. */

export interface RecordedFile {
  /** Path in the package. */
  readonly path: string;
  /** SHA-256 of the unpacked bytes, hexadecimal. */
  readonly sha256: string;
}

interface Component {
  readonly type: string;
  readonly 'bom-ref': string;
  readonly name: string;
  readonly version?: string;
  readonly hashes?: readonly { readonly alg: string; readonly content: string }[];
}

export interface Bom {
  readonly bomFormat: 'CycloneDX';
  readonly specVersion: '1.6';
  readonly serialNumber: string;
  readonly version: 1;
  readonly metadata: {
    readonly component: Component;
    readonly tools: { readonly components: readonly Component[] };
  };
  readonly components: readonly Component[];
  readonly dependencies: readonly { readonly ref: string; readonly dependsOn: readonly string[] }[];
}

const hash = (content: string) => [{ alg: 'SHA-256', content }];

/** A UUID out of a digest (RFC 9562, version 8), so that the same contents have the same number. */
function uuidOf(text: string): string {
  const hex = createHash('sha256').update(text).digest('hex');
  const variant = ((Number.parseInt(hex.charAt(16), 16) & 0x3) | 0x8).toString(16);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-8${hex.slice(13, 16)}-${variant}${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
}

/**
 * The record of a package. It says nothing of time, machine or signature, so that a rebuild gives the same.
 *
 * @param tool version of Jolly Hull
 */
export function recordOf(
  app: Pick<App, 'androidId' | 'name' | 'version' | 'build'>,
  kind: PackageKind,
  files: readonly RecordedFile[],
  tool: string,
): Bom {
  const sorted = [...files].sort((a, b) => (a.path < b.path ? -1 : 1));
  const whole = `${app.androidId}@${app.version}-${app.build}.${kind}`;
  return {
    bomFormat: 'CycloneDX',
    specVersion: '1.6',
    serialNumber: `urn:uuid:${uuidOf(whole + sorted.map(({ path, sha256 }) => `${path}\0${sha256}`).join('\n'))}`,
    version: 1,
    metadata: {
      component: {
        type: 'application',
        'bom-ref': whole,
        name: app.name,
        version: `${app.version} (${app.build})`,
      },
      tools: {
        components: [
          { type: 'application', 'bom-ref': `jolly-hull@${tool}`, name: 'Jolly Hull', version: tool },
        ],
      },
    },
    components: sorted.map(({ path, sha256 }) => ({
      type: 'file',
      'bom-ref': `file:${path}`,
      name: path,
      hashes: hash(sha256),
    })),
    dependencies: [{ ref: whole, dependsOn: sorted.map(({ path }) => `file:${path}`) }],
  };
}

/** The files that a record names. Throws `record.malformed`. */
export function readRecord(text: string, file: string): RecordedFile[] {
  const fail = (why: string) =>
    new HullError('record.malformed', `This is no record of a package: ${why}.`, {
      location: { file },
      fix: withTasks`Give a record that ${task('packProject')} has written.`,
    });
  let bom: unknown;
  try {
    bom = JSON.parse(text);
  } catch {
    throw fail('it is not JSON');
  }
  const { bomFormat, components } = (bom ?? {}) as { bomFormat?: unknown; components?: unknown };
  if (bomFormat !== 'CycloneDX' || !Array.isArray(components)) throw fail('it is no CycloneDX document');
  return components.map((one: { name?: unknown; hashes?: { alg?: unknown; content?: unknown }[] } | null) => {
    const sha256 = Array.isArray(one?.hashes)
      ? one.hashes.find(({ alg }) => alg === 'SHA-256')?.content
      : undefined;
    if (typeof one?.name !== 'string' || typeof sha256 !== 'string')
      throw fail('a component has no name or no SHA-256');
    return { path: one.name, sha256 };
  });
}

export interface RecordDifference {
  readonly added: readonly string[];
  readonly removed: readonly string[];
  readonly changed: readonly string[];
}

/** What a rebuild gives that the record has otherwise. */
export function compareRecord(
  recorded: readonly RecordedFile[],
  rebuilt: readonly RecordedFile[],
): RecordDifference {
  const [was, is] = [recorded, rebuilt].map(
    (list) => new Map(list.map(({ path, sha256 }) => [path, sha256])),
  ) as [Map<string, string>, Map<string, string>];
  return {
    added: [...is.keys()].filter((path) => !was.has(path)),
    removed: [...was.keys()].filter((path) => !is.has(path)),
    changed: [...is.keys()].filter((path) => was.has(path) && was.get(path) !== is.get(path)),
  };
}
