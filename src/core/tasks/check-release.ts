import { signersOf } from '../domains/signers.js';
import { HullError, task, withTasks } from '../errors.js';
import { bySeverity, type Finding } from '../finding.js';
import { checkListing } from '../listing/check.js';
import type { StoreName } from '../listing/languages.js';
import { categoriesOf } from '../listing/propose.js';
import { Fetcher } from '../net/fetcher.js';
import { inspectPackage } from '../platforms/android/inspect/inspect.js';
import { inspectIpa } from '../platforms/apple/inspect/inspect.js';
import { mainLanguage, openProject, type Project, type ProjectSource } from '../project/project.js';
import type { Site } from '../site/site.js';
import { type ByHandFacts, byHandFindings } from '../store/release/by-hand.js';
import { judgeStoreIpa } from '../store/release/judge-ipa.js';
import { judgePackage } from '../store/release/judge-package.js';
import { policyFindings } from '../store/release/policy.js';
import { surveySite } from '../survey/survey.js';
import { parseUrl } from '../util/url-path.js';
import { trustedRoot } from './apple-signing.js';
import { accessOf } from './host-access.js';
import { hasStore, openStore, type StoreOptions } from './open-store.js';
import { projectListing, projectSite } from './project-listing.js';
import type { SiteReading } from './read-site.js';
import { packageToSend, storeFor } from './sent-package.js';

export interface CheckReleaseOptions extends StoreOptions, SiteReading {
  /** Folder of `hull.json`. */
  readonly project?: ProjectSource | undefined;
  /** An `.aab`, `.apk` or `.ipa`; by default the newest bundle of the project. */
  readonly file?: string | undefined;
  /** By default those that the project is made for. */
  readonly stores?: readonly StoreName[] | undefined;
}

export interface StoreCheck {
  readonly store: StoreName;
  /** Worst first. */
  readonly findings: readonly Finding[];
  /** What could not be judged, and why. */
  readonly notJudged: readonly string[];
}

export interface CheckedRelease {
  readonly stores: readonly StoreCheck[];
  /** The package that was judged. */
  readonly file: string | undefined;
}

/** The most bytes that are read of a privacy page. */
const PAGE_LIMIT = 2 * 1024 * 1024;

const ownHosts = (project: Project, site: Site): ReadonlySet<string> =>
  new Set([site.base.hostname, ...project.settings.links.map(({ host }) => host.toLowerCase())]);

function factsOf(project: Project, site: Site): ByHandFacts {
  const own = ownHosts(project, site);
  const hosts = new Set<string>();
  for (const { facts } of site.pages) {
    for (const { text } of facts.references ?? []) {
      const url = parseUrl(text, site.base);
      if (url && /^https?:$/.test(url.protocol) && !own.has(url.hostname)) hosts.add(url.hostname);
    }
  }
  return {
    categories: categoriesOf(site),
    hasSignIn: site.pages.some(({ facts }) => facts.fields.some(({ type }) => type === 'password')),
    hosts: [...hosts].sort(),
  };
}

/** Whether a page that stores and users are sent to is there. */
async function reachFindings(project: Project, options: CheckReleaseOptions): Promise<Finding[]> {
  const { privacy, accounts } = project.settings.release;
  const pages = [
    { what: 'The privacy page', text: privacy, pointer: '/release/privacy' },
    {
      what: 'The page where accounts are deleted',
      text: accounts?.deletion,
      pointer: '/release/accounts/deletion',
    },
  ];
  const findings: Finding[] = [];
  const { resolve, ca, timeout } = accessOf(project, options);
  for (const { what, text, pointer } of pages) {
    if (text === undefined) continue;
    const add = (observed: string, fix: string) =>
      findings.push({
        code: 'policy.page-unreachable',
        severity: 'error',
        location: project.location(pointer),
        observed,
        impact: 'Stores open the address in their review, and reject the app where nothing is there.',
        fix,
      });
    const url = parseUrl(text);
    if (url?.protocol !== 'https:') {
      add(
        `${what} is at "${text}", which is not an https address.`,
        'Write it in full, as in https://ferry.saltmarsh.example/privacy.html',
      );
      continue;
    }
    const fetcher = new Fetcher({
      named: [url.hostname],
      ...(resolve ? { resolve } : {}),
      ...(ca === undefined ? {} : { ca }),
      ...(timeout === undefined ? {} : { timeout: timeout * 1000 }),
    });
    try {
      const { status } = await fetcher.fetch(url, PAGE_LIMIT);
      if (status >= 400)
        add(`${what}, ${url.href}, answers ${status}.`, 'Put it there, or correct the address.');
    } catch (error) {
      if (!(error instanceof HullError)) throw error;
      add(
        `${what}, ${url.href}, cannot be reached: ${error.message}`,
        'Check the address, and that everybody can open it.',
      );
    }
  }
  return findings;
}

/** Certificates that are known without a password. */
async function knownCertificates(project: Project): Promise<string[]> {
  try {
    const signers = await signersOf(project, { certificateOf: async () => undefined });
    return signers.map(({ sha256 }) => sha256);
  } catch (error) {
    if (error instanceof HullError) return [];
    throw error;
  }
}

