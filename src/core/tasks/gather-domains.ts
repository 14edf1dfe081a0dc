import { type App, resolveApp } from '../app/app.js';
import { VerifierFetcher } from '../domains/fetch-documents.js';
import {
  applePackagesIn,
  expectationOf,
  FolderSource,
  type GatherRequest,
  packagesIn,
} from '../domains/gather.js';
import type { Expectation } from '../domains/judge-documents.js';
import { appIds, planDomains } from '../domains/plan.js';
import { folderOfHost, type HostFolder } from '../domains/put.js';
import { type Signer, signersOf } from '../domains/signers.js';
import { type HostVerdict, judgeHosts } from '../domains/verify.js';
import { webAppOf } from '../domains/web-app.js';
import { HullError } from '../errors.js';
import type { NamedKey } from '../keys/open.js';
import type { FetcherOptions } from '../net/fetcher.js';
import { readAndroidOptions } from '../platforms/android/app/options.js';
import { openProject, type Project, type ProjectSource } from '../project/project.js';
import type { Site } from '../site/site.js';
import { shownPath } from '../util/files.js';
import { parseUrl } from '../util/url-path.js';
import { accessOf, type HostAccess } from './host-access.js';
import { openDebugKey } from './key-files.js';
import { outFolder } from './out-folder.js';
import { openKey, type PasswordOf } from './passwords.js';
import { readHost, readOwnFolder } from './read-site.js';

/** Options of everything that is about the domains of a project. */
export interface DomainsOptions extends HostAccess {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  /** Key of `hull.json` that signs. */
  readonly key?: string | undefined;
  readonly password: PasswordOf;
  /** Whether a key's password is known without asking; by default none is. */
  readonly isKnown?: ((name: string) => boolean) | undefined;
  /** Folder of the packages to compare with; by default `out` of the project. */
  readonly packages?: string | undefined;
}

export interface GatherDomainsOptions extends DomainsOptions {
  /** `open`: keystores are opened, whatever it takes; `if-known`: only those whose password is known. */
  readonly certificates: 'open' | 'if-known';
  /** File of the key for debuggable packages, where those are meant too. */
  readonly debugKey?: string | undefined;
  /** Folder below which each host's documents are written, instead of those that are served. */
  readonly out?: string | undefined;
  /** Whether every page is read, or only what tells the web app's id. */
  readonly pages?: 'all' | 'first' | undefined;
  /** Reads the hosted app where there is no web folder. */
  readonly live?: boolean | undefined;
  /** Called where the hosted app could not be read; the rest goes on without it. */
  readonly onUnreadable?: ((address: string, why: string) => void) | undefined;
}

export interface GatheredDomains extends GatherRequest {
  readonly folderOf: (host: string) => HostFolder;
  /** The web app, as far as it was read. */
  readonly site: Site | undefined;
}

/** Where each host's documents are, relative to the working folder. */
export function shownFolders(project: Project, out?: string): (host: string) => HostFolder {
  return (host) => {
    const folder = folderOfHost(project, host, out);
    return { ...folder, dir: shownPath(folder.dir) };
  };
}

async function gatherSigners(project: Project, options: GatherDomainsOptions): Promise<Signer[]> {
  const { certificates, debugKey, isKnown, password } = options;
  const debug = debugKey === undefined ? undefined : (await openDebugKey(debugKey)).certificates[0];
  const certificateOf = async (key: NamedKey) => {
    if (certificates === 'if-known' && !isKnown?.(key.name)) return undefined;
    return (await openKey({ ...key, alias: key.config.alias }, password)).certificates[0];
  };
  try {
    return await signersOf(project, {
      certificateOf,
      ...(options.key === undefined ? {} : { key: options.key }),
      ...(debug ? { debug } : {}),
    });
  } catch (error) {
    // Where nothing is written, a project without a key, or with one that is elsewhere, can still be judged.
    if (certificates === 'if-known' && error instanceof HullError && error.code === 'keys.none') return [];
    throw error;
  }
}

async function ownPackages(project: Project, app: App, dir: string | undefined) {
  const own = await packagesIn(outFolder(project, dir), app.androidId);
  return own.map((one) => ({ ...one, file: shownPath(one.file) }));
}

async function ownApplePackages(project: Project, dir: string | undefined) {
  const own = await applePackagesIn(outFolder(project, dir), project.settings.apple.id);
  return own.map((one) => ({ ...one, file: shownPath(one.file) }));
}

/** The web folder as a site; where there is none, the hosted app, if it is to be read at all. */
async function ownSite(project: Project, options: GatherDomainsOptions): Promise<Site | undefined> {
  const { folder, url } = project.settings.web;
  const { resolve, ca, headers, rate, timeout } = accessOf(project, options);
  const reading = { resolve, ca, headers, rate, timeout, ...(options.pages === 'all' ? {} : { pages: 1 }) };
  if (folder !== undefined) return readOwnFolder(folder, project, reading);
  const address = options.live && url !== undefined ? parseUrl(url) : undefined;
  if (address === undefined) return undefined;
  try {
    return await readHost(address, reading);
  } catch (error) {
    if (!(error instanceof HullError && error.code.startsWith('net.'))) throw error;
    options.onUnreadable?.(address.href, error.message);
    return undefined;
  }
}

/** Everything that tasks about domains start from. Throws HullError `config.*`, `keys.*`, `web.*`. */
export async function gatherDomains(options: GatherDomainsOptions): Promise<GatheredDomains> {
  const project = openProject(options.project);
  const app = await resolveApp(project);
  readAndroidOptions(project);
  const site = await ownSite(project, options);
  const web = site && webAppOf(site);
  const ids = appIds(project, app, web?.id);
  const signers = await gatherSigners(project, options);
  const packages =
    options.certificates === 'if-known' ? await ownPackages(project, app, options.packages) : [];
  const applePackages =
    options.certificates === 'if-known' ? await ownApplePackages(project, options.packages) : [];
  const plans = planDomains(project, app, ids, signers);
  return {
    project,
    app,
    ids,
    signers,
    packages,
    applePackages,
    plans,
    web,
    site,
    folderOf: shownFolders(project, options.out),
  };
}

/** How hosts are asked for their documents. */
export function verifierAccess({ resolve, ca }: HostAccess, hosts: readonly string[]): FetcherOptions {
  return { named: hosts, resolve: resolve ?? new Map(), ...(ca === undefined ? {} : { ca }) };
}

export interface JudgeOptions extends HostAccess {
  /** Where documents come from: the hosts as devices see them, or the folders before they are deployed. */
  readonly source: 'hosts' | 'folders';
  readonly unknownCertificate?: Expectation['unknownCertificate'] | undefined;
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
}

/** Judges hosts of a gathered project. Throws HullError `net.*` only where that is no fault of the host. */
export async function judge(
  gathered: GatheredDomains,
  hosts: readonly string[],
  options: JudgeOptions,
): Promise<HostVerdict[]> {
  const fetcher =
    options.source === 'hosts'
      ? new VerifierFetcher(verifierAccess(accessOf(gathered.project, options), hosts))
      : undefined;
  try {
    const expected = expectationOf(gathered, new Date(), options.unknownCertificate);
    return await judgeHosts(
      hosts,
      expected,
      fetcher ?? new FolderSource(gathered.folderOf),
      options.onProgress,
    );
  } finally {
    fetcher?.close();
  }
}
