import { join, resolve } from 'node:path';
import { type App, readApp } from '../core/app/app.js';
import { type GatherRequest, packagesIn } from '../core/domains/gather.js';
import { appIds, planDomains } from '../core/domains/plan.js';
import type { PackageSide } from '../core/domains/prove.js';
import { folderOfHost, type HostFolder } from '../core/domains/put.js';
import { signersOf } from '../core/domains/signers.js';
import { type WebApp, webAppOf } from '../core/domains/web-app.js';
import { HullError } from '../core/errors.js';
import type { NamedKey } from '../core/keys/open.js';
import type { FetcherOptions } from '../core/net/fetcher.js';
import { readAndroidOptions } from '../core/platforms/android/app/options.js';
import { type Project, readProject } from '../core/project/project.js';
import type { Site } from '../core/site/site.js';
import { parseUrl } from '../core/util/url-path.js';
import { safe } from './format.js';
import type { CommonOptions, Io } from './io.js';
import { openWithPassword } from './open-key.js';
import { knownPasswords } from './passwords.js';
import { shortPath } from './paths.js';
import { readCa, readHost, readWebFolder, resolutions, type SiteOptions } from './site-options.js';

/** Options of commands about domains. */
export interface DomainOptions extends CommonOptions, SiteOptions {
  readonly key?: string;
  readonly passwordFile?: string;
  readonly out?: string;
  readonly packages?: string;
  /** Hosts are asked instead of folders. */
  readonly live?: boolean;
}

/** `ask`: a keystore is opened whatever it takes; `if-known`: only where its password is given already. */
export type KeyUse = 'ask' | 'if-known' | 'debug-too';

export interface Gathered extends GatherRequest {
  readonly folderOf: (host: string) => HostFolder;
  /** The web folder's site, where there is one. */
  readonly site: Site | undefined;
}

/** Packages are made here where nothing else is said. */
const DEFAULT_OUT = 'out';

/** Where each host's documents stand, told as someone in this folder would write it. */
export function shownFolders(project: Project, out?: string): (host: string) => HostFolder {
  return (host) => {
    const folder = folderOfHost(project, host, out);
    return { ...folder, dir: shortPath(folder.dir) };
  };
}

async function certificateOf(
  io: Io,
  options: DomainOptions,
  use: KeyUse,
  key: NamedKey,
): Promise<Uint8Array | undefined> {
  if (use === 'if-known' && knownPasswords(io, options, [key.name]).length === 0) return undefined;
  return (await openWithPassword(io, options, key)).certificates[0];
}

async function signers(io: Io, options: DomainOptions, project: Project, use: KeyUse) {
  const debug =
    use === 'debug-too' ? (await (await import('./debug-key.js')).debugPlan(io)).certificates[0] : undefined;
  const request = {
    certificateOf: (key: NamedKey) => certificateOf(io, options, use, key),
    ...(options.key === undefined ? {} : { key: options.key }),
    ...(debug ? { debug } : {}),
  };
  try {
    return await signersOf(project, request);
  } catch (error) {
    // Where nothing is written a project without a key, or with one that lies elsewhere, is no hindrance.
    if (use === 'if-known' && error instanceof HullError && error.code === 'keys.none') return [];
    throw error;
  }
}

async function ownPackages(project: Project, app: App, options: DomainOptions): Promise<PackageSide[]> {
  const dir = options.packages === undefined ? join(project.dir, DEFAULT_OUT) : resolve(options.packages);
  const own = await packagesIn(dir, app.androidId);
  return own.map((one) => ({ ...one, file: shortPath(one.file) }));
}

/**
 * The web folder as a site, as much of it as is asked for; where there is none, the hosted app, if hosts are asked at all.
 * One that cannot be had is told of, and hinders nothing else.
 */
async function ownSite(
  io: Io,
  project: Project,
  { pages: _pages, ...options }: DomainOptions,
  pages: string | undefined,
): Promise<Site | undefined> {
  const { folder, url } = project.config.web;
  const read = { ...options, ...(pages === undefined ? {} : { pages }) };
  const still = { ...io, drawsProgress: false };
  if (folder !== undefined) return readWebFolder(still, shortPath(project.resolve(folder)), project, read);
  const address = options.live && url !== undefined ? parseUrl(url) : undefined;
  if (address === undefined) return undefined;
  try {
    return await readHost(still, address, read);
  } catch (error) {
    if (!(error instanceof HullError && error.code.startsWith('net.'))) throw error;
    io.note(`${io.paint.dim('web app')} ${safe(address.href)} could not be read: ${safe(error.message)}`);
    return undefined;
  }
}

/**
 * Everything that commands about domains start from.
 *
 * @param use how certificates of keystores are obtained
 * @param wholeSite whether every page is read, or only what tells the web app's id
 */
export async function gather(
  io: Io,
  options: DomainOptions,
  use: KeyUse,
  wholeSite: 'whole site' | 'manifest' = 'manifest',
): Promise<Gathered> {
  const project = readProject(options.project ?? '.');
  const app = await readApp(project);
  readAndroidOptions(project);
  const site = await ownSite(io, project, options, wholeSite === 'manifest' ? '1' : options.pages);
  const web: WebApp | undefined = site && webAppOf(site);
  const ids = appIds(project, app, web?.id);
  const known = await signers(io, options, project, use);
  const packages = use === 'if-known' ? await ownPackages(project, app, options) : [];
  const plans = planDomains(project, app, ids, known);
  const out = options.out === undefined ? undefined : resolve(options.out);
  const folderOf = shownFolders(project, out);
  return { project, app, ids, signers: known, packages, plans, web, site, folderOf };
}

/** Options for asking hosts, out of the command line's. */
export function fetcherOptions(options: DomainOptions, hosts: readonly string[]): FetcherOptions {
  const ca = readCa(options.ca);
  return {
    named: hosts,
    resolve: resolutions(options.resolve),
    ...(ca === undefined ? {} : { ca }),
  };
}
