import { type Location, task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { CREDENTIALS_RELATION, LINK_RELATION } from '../links/document-names.js';
import { documentHost } from '../links/host.js';
import type { LinkFilter } from '../links/intent-filter.js';
import { parseUrl } from '../util/url-path.js';
import { type AppleAssociation, readAppleAssociation } from './documents/apple-association.js';
import { type AssetLinks, readAssetLinks } from './documents/asset-links.js';
import { type OriginAssociation, readOriginAssociation } from './documents/origin-association.js';
import type { DocumentSource, FetchedDocument } from './fetch-documents.js';
import type { AppIds, DocumentKind, HostPlan } from './plan.js';
import { ROLE_TEXT, type Signer } from './signers.js';
import type { WebApp } from './web-app.js';

/** A package as far as association goes: read from the file, not from what it should be. */
export interface PackageSide {
  readonly file: string;
  readonly kind: 'apk' | 'aab';
  readonly packageName: string;
  /** SHA-256 of the certificates that a device sees, as `AA:BB:…`. */
  readonly certificates: readonly string[];
  readonly filters: readonly LinkFilter[];
  readonly belongsTo: readonly string[];
}

/** A package of Apple's systems as far as association goes: its entitlements, as they were signed. */
export interface ApplePackageSide {
  readonly file: string;
  /** With its prefix, as in `A1B2C3D4E5.example.saltmarsh.ferry`. */
  readonly appId: string;
  /** As in `applinks:ferry.saltmarsh.example`. */
  readonly domains: readonly string[];
}

/** What documents are compared with. */
export interface Expectation {
  readonly plans: readonly HostPlan[];
  readonly ids: AppIds;
  /** Certificates that `hull.json` knows of; empty where the keystore could not be opened. */
  readonly signers: readonly Signer[];
  readonly packages: readonly PackageSide[];
  readonly applePackages: readonly ApplePackageSide[];
  readonly web: WebApp | undefined;
  /** Hosts whose pages a browser shows full screen. */
  readonly browserHosts: readonly string[];
  /** Whether `hull.json` says with which key the store signs. */
  readonly knowsStoreKey: boolean;
  /** Whether a host can be verified where no certificate is known to compare: only what it says is judged then. */
  readonly unknownCertificate: 'breaks' | 'passes';
  readonly now: Date;
}
/** Seconds that a document should be cached at most: a change is a day late then. */
const LONGEST_CACHE = 86_400;
/** Lists that one list may include, over all of them. */
const MOST_INCLUDES = 10;

const MEANS: Readonly<Record<DocumentKind, string>> = {
  android: 'Links open in the browser instead of the app.',
  apple: 'Links open in the browser instead of the app.',
  web: 'Pages of this host open outside of the installed web app.',
};

const fromFault = (fault: Finding, kind: DocumentKind): Finding => ({
  ...fault,
  ...(fault.severity === 'error' ? { impact: MEANS[kind] } : {}),
});

export const holds = (findings: readonly Finding[]) => findings.every(({ severity }) => severity !== 'error');

/** What is wrong with the way a document arrived. */
function arrivalProblems(fetched: FetchedDocument, kind: DocumentKind): Finding[] {
  const findings = fetched.faults.map((fault) => fromFault(fault, kind));
  if (fetched.typeFault) {
    // Only Android's verifiers are known to insist.
    const severity = kind === 'android' ? 'error' : 'warning';
    findings.push(fromFault({ ...fetched.typeFault, severity }, kind));
  }
  const { maxAge = 0, location } = fetched;
  if (maxAge > LONGEST_CACHE) {
    findings.push({
      code: 'domains.cache-too-long',
      severity: 'warning',
      location,
      observed: `Caches may keep the document for ${Math.round(maxAge / LONGEST_CACHE)} days (max-age=${maxAge}).`,
      impact: 'A change reaches devices that much later.',
      fix: 'Answer with Cache-Control: max-age=3600 while it still changes, and a day at most afterwards.',
    });
  }
  return findings;
}

/** A statement list with all that it includes (Digital Asset Links, "include"). */
export async function withIncludes(
  source: DocumentSource,
  first: AssetLinks,
): Promise<{ readonly lists: readonly AssetLinks[]; readonly findings: readonly Finding[] }> {
  const lists = [first];
  const findings: Finding[] = [];
  const waiting = [...first.includes];
  const seen = new Set<string>();
  while (waiting.length > 0 && seen.size < MOST_INCLUDES) {
    const text = waiting.shift() as string;
    if (seen.has(text)) continue;
    seen.add(text);
    const url = parseUrl(text);
    if (url?.protocol !== 'https:') {
      const location = first.json ? { file: first.json.file } : {};
      findings.push({
        code: 'domains.include-address',
        severity: 'error',
        location,
        observed: `The list includes ${text}, which is not an https address.`,
        impact: MEANS.android,
        fix: 'Write the address in full, with https.',
      });
      continue;
    }
    const fetched = await source.include(url);
    findings.push(...arrivalProblems(fetched, 'android'));
    if (fetched.bytes === undefined) continue;
    const list = readAssetLinks(fetched.location, fetched.bytes);
    findings.push(...list.faults.map((fault) => fromFault(fault, 'android')));
    lists.push(list);
    waiting.push(...list.includes);
  }
  return { lists, findings };
}

/** Certificates that packages carry which go to devices as they are. */
function neededCertificates({ packages, signers, ids }: Expectation): { sha256: string; whose: string }[] {
  const released = packages.filter(({ kind, packageName }) => kind === 'apk' && packageName === ids.android);
  if (released.length > 0) {
    return released.flatMap(({ file, certificates }) =>
      certificates.map((sha256) => ({ sha256, whose: `the certificate of ${file}` })),
    );
  }
  return signers
    .filter(({ role }) => role === 'own')
    .map(({ name, sha256 }) => ({ sha256, whose: `the certificate of the key "${name}"` }));
}

const WRITE = withTasks`${task('writeDomains')}, and deploy what it writes.`;

function certificateProblems(
  location: Location,
  listed: ReadonlySet<string>,
  expected: Expectation,
): Finding[] {
  const findings: Finding[] = [];
  const needed = neededCertificates(expected);
  if (needed.length === 0 && expected.unknownCertificate === 'breaks') {
    findings.push({
      code: 'domains.no-certificate',
      severity: 'error',
      location,
      observed:
        'No certificate is known to compare with: there is no package, and the keystore’s password was not given.',
      impact: 'Nobody can say whether links open in the app.',
      fix: 'Pack first; or set HULL_KEY_PASSWORD; or name the certificate beside the keystore: keys.<name>.certificate',
    });
  }
  for (const { sha256, whose } of needed) {
    if (listed.has(sha256)) continue;
    findings.push({
      code: 'domains.certificate-missing',
      severity: 'error',
      location,
      observed: `The document does not list ${whose}, ${sha256}.`,
      impact: MEANS.android,
      fix:
        listed.size === 0
          ? WRITE
          : withTasks`It lists ${[...listed].join(', ')}. Write it again: ${task('writeDomains')}, and deploy what it writes.`,
    });
  }
  for (const { role, name, sha256 } of expected.signers) {
    if (listed.has(sha256) || role === 'own' || role === 'debug') continue;
    findings.push({
      code: 'domains.other-certificate-missing',
      severity: 'warning',
      location,
      observed: `The document does not list the certificate of "${name}", ${sha256}: it signs ${ROLE_TEXT[role]}.`,
      impact: 'For users with this version, links open in the browser.',
      fix: WRITE,
    });
  }
  if (!expected.knowsStoreKey && expected.packages.some(({ kind }) => kind === 'aab')) {
    findings.push({
      code: 'domains.store-key-unknown',
      severity: 'warning',
      location,
      observed: 'Nothing says with which key the store signs what users get.',
      impact:
        'The store signs a bundle again: with only your own certificate listed, its users’ links open in the browser.',
      fix: withTasks`Save the store’s certificate from its console, name it under keys in hull.json and in android.store_key, then run ${task('writeDomains')}.`,
    });
  }
  return findings;
}

/** Whether packages that are made already ask for this host. */
function packageProblems(plan: HostPlan, expected: Expectation): Finding[] {
  const findings: Finding[] = [];
  for (const { file, packageName, filters, belongsTo } of expected.packages) {
    if (packageName !== expected.ids.android) continue;
    const hosts = new Set(
      filters
        .filter(({ autoVerify, forLinks }) => autoVerify && forLinks)
        .flatMap((one) => one.hosts.map(({ host }) => host)),
    );
    for (const { host } of plan.links) {
      if (hosts.has(host)) continue;
      findings.push({
        code: 'domains.package-without-host',
        severity: 'error',
        location: { file },
        observed: `The package has no verified filter for ${host}.`,
        impact: MEANS.android,
        fix: 'It was packed before hull.json named the host. Pack it again.',
      });
    }
    if (expected.browserHosts.includes(plan.host) && !belongsTo.includes(`https://${plan.host}`)) {
      findings.push({
        code: 'domains.package-without-origin',
        severity: 'error',
        location: { file },
        observed: `The package does not say that it belongs to https://${plan.host}.`,
        impact: 'The browser shows a bar with the address above the pages.',
        fix: 'Pack it again with the browser engine.',
      });
    }
  }
  return findings;
}

/** Whether packages that are made already claim this host, as the app that the document is to name. */
function applePackageProblems(plan: HostPlan, appId: string, { applePackages }: Expectation): Finding[] {
  const findings: Finding[] = [];
  for (const { file, appId: packed, domains } of applePackages) {
    if (packed !== appId) {
      findings.push({
        code: 'domains.package-app-id',
        severity: 'error',
        location: { file },
        observed: `The package was signed as ${packed}; by hull.json the app is ${appId}.`,
        impact: MEANS.apple,
        fix: 'Set apple.team and apple.id to those of the profile, and write the document again; or sign with a profile of that team.',
      });
    }
    const claimed = new Set(domains.map((one) => one.replace(/\?.*$/, '')));
    for (const { host } of plan.links) {
      if (claimed.has(`applinks:${host}`)) continue;
      findings.push({
        code: 'domains.package-without-host',
        severity: 'error',
        location: { file },
        observed: `The package’s associated domains do not name ${host}.`,
        impact: MEANS.apple,
        fix: 'It was packed before hull.json named the host, or its profile does not allow associated domains. Pack it again.',
      });
    }
  }
  return findings;
}

export interface Judged {
  readonly says: string;
  readonly findings: readonly Finding[];
  /** Fingerprints that the document lists for the app. */
  readonly listed?: ReadonlySet<string>;
}

export async function judgeAndroid(
  source: DocumentSource,
  fetched: FetchedDocument,
  plan: HostPlan,
  expected: Expectation,
): Promise<Judged> {
  const findings = [...arrivalProblems(fetched, 'android'), ...packageProblems(plan, expected)];
  const { location } = fetched;
  if (fetched.bytes === undefined) return { says: 'no document', findings };
  const own = readAssetLinks(location, fetched.bytes);
  findings.push(...own.faults.map((fault) => fromFault(fault, 'android')));
  const { lists, findings: included } = await withIncludes(source, own);
  findings.push(...included);
  const { android } = expected.ids;
  const all = lists.flatMap(({ statements }) => statements);
  const ofApp = all.filter((one) => one.packageName === android && one.relations.includes(LINK_RELATION));
  const listed = new Set(ofApp.flatMap(({ fingerprints }) => fingerprints));
  if (ofApp.length === 0 && own.json !== undefined) {
    const others = [...new Set(all.map(({ packageName }) => packageName))];
    findings.push({
      code: 'domains.app-missing',
      severity: 'error',
      location,
      observed: `The document does not name ${android}${others.length === 0 ? '' : ` (it names ${others.join(', ')})`}.`,
      impact: MEANS.android,
      fix: WRITE,
    });
  } else if (own.json !== undefined) findings.push(...certificateProblems(location, listed, expected));
  const wantsCredentials = plan.links.some(({ credentials }) => credentials);
  if (
    wantsCredentials &&
    !all.some((one) => one.packageName === android && one.relations.includes(CREDENTIALS_RELATION))
  ) {
    findings.push({
      code: 'domains.credentials-missing',
      severity: 'error',
      location,
      observed: `The document does not lend its passwords to ${android}.`,
      impact: 'Passwords that are kept for the site are not offered in the app.',
      fix: WRITE,
    });
  }
  return {
    says: `names ${android} with ${listed.size} ${listed.size === 1 ? 'certificate' : 'certificates'}`,
    findings: holds(findings)
      ? [...findings, ...driftProblems(plan, 'android', own.json?.value, location, expected)]
      : findings,
    listed,
  };
}

export function judgeApple(
  fetched: FetchedDocument,
  plan: HostPlan,
  expected: Expectation,
  appId: string,
): Judged {
  const findings = [...arrivalProblems(fetched, 'apple'), ...applePackageProblems(plan, appId, expected)];
  const { location } = fetched;
  if (fetched.bytes === undefined) return { says: 'no document', findings };
  const document: AppleAssociation = readAppleAssociation(location, fetched.bytes);
  findings.push(...document.faults.map((fault) => fromFault(fault, 'apple')));
  const names = document.details.some(({ appIds }) => appIds.includes(appId));
  if (!names && document.json !== undefined) {
    const others = [...new Set(document.details.flatMap(({ appIds }) => appIds))];
    findings.push({
      code: 'domains.app-missing',
      severity: 'error',
      location,
      observed: `The document does not name ${appId}${others.length === 0 ? '' : ` (it names ${others.join(', ')})`}.`,
      impact: MEANS.apple,
      fix: WRITE,
    });
  }
  if (plan.links.some(({ credentials }) => credentials) && !document.credentials.includes(appId)) {
    findings.push({
      code: 'domains.credentials-missing',
      severity: 'error',
      location,
      observed: `webcredentials does not name ${appId}.`,
      impact: 'Passwords that are kept for the site are not offered in the app.',
      fix: WRITE,
    });
  }
  return {
    says: `names ${appId}`,
    findings: holds(findings)
      ? [...findings, ...driftProblems(plan, 'apple', document.json?.value, location, expected)]
      : findings,
  };
}

export function judgeWeb(fetched: FetchedDocument, plan: HostPlan, id: string, web: WebApp): Judged {
  const findings = arrivalProblems(fetched, 'web');
  const { location } = fetched;
  for (const { host } of plan.links) {
    const bare = documentHost(host);
    const there = web.extensions.some(
      ({ origin, wildcard }) => origin.hostname === bare && wildcard === host.startsWith('*.'),
    );
    if (there) continue;
    findings.push({
      code: 'domains.scope-extension-missing',
      severity: 'error',
      location: { file: web.manifest },
      observed: `The manifest’s scope_extensions do not name https://${host}.`,
      impact: MEANS.web,
      fix: WRITE,
    });
  }
  if (fetched.bytes === undefined) return { says: 'no document', findings };
  const document: OriginAssociation = readOriginAssociation(location, fetched.bytes);
  findings.push(...document.faults.map((fault) => fromFault(fault, 'web')));
  if (document.json !== undefined && !document.apps.some((one) => one.id === id)) {
    findings.push({
      code: 'domains.app-missing',
      severity: 'error',
      location,
      observed: `The document does not name the web app ${id}.`,
      impact: MEANS.web,
      fix: WRITE,
    });
  }
  return { says: `names ${id}`, findings };
}

/** Whether writing a document again would change it; asked only of one that holds: faults of others are reported already. */
function driftProblems(
  plan: HostPlan,
  kind: DocumentKind,
  value: unknown,
  location: Location,
  expected: Expectation,
): Finding[] {
  const planned = plan.documents.find((document) => document.kind === kind);
  if (planned === undefined || value === undefined || expected.signers.length === 0) return [];
  if (JSON.stringify(planned.merge(value)) === JSON.stringify(value)) return [];
  return [
    {
      code: 'domains.out-of-date',
      severity: 'warning',
      location,
      observed:
        'The document says something else of the app than hull.json: other rules, certificates or relations.',
      impact: 'Links may open elsewhere than you mean.',
      fix: WRITE,
    },
  ];
}
