import { join } from 'node:path';
import type { App } from '../app/app.js';
import { filterOfLink } from '../platforms/android/app/intents.js';
import { readAndroidOptions } from '../platforms/android/app/options.js';
import { inspectPackage, type PackageFacts } from '../platforms/android/inspect/inspect.js';
import type { Project } from '../project/project.js';
import { patternMatches } from '../project/url-pattern.js';
import { isInside, newestFirst, pathFrom } from '../util/files.js';
import type { AskFacts, Held } from './ask.js';
import { readAppleAssociation } from './documents/apple-association.js';
import { type AssetLinks, readAssetLinks } from './documents/asset-links.js';
import { readOriginAssociation } from './documents/origin-association.js';
import type { DocumentFault } from './documents/read-json.js';
import type { DocumentSource, FetchedDocument } from './fetch-documents.js';
import { type DocumentKind, type HostPlan, wantsOlderForm } from './plan.js';
import { type Expectation, type PackageSide, withIncludes } from './prove.js';
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

/** Documents from the folders that hosts serve, before they are deployed. */
export class FolderSource implements DocumentSource {
  readonly #folderOf: (host: string) => HostFolder;

  constructor(folderOf: (host: string) => HostFolder) {
    this.#folderOf = folderOf;
  }

  async document(host: string, path: string): Promise<FetchedDocument> {
    const file = join(this.#folderOf(host).dir, ...path.split('/'));
    const bytes = readIfThere(file);
    if (bytes !== undefined) return { place: { file }, bytes, faults: [] };
    const fault: DocumentFault = {
      weight: 'breaks',
      place: { file },
      saw: 'The document is not in the folder.',
      remedy: 'Make it: hull domains write',
    };
    return { place: { file }, bytes, faults: [fault] };
  }

  async include(url: URL): Promise<FetchedDocument> {
    const fault: DocumentFault = {
      weight: 'warns',
      place: { url: url.href },
      saw: 'What the list includes from here was not read: only folders are looked at.',
      remedy: 'Prove it once it is deployed, without --local.',
    };
    return { place: { url: url.href }, bytes: undefined, faults: [fault] };
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
    return { place: { file: name }, bytes: new TextEncoder().encode(text), faults: [], planned: true };
  }
}

/** Reads a document, and why it does not count where it does not. */
function held<D extends { readonly faults: readonly DocumentFault[] }>(
  fetched: FetchedDocument,
  kind: DocumentKind,
  read: (place: FetchedDocument['place'], bytes: Uint8Array) => D,
): Held<D> {
  const document = read(fetched.place, fetched.bytes ?? new Uint8Array());
  const type = kind === 'android' && fetched.typeFault ? [fetched.typeFault] : [];
  const all = [
    ...fetched.faults,
    ...type,
    ...(fetched.bytes === undefined || fetched.planned ? [] : document.faults),
  ];
  const broken = all.find(({ weight }) => weight === 'breaks');
  return { place: fetched.place, document, ...(broken ? { broken: broken.saw } : {}) };
}

export interface GatherRequest {
  readonly project: Project;
  readonly app: App;
  readonly plans: readonly HostPlan[];
  readonly ids: Expectation['ids'];
  readonly signers: readonly Signer[];
  readonly packages: readonly PackageSide[];
  readonly web: WebApp | undefined;
}

/** What hosts are proved against. */
export function expectationOf(
  request: GatherRequest,
  now: Date,
  unknownCertificate: Expectation['unknownCertificate'] = 'breaks',
): Expectation {
  const { project, app, plans, ids, signers, packages, web } = request;
  const { engine, store_key } = project.config.android ?? {};
  return {
    plans,
    ids,
    signers,
    packages,
    web,
    browserHosts: engine === 'browser' && app.hosted ? [app.base.hostname] : [],
    knowsStoreKey: store_key !== undefined,
    unknownCertificate,
    now,
  };
}

/** Statement lists with what they include; of a statement that stands elsewhere no line is told. */
async function included(
  lists: ReadonlyMap<string, Held<AssetLinks>>,
  source: DocumentSource,
): Promise<Map<string, Held<AssetLinks>>> {
  const entries = [...lists].map(async ([host, own]): Promise<[string, Held<AssetLinks>]> => {
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
  const documentsOf = async <D extends { readonly faults: readonly DocumentFault[] }>(
    kind: DocumentKind,
    read: (place: FetchedDocument['place'], bytes: Uint8Array) => D,
  ): Promise<Map<string, Held<D>>> => {
    const wanted = plans.flatMap(({ host, documents }) =>
      documents.filter((one) => one.kind === kind).map(({ path }) => ({ host, path })),
    );
    const entries = await Promise.all(
      wanted.map(
        async ({ host, path }) => [host, held(await source.document(host, path), kind, read)] as const,
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
      filters: released?.filters ?? app.links.map(filterOfLink),
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
