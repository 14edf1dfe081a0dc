import { join } from 'node:path';
import { fixParts, fromSystemError, HullError, systemErrorCode, task } from '../errors.js';
import { isHostFault, readHostName } from '../links/host.js';
import type { AppLink } from '../links/links.js';
import { editConfig } from '../project/edit.js';
import { isShared, type Project } from '../project/project.js';
import { readRegularFile, replaceFile } from '../util/files.js';
import { baseOf } from '../util/url-path.js';
import { APPLE_LIMIT } from './documents/apple-association.js';
import { readDocumentJson } from './documents/read-json.js';
import { bothOf } from './live-documents.js';
import { checkSameRules, type DocumentKind, type HostPlan } from './plan.js';

/** A document as it should be on disk, and how that differs from what is there. */
export interface PreparedDocument {
  readonly kind: DocumentKind | 'manifest';
  readonly hosts: readonly string[];
  /** Path on the host. */
  readonly path: string;
  readonly file: string;
  readonly state: 'new' | 'changed' | 'same';
  readonly text: string;
}

/** Where documents go: the folder that a host serves, or one to be brought to it. */
export interface HostFolder {
  readonly dir: string;
  /** Whether the host serves this folder already, as `hull.json` says. */
  readonly served: boolean;
}

/** Below this folder are documents of hosts that serve no folder of the project. */
const ELSEWHERE = 'out/domains';

/**
 * The folder of a host: the one that `links[].folder` names, the web folder for the host that it is hosted at, else one of
 * its own, to be brought there.
 */
export function folderOfHost(project: Project, host: string, out: string | undefined): HostFolder {
  if (out !== undefined) return { dir: join(out, host), served: false };
  // As it is written in hull.json, a host may be internationalised.
  const hostOf = (text: string) => {
    const read = readHostName(text);
    return isHostFault(read) ? text : read.name;
  };
  const named = project.settings.links.find(
    (link) => link.folder !== undefined && hostOf(link.host) === host,
  )?.folder;
  if (named !== undefined) return { dir: project.resolve(named), served: true };
  const { folder, url } = project.settings.web;
  const base = url === undefined ? undefined : baseOf(new URL(url));
  const hosts = new Set(project.settings.links.map((link) => hostOf(link.host)));
  const isOwn = base === undefined ? hosts.size === 1 && hosts.has(host) : base.hostname === host;
  // What lies below a path of its host is not where the host's root is.
  const served = folder === undefined ? undefined : project.resolve(folder);
  // Of pages that brands share, each host serves a copy: what it says of its app is brought to that one.
  if (served !== undefined && !isShared(project, served) && isOwn && (base?.pathname ?? '/') === '/') {
    return { dir: served, served: true };
  }
  return { dir: join(project.dir, ELSEWHERE, host), served: false };
}

/** A file's bytes, `undefined` where it is not there. Throws `disk.*`. */
export function readIfThere(file: string): Uint8Array | undefined {
  try {
    return readRegularFile(file);
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT' || systemErrorCode(error) === 'ENOTDIR') return undefined;
    throw fromSystemError(error, file);
  }
}

/** A document's JSON from disk. Throws `domains.foreign-document` where the file holds something else. */
function existingJson(file: string): { readonly value: unknown } | undefined {
  const bytes = readIfThere(file);
  if (bytes === undefined) return undefined;
  const { json, faults } = readDocumentJson({ file }, bytes);
  if (json !== undefined) return { value: json.value };
  const [first] = faults;
  throw new HullError(
    'domains.foreign-document',
    `${first?.observed ?? 'It is not valid JSON.'} It was left as it is.`,
    {
      location: first?.location ?? { file },
      fix: [
        ...fixParts(first?.fix ?? 'Fix it.'),
        ' Or move the file away; ',
        task('writeDomains'),
        ' makes a new one.',
      ],
    },
  );
}

interface Pending {
  readonly kind: PreparedDocument['kind'];
  readonly path: string;
  readonly hosts: string[];
  readonly links: AppLink[];
  readonly before: string | undefined;
  value: unknown;
}

/**
 * Merges every planned document into what is there, and writes nothing.
 *
 * @param liveOf what a host serves now at a path, where it does not serve a folder of the project
 * @throws HullError `domains.foreign-document`, `domains.too-large`, `domains.one-document`
 */
export function prepareDocuments(
  project: Project,
  plans: readonly HostPlan[],
  folderOf: (host: string) => HostFolder,
  liveOf: (host: string, path: string) => unknown = () => undefined,
): PreparedDocument[] {
  const byFile = new Map<string, Pending>();
  for (const { host, links, documents } of plans) {
    const { dir } = folderOf(host);
    for (const { kind, path, merge } of documents) {
      const file = join(dir, ...path.split('/'));
      let pending = byFile.get(file);
      if (pending === undefined) {
        const existing = existingJson(file);
        const before = existing && JSON.stringify(existing.value);
        const live = liveOf(host, path);
        // Neither what the host serves is lost, nor what was prepared before.
        const value = live === undefined ? existing?.value : existing ? bothOf(live, existing.value) : live;
        pending = { kind, path, hosts: [], links: [], before, value };
        byFile.set(file, pending);
      }
      pending.hosts.push(host);
      pending.links.push(...links);
      checkSameRules(project, pending.links, file);
      pending.value = merge(pending.value);
    }
  }
  return [...byFile].map(([file, { kind, path, hosts, before, value }]) => {
    const text = `${JSON.stringify(value, undefined, 2)}\n`;
    if (kind === 'apple' && Buffer.byteLength(text) > APPLE_LIMIT) {
      throw new HullError(
        'domains.too-large',
        `The document would have ${Buffer.byteLength(text)} bytes, and devices read ${APPLE_LIMIT} at most.`,
        {
          location: { file },
          fix: 'Say the same with fewer paths: wildcards, or what is left out instead of what is in.',
        },
      );
    }
    const state = before === undefined ? 'new' : before === JSON.stringify(value) ? 'same' : 'changed';
    return { kind, hosts, path, file, state, text };
  });
}

/** A manifest's text with origins added to `scope_extensions`; what it names already stays. */
export function prepareManifest(
  file: string,
  text: string,
  wanted: readonly { readonly type: 'origin'; readonly origin: string }[],
): PreparedDocument {
  const members = JSON.parse(text) as { scope_extensions?: unknown };
  const there = Array.isArray(members.scope_extensions) ? (members.scope_extensions as unknown[]) : [];
  const known = new Set(there.map((item) => (item as { origin?: unknown } | null)?.origin));
  const lacking = wanted.filter(({ origin }) => !known.has(origin));
  const next =
    lacking.length === 0
      ? text
      : editConfig(text, [{ path: ['scope_extensions'], value: [...there, ...lacking] }]);
  return {
    kind: 'manifest',
    hosts: [],
    path: '',
    file,
    state: next === text ? 'same' : 'changed',
    text: next,
  };
}

/** Writes what is new or changed. Throws `disk.*`. */
export async function putDocuments(documents: readonly PreparedDocument[]): Promise<void> {
  for (const { file, state, text } of documents) {
    if (state !== 'same') await replaceFile(file, new TextEncoder().encode(text));
  }
}
