import { join } from 'node:path';
import type { App } from '../app/app.js';
import { task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { buildLinkFilter } from '../platforms/android/app/intents.js';
import { readAndroidOptions } from '../platforms/android/app/options.js';
import type { PackageFacts } from '../platforms/android/inspect/facts.js';
import { inspectPackage } from '../platforms/android/inspect/inspect.js';
import { APP_ID_ENTITLEMENT } from '../platforms/apple/app/entitlements.js';
import { inspectIpa } from '../platforms/apple/inspect/inspect.js';
import { VENDOR_ROOT } from '../platforms/apple/signing/authority.js';
import type { Project } from '../project/project.js';
import { patternMatches } from '../project/url-pattern.js';
import { isInside, newestFirst, pathFrom } from '../util/files.js';
import { readAppleAssociation } from './documents/apple-association.js';
import { type AssetLinks, readAssetLinks } from './documents/asset-links.js';
import { readOriginAssociation } from './documents/origin-association.js';
import { DOCUMENT_IMPACT } from './documents/read-json.js';
import type { AskFacts, LoadedDocument } from './explain-types.js';
import type { DocumentSource, FetchedDocument } from './fetch-documents.js';
import {
  type ApplePackageSide,
  type Expectation,
  type PackageSide,
  withIncludes,
} from './judge-documents.js';
import { type DocumentKind, type HostPlan, wantsOlderForm } from './plan.js';
import { type HostFolder, readIfThere } from './put.js';
import type { Signer } from './signers.js';
import type { WebApp } from './web-app.js';

/** Certificates that a device sees: of the newest scheme that holds, and of those that vouched for it. */
function certificatesOf({ kind, signature }: PackageFacts): string[] {
  const schemes =
    kind === 'aab' ? signature.schemes : signature.schemes.filter(({ state }) => state === 'verified');
  const all = schemes.flatMap(({ signers }) =>
    signers.flatMap(({ certificate, lineage = [] }) => [
      ...(certificate ? [certificate.sha256] : []),
      ...lineage.flatMap((one) => (one.certificate ? [one.certificate.sha256] : [])),
    ]),
  );
  return [...new Set(all)];
}

/** What a package says of its hosts. */
export function packageSide(facts: PackageFacts): PackageSide {
  return {
    file: facts.file,
    kind: facts.kind,
    packageName: facts.id,
    certificates: certificatesOf(facts),
    filters: facts.linkFilters,
    belongsTo: facts.belongsTo,
  };
}

/**
 * The newest package of each kind that an app has in a folder; what belongs to other apps is skipped.
 *
 * @throws HullError as {@link inspectPackage}
 */
export async function packagesIn(dir: string, packageName: string): Promise<PackageSide[]> {
  const found: PackageSide[] = [];
  for (const ending of [/\.apk$/, /\.aab$/]) {
    for (const file of newestFirst(dir, ending)) {
      const side = packageSide(await inspectPackage(file));
      if (side.packageName !== packageName) continue;
      found.push(side);
      break;
    }
  }
  return found;
}

/**
 * The newest package of an app for Apple's systems in a folder, with what it was signed to claim.
 *
 * @throws HullError as {@link inspectIpa}
 */
export async function applePackagesIn(dir: string, bundleId: string): Promise<ApplePackageSide[]> {
  for (const file of newestFirst(dir, /\.ipa$/)) {
    // Whom it is signed by is another question.
    const { id, domains, entitlements } = await inspectIpa(file, VENDOR_ROOT);
    const value = entitlements.find(({ key }) => key === APP_ID_ENTITLEMENT)?.value;
    if (id !== bundleId || value === undefined) continue;
    const appId: unknown = JSON.parse(value);
    if (typeof appId === 'string') return [{ file, appId, domains }];
  }
  return [];
}

/** Documents from the folders that hosts serve, before they are deployed. */
export class FolderSource implements DocumentSource {
  readonly #folderOf: (host: string) => HostFolder;

  constructor(folderOf: (host: string) => HostFolder) {
    this.#folderOf = folderOf;
  }

  async document(host: string, path: string): Promise<FetchedDocument> {
    const file = join(this.#folderOf(host).dir, ...path.split('/'));
    const bytes = readIfThere(file);
    if (bytes !== undefined) return { location: { file }, bytes, faults: [] };
    const fault: Finding = {
      code: 'domains.document-missing',
      severity: 'error',
      location: { file },
      observed: 'The document is not in the folder.',
      impact: DOCUMENT_IMPACT.error,
      fix: withTasks`Make it: ${task('writeDomains')}`,
    };
    return { location: { file }, bytes, faults: [fault] };
  }

  async include(url: URL): Promise<FetchedDocument> {
    const fault: Finding = {
      code: 'domains.include-unread',
      severity: 'warning',
      location: { url: url.href },
      observed: 'What the list includes from here was not read: only folders are looked at.',
      impact: 'Certificates that are listed there do not count.',
      fix: 'Verify it against the host after it is deployed.',
    };
    return { location: { url: url.href }, bytes: undefined, faults: [fault] };
  }
}

/** Documents from the folders that hosts serve, else from the hosts themselves. */
export class FolderFirstSource extends FolderSource {
  readonly #hosts: DocumentSource;

  constructor(folderOf: (host: string) => HostFolder, hosts: DocumentSource) {
    super(folderOf);
    this.#hosts = hosts;
  }

  override async document(host: string, path: string): Promise<FetchedDocument> {
    const found = await super.document(host, path);
    return found.bytes === undefined ? this.#hosts.document(host, path) : found;
  }

  override include(url: URL): Promise<FetchedDocument> {
    return this.#hosts.include(url);
  }
}

/** Documents from folders and, where one is not there yet, as it would be written. */
export class PlannedSource extends FolderSource {
  readonly #plans: readonly HostPlan[];

  constructor(folderOf: (host: string) => HostFolder, plans: readonly HostPlan[]) {
    super(folderOf);
    this.#plans = plans;
  }

  override async document(host: string, path: string): Promise<FetchedDocument> {
    const found = await super.document(host, path);
    if (found.bytes !== undefined) return found;
    const planned = this.#plans
      .find((plan) => plan.host === host)
      ?.documents.find((document) => document.path === path);
    if (planned === undefined) return found;
    const text = JSON.stringify(planned.merge(undefined), undefined, 2);
    const name = `${path.slice(1)} as hull.json would have it`;
    return { location: { file: name }, bytes: new TextEncoder().encode(text), faults: [], planned: true };
  }
}

/** Reads a document, and why it does not count where it does not. */
function loaded<D extends { readonly faults: readonly Finding[] }>(
  fetched: FetchedDocument,
  kind: DocumentKind,
  read: (location: FetchedDocument['location'], bytes: Uint8Array) => D,
): LoadedDocument<D> {
  const document = read(fetched.location, fetched.bytes ?? new Uint8Array());
  const type = kind === 'android' && fetched.typeFault ? [fetched.typeFault] : [];
  const all = [
    ...fetched.faults,
    ...type,
    ...(fetched.bytes === undefined || fetched.planned ? [] : document.faults),
  ];
  const broken = all.find(({ severity }) => severity === 'error');
  return { location: fetched.location, document, ...(broken ? { broken: broken.observed } : {}) };
}

export interface GatherRequest {
  readonly project: Project;
  readonly app: App;
  readonly plans: readonly HostPlan[];
  readonly ids: Expectation['ids'];
  readonly signers: readonly Signer[];
  readonly packages: readonly PackageSide[];
  readonly applePackages?: readonly ApplePackageSide[];
  readonly web: WebApp | undefined;
}

/** What hosts are proved against. */
export function expectationOf(
  request: GatherRequest,
  now: Date,
  unknownCertificate: Expectation['unknownCertificate'] = 'breaks',
): Expectation {
  const { project, app, plans, ids, signers, packages, applePackages = [], web } = request;
  const { engine, store_key } = project.settings.android;
  return {
    plans,
    ids,
    signers,
    packages,
    applePackages,
    web,
    browserHosts: engine === 'browser' && app.hosted ? [app.base.hostname] : [],
    knowsStoreKey: store_key !== undefined,
    unknownCertificate,
    now,
  };
}

/** Statement lists with what they include; of a statement that is elsewhere no line is known. */
async function included(
  lists: ReadonlyMap<string, LoadedDocument<AssetLinks>>,
  source: DocumentSource,
): Promise<Map<string, LoadedDocument<AssetLinks>>> {
  const entries = [...lists].map(async ([host, own]): Promise<[string, LoadedDocument<AssetLinks>]> => {
    if (own.document.includes.length === 0) return [host, own];
    const { lists: all } = await withIncludes(source, own.document);
    const others = all
      .slice(1)
      .flatMap(({ statements }) => statements.map((one) => ({ ...one, pointer: '' })));
    return [
      host,
      { ...own, document: { ...own.document, statements: [...own.document.statements, ...others] } },
    ];
  });
  return new Map(await Promise.all(entries));
}

/** Everything that tells which app opens a link. */
export async function askFactsOf(request: GatherRequest, source: DocumentSource): Promise<AskFacts> {
  const { project, app, plans, ids, signers, packages, web } = request;
  const documentsOf = async <D extends { readonly faults: readonly Finding[] }>(
    kind: DocumentKind,
    read: (location: FetchedDocument['location'], bytes: Uint8Array) => D,
  ): Promise<Map<string, LoadedDocument<D>>> => {
    const wanted = plans.flatMap(({ host, documents }) =>
      documents.filter((one) => one.kind === kind).map(({ path }) => ({ host, path })),
    );
    const entries = await Promise.all(
      wanted.map(
        async ({ host, path }) => [host, loaded(await source.document(host, path), kind, read)] as const,
      ),
    );
    return new Map(entries);
  };
  const [released] = packages;
  const certificates = released?.kind === 'apk' ? released.certificates : signers.map(({ sha256 }) => sha256);
  return {
    android: {
      packageName: ids.android,
      certificates: certificates.length === 0 ? undefined : certificates,
      filters: released?.filters ?? app.links.map(buildLinkFilter),
      from: released ? shortFile(project, released.file) : 'hull.json',
      minSdk: readAndroidOptions(project).minSdk,
      links: app.links,
      documents: await included(await documentsOf('android', readAssetLinks), source),
    },
    apple:
      ids.apple === undefined
        ? undefined
        : {
            appId: ids.apple,
            hosts: app.links.map(({ host }) => host),
            older: wantsOlderForm(project),
            documents: await documentsOf('apple', readAppleAssociation),
          },
    web: web && { ...web, documents: await documentsOf('web', readOriginAssociation) },
    staysInside: (url) => app.inside.some((pattern) => patternMatches(pattern, url)),
  };
}

const shortFile = (project: Project, file: string) =>
  isInside(file, project.dir) ? pathFrom(project.dir, file) : file;