/** Findings about a package: the checks of its store, and what its reader found. */
async function ipaFindings(project: Project, file: string, released: number | undefined): Promise<Finding[]> {
  const facts = await inspectIpa(file, trustedRoot(project).root);
  const { id } = project.settings.apple;
  const own = judgeStoreIpa(facts);
  const codes = new Set(own.map(({ code }) => code));
  return [
    ...own,
    ...(facts.id === id
      ? []
      : [
          {
            code: 'ipa.other-app',
            severity: 'error' as const,
            location: { file },
            observed: `The package is ${facts.id}, and hull.json says ${id}.`,
            impact: 'It would be sent to another app.',
            fix: 'Archive the source project of this project.',
          },
        ]),
    ...(released === undefined || Number(facts.build) > released
      ? []
      : [
          {
            code: 'ipa.build',
            severity: 'error' as const,
            location: { file },
            observed: `The package is build ${facts.build ?? '?'}, and the store has build ${released}.`,
            impact: 'Users never get an older build.',
            fix: withTasks`Raise it with ${task('setVersion', 'build')}, and archive again.`,
          },
        ]),
    ...facts.findings.filter(({ code }) => !codes.has(code)),
  ];
}

/** What the store has, where there is an account to ask with. */
async function released(
  project: Project,
  store: StoreName,
  reaching: CheckReleaseOptions,
): Promise<{
  readonly build: number | undefined;
  readonly findings: Finding[];
  readonly notJudged: string[];
}> {
  // A key that was named for one store says nothing to the other.
  const { account, ...others } = reaching;
  const isOwn = account === undefined || storeOf(account) === store;
  const options = { ...others, store, ...(isOwn ? { account } : {}) };
  if (!hasStore(project, options)) {
    const why =
      'whether the build is above every released one, and what the store has: no account of the store is named';
    return { build: undefined, findings: [], notJudged: [why] };
  }
  try {
    const { store: opened } = openStore(project, options);
    const state = await opened.look((edit) => edit.state());
    const builds = state.tracks.flatMap(({ releases }) => releases.flatMap((one) => one.builds));
    return { build: Math.max(0, ...builds), findings: [], notJudged: [] };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    const finding: Finding = {
      code: 'store.not-reached',
      severity: 'error',
      location: error.location ?? {},
      observed: error.message,
      impact: 'Nothing can be sent.',
      fix: error.fix ?? 'Try again.',
    };
    return { build: undefined, findings: [finding], notJudged: ['what the store has'] };
  }
}

async function packageFindings(
  project: Project,
  options: CheckReleaseOptions,
  build: number | undefined,
  today: string,
): Promise<{ readonly findings: Finding[]; readonly file: string | undefined }> {
  let file: string;
  try {
    file = packageToSend(project, options.file, 'android');
  } catch (error) {
    if (!(error instanceof HullError) || error.code !== 'release.no-package') throw error;
    const finding: Finding = {
      code: 'package.none',
      severity: 'error',
      location: error.location ?? {},
      observed: 'There is no package yet.',
      impact: 'There is nothing to send.',
      fix: withTasks`Make a bundle: ${task('packProject', 'aab')}`,
    };
    return { findings: [finding], file: undefined };
  }
  const findings = judgePackage(await inspectPackage(file), {
    id: project.settings.android.id,
    certificates: await knownCertificates(project),
    released: build,
    done: project.settings.release.done,
    today,
  });
  return { findings, file };
}

/** The store that a key is for, by its file. */
const storeOf = (account: string): StoreName => (account.endsWith('.p8') ? 'apple' : 'android');

/** Apple's store takes nothing that was packed here: what it takes is built with its own tools. */
const applePackage = (project: Project): Finding => ({
  code: 'package.apple-tools',
  severity: 'warning',
  location: project.location('/apple'),
  observed: 'Apple’s store takes only what Apple’s own tools built.',
  impact: 'An .ipa that was packed here is for devices of its profile.',
  fix: 'Make the source project for Apple, and archive it on a Mac: its README says how.',
});

/** The stores that a project is made for; that of a package which is named. */
function storesOf(project: Project, file: string | undefined): readonly StoreName[] {
  if (file !== undefined && storeFor(file) === 'apple') return ['apple'];
  return ['android', ...(project.origin('/apple').from === 'hull.json' ? (['apple'] as const) : [])];
}

/**
 * Everything that stands between a project and a store that publishes it, store by store.
 *
 * @throws HullError `config.*`, `listing.malformed`, `web.*`, `net.*`, `zip.*`, `package.unknown`
 */
export async function checkRelease(options: CheckReleaseOptions): Promise<CheckedRelease> {
  const project = openProject(options.project);
  const stores = options.stores ?? storesOf(project, options.file);
  const site = await projectSite(project, options);
  const facts = factsOf(project, site);
  const listing = projectListing(project);
  const reached = await reachFindings(project, options);
  const surveyed = surveySite({ site, project, browser: undefined }).findings.filter(({ code }) =>
    /^store\./.test(code),
  );
  const today = new Date().toISOString().slice(0, 10);
  const { app } = project.settings;
  const checks: StoreCheck[] = [];
  let file: string | undefined;
  for (const store of stores) {
    const findings: Finding[] = [];
    const notJudged: string[] = [];
    const known = await released(project, store, options);
    findings.push(...known.findings);
    notJudged.push(...known.notJudged);
    const named = options.file;
    if (store === 'android') {
      const own =
        named === undefined || storeFor(named) === store ? options : { ...options, file: undefined };
      const judged = await packageFindings(project, own, known.build, today);
      file = judged.file;
      findings.push(...judged.findings);
    } else if (named !== undefined && storeFor(named) === store) {
      file = named;
      findings.push(...(await ipaFindings(project, named, known.build)));
    } else findings.push(applePackage(project));
    findings.push(
      ...(await checkListing(listing, store, { version: app.version, main: mainLanguage(project) })),
      ...policyFindings(project, store, facts),
      ...reached,
      ...surveyed,
      ...byHandFindings(project, store, facts, today),
    );
    checks.push({ store, findings: bySeverity(findings), notJudged });
  }
  return { stores: checks, file };
}
