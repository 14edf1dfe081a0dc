import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import type { BrowserOptions } from '../browser/launch.js';
import type { WebKitOptions } from '../browser/webkit/session.js';
import type { HostVerdict } from '../domains/verify.js';
import { HullError } from '../errors.js';
import { CONFIG_FILE } from '../project/config.js';
import { openProject, type Project, type ProjectSource } from '../project/project.js';
import type { Site } from '../site/site.js';
import type { WebKitFacts } from '../survey/browser-facts.js';
import { withRendered } from '../survey/rendered-site.js';
import { type SurveyReport, surveySite, targetOf } from '../survey/survey.js';
import { unlessInset } from '../survey/target.js';
import { shownPath } from '../util/files.js';
import { baseOf, parseUrl } from '../util/url-path.js';
import { gatherDomains, judge } from './gather-domains.js';
import { accessOf, browserAccess } from './host-access.js';
import type { PasswordOf } from './passwords.js';
import { readHost, readWebFolder, type SiteReading } from './read-site.js';

export interface SurveyOptions extends SiteReading {
  /** Folder of `hull.json`, where there is one. */
  readonly project?: ProjectSource | undefined;
  /** A folder or an address to survey; by default the project's folder, else its address. */
  readonly target?: string | undefined;
  /** Looks with a real browser too. */
  readonly browser?: BrowserOptions | undefined;
  /** Looks with the engine of Apple's devices too. */
  readonly webkit?: WebKitOptions | undefined;
  /** Measures with that browser how fast pages are: so many visits of each. */
  readonly speed?: { readonly runs: number } | undefined;
  /** Gives passwords that are known without asking; without one, documents are judged without the project's certificate. */
  readonly knownPassword?: ((name: string) => string | undefined) | undefined;
}

/** What is surveyed: the target that was named, else the project’s folder or address. */
type Target = { readonly project?: Project } & ({ readonly folder: string } | { readonly url: URL });

const projectIn = (source: ProjectSource) =>
  typeof source !== 'string' || existsSync(join(source, CONFIG_FILE)) ? openProject(source) : undefined;

function ownTarget(project: Project): Target {
  const { folder, url } = project.settings.web;
  if (folder !== undefined) return { folder: shownPath(project.resolve(folder)), project };
  const address = url === undefined ? undefined : parseUrl(url);
  if (address !== undefined) return { url: address, project };
  throw new HullError(
    'config.bad-value',
    'Neither web.folder nor web.url is set: there is nothing to survey.',
    {
      location: project.location('/web'),
      fix: 'Name the folder of built files, or the address where the app is hosted.',
    },
  );
}

/** A target with the project that it belongs to, if it is the project's own. */
function namedTarget(named: string, project: Project | undefined): Target {
  const { folder, url } = project?.settings.web ?? {};
  if (/^https?:\/\//i.test(named)) {
    const address = parseUrl(named);
    if (address === undefined) {
      throw new HullError('survey.bad-target', `"${named}" is not a web address.`, {
        fix: 'Write it as in https://ferry.saltmarsh.example/',
      });
    }
    const own = url === undefined ? undefined : parseUrl(url);
    const isOwn = own?.origin === address.origin && address.pathname.startsWith(baseOf(own).pathname);
    return { url: address, ...(project && isOwn ? { project } : {}) };
  }
  const isOwn = project && folder !== undefined && resolve(named) === project.resolve(folder);
  return { folder: named, ...(isOwn ? { project } : {}) };
}

function chooseTarget(named: string | undefined, source: ProjectSource): Target {
  if (named !== undefined) return namedTarget(named, projectIn(source));
  // Where hull.json is missing, reading it says so, and how to make one.
  return ownTarget(openProject(source));
}

/**
 * What the hosts of the project's links say of the app: of a folder those that serve it, of a hosted app its own.
 *
 * @returns `undefined` where there are none, or the project is not complete enough to be compared with
 */
async function associationOf(
  target: Target,
  options: SurveyOptions,
): Promise<readonly HostVerdict[] | undefined> {
  const { project } = target;
  if (project === undefined || project.settings.links.length === 0) return undefined;
  const url = 'url' in target ? target.url : undefined;
  const password: PasswordOf = ({ name }) => (name && options.knownPassword?.(name)) || '';
  try {
    const gathered = await gatherDomains({
      project,
      password,
      certificates: 'if-known',
      isKnown: (name) => options.knownPassword?.(name) !== undefined,
      resolve: options.resolve,
      ca: options.ca,
    });
    const hosts = gathered.plans
      .map(({ host }) => host)
      .filter((host) => (url === undefined ? gathered.folderOf(host).served : url.hostname === host));
    if (hosts.length === 0) return undefined;
    return await judge(gathered, hosts, {
      source: url === undefined ? 'folders' : 'hosts',
      unknownCertificate: 'passes',
      resolve: options.resolve,
      ca: options.ca,
    });
  } catch (error) {
    // Whatever is wrong with the project is reported by the task that needs it right.
    if (error instanceof HullError) return undefined;
    throw error;
  }
}

/** Throws HullError `survey.bad-option` where the site can be reached only in ways that WebKit's driver has not got. */
async function lookInWebKit(
  site: Site,
  webkit: WebKitOptions,
  target: Target,
  { resolve: addresses, ca, headers }: SurveyOptions,
  edges: 'inset' | 'cover',
): Promise<WebKitFacts> {
  const isLed = (addresses?.size ?? 0) > 0 || ca !== undefined || (headers?.size ?? 0) > 0;
  if ('url' in target && isLed) {
    throw new HullError(
      'survey.bad-option',
      'WebKit’s driver cannot be led to other addresses, given an authority, or made to send header fields.',
      {
        fix: 'Survey the folder of built files in WebKit; or the host in Chromium alone.',
      },
    );
  }
  const { browseInWebKit } = await import('../survey/browser/run-webkit.js');
  return browseInWebKit(site, webkit, edges);
}

/**
 * Says what stands between a web app and a good native app.
 *
 * @throws HullError `config.*`, `web.*`, `net.*`, `browser.*`, `survey.bad-target`
 */
export async function surveyProject(given: SurveyOptions): Promise<SurveyReport> {
  const target = chooseTarget(given.target, given.project ?? '.');
  const options = accessOf(target.project, given);
  const read =
    'url' in target
      ? await readHost(target.url, options)
      : await readWebFolder(target.folder, target.project, options);
  const own = targetOf({ site: read, project: target.project });
  const judgedFor = options.webkit ? { ...own, apple: true } : own;
  const edges = unlessInset(judgedFor) === undefined ? 'cover' : 'inset';
  const browsing =
    options.browser && 'url' in target
      ? browserAccess(options.browser, target.url, options)
      : options.browser;
  const [browser, webkit] = await Promise.all([
    browsing && (await import('../survey/browser/run.js')).browseSite(read, browsing, edges),
    options.webkit && lookInWebKit(read, options.webkit, target, options, edges),
  ]);
  const rendered = browser ?? webkit;
  const site = rendered ? withRendered(read, rendered) : read;
  // By itself: whatever else runs would slow it.
  const speed =
    browsing && options.speed
      ? await (await import('../survey/speed/measure.js')).measureSpeed(site, browsing, {
          runs: options.speed.runs,
          reached: 'url' in target ? 'network' : 'package',
        })
      : undefined;
  const association = await associationOf(target, options);
  return surveySite({
    site,
    project: target.project,
    browser: browser && speed ? { ...browser, speed } : browser,
    webkit,
    target: judgedFor,
    ...(association ? { association } : {}),
  });
}
