import pMap from 'p-map';
import { task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { APPLE_PATH, ASSET_LINKS_PATH, ORIGIN_PATH } from '../links/document-names.js';
import { wwwVariant } from '../util/url-path.js';
import type { DocumentSource, FetchedDocument } from './fetch-documents.js';
import {
  type Expectation,
  holds,
  type Judged,
  judgeAndroid,
  judgeApple,
  judgeWeb,
} from './judge-documents.js';
import type { DocumentKind, HostPlan } from './plan.js';

export interface PlatformVerdict {
  readonly platform: DocumentKind;
  readonly verified: boolean;
  /** What was found, in one line. */
  readonly says: string;
  readonly findings: readonly Finding[];
}

export interface HostVerdict {
  readonly host: string;
  readonly platforms: readonly PlatformVerdict[];
  /** What does not belong to one platform. */
  readonly findings: readonly Finding[];
}

/** Days before its end from which a host's TLS certificate is reported. */
const CERTIFICATE_DAYS = 21;
/** Hosts that are asked at the same time. */
const HOSTS_AT_ONCE = 16;
const DAY_MS = 86_400_000;

function certificateEndProblem(fetched: readonly FetchedDocument[], now: Date): Finding[] {
  const [ends] = fetched.flatMap(({ certificateEnds }) => certificateEnds ?? []).sort();
  const [first] = fetched;
  if (ends === undefined || first === undefined) return [];
  const days = Math.floor((Date.parse(ends) - now.getTime()) / DAY_MS);
  if (!(days < CERTIFICATE_DAYS)) return [];
  return [
    {
      code: 'domains.tls-expires',
      severity: 'warning',
      location: { url: new URL('/', first.location.url ?? 'https://unknown.invalid').href },
      observed: `The host’s TLS certificate ends in ${days} ${days === 1 ? 'day' : 'days'}, on ${ends.slice(0, 10)}.`,
      impact: 'From then on no verifier gets a document, and no page opens.',
      fix: 'Renew it, and see why that did not happen by itself.',
    },
  ];
}

const verdictOf = (platform: DocumentKind, { says, findings }: Judged): PlatformVerdict => ({
  platform,
  verified: holds(findings),
  says,
  findings,
});

/** Lists by which two hosts differ in what they say of the app. */
function differences(
  verdicts: readonly (HostVerdict & { readonly listed?: ReadonlySet<string> })[],
): Map<string, Finding> {
  const withDocument = verdicts.filter(({ listed }) => listed !== undefined && listed.size > 0);
  const text = ({ listed }: (typeof withDocument)[number]) => [...(listed ?? [])].sort().join();
  const [first] = withDocument;
  const found = new Map<string, Finding>();
  for (const other of withDocument) {
    if (first === undefined || text(other) === text(first)) continue;
    found.set(other.host, {
      code: 'domains.hosts-differ',
      severity: 'warning',
      location: { url: `https://${other.host}${ASSET_LINKS_PATH}` },
      observed: `It lists other certificates than https://${first.host}${ASSET_LINKS_PATH}.`,
      impact: 'Links of one host may open in the app, and those of the other not.',
      fix: withTasks`Deploy the same statements to both: ${task('writeDomains')}`,
    });
  }
  return found;
}

/** That the same name with or without www answers with pages, and is named nowhere. */
async function variantProblem(
  plan: HostPlan,
  expected: Expectation,
  source: DocumentSource,
): Promise<Finding[]> {
  const variant = plan.links.some(({ host }) => host === plan.host) ? wwwVariant(plan.host) : undefined;
  const named = expected.plans.flatMap(({ links }) => links.map(({ host }) => host));
  if (variant === undefined || named.includes(variant)) return [];
  const answer = await source.root?.(variant);
  if (answer === undefined || answer === 'nothing') return [];
  return [
    {
      code: 'domains.variant-not-named',
      // Where it leads to the host that is named, its pages are that host's.
      severity: answer === 'pages' ? 'warning' : 'suggestion',
      location: { url: `https://${variant}/` },
      observed: `hull.json names ${plan.host}, and not ${variant}, which ${answer === 'pages' ? 'answers with pages too' : 'leads to another host'}.`,
      impact: `Links to ${variant} open in the browser.`,
      fix: `Where such links are about, add { "host": "${variant}" } to links, and serve the documents there too.`,
    },
  ];
}

/** Before API 31 a device verifies all hosts of an app or none (Android, "Verify app links"). */
function togetherProblems(verdicts: readonly HostVerdict[]): Finding | undefined {
  const broken = verdicts.filter(({ platforms }) =>
    platforms.some(({ platform, verified }) => platform === 'android' && !verified),
  );
  const [first] = broken;
  if (first === undefined || broken.length === verdicts.length) return undefined;
  return {
    code: 'domains.verified-together',
    severity: 'suggestion',
    location: { url: `https://${first.host}${ASSET_LINKS_PATH}` },
    observed: `Before Android 12 a device verifies all hosts of an app or none: ${broken.map(({ host }) => host).join(', ')} keeps the others out there.`,
    impact: 'On those devices no link of the app opens in it.',
    fix: 'Fix that host, or remove it from links.',
  };
}

/**
 * Judges hosts from both sides: asks each for its documents as a verifier would, and compares them with the packages and
 * with `hull.json`.
 *
 * @param hosts those to judge; each has to be in the plans
 * @param source where documents come from
 */
export async function judgeHosts(
  hosts: readonly string[],
  expected: Expectation,
  source: DocumentSource,
  onVerdict: (done: number, total: number) => void = () => undefined,
): Promise<HostVerdict[]> {
  let done = 0;
  const plans = expected.plans.filter(({ host }) => hosts.includes(host));
  const verdicts = await pMap(
    plans,
    async (plan) => {
      const verdict = await judgeHost(plan, expected, source);
      done += 1;
      onVerdict(done, plans.length);
      return verdict;
    },
    { concurrency: HOSTS_AT_ONCE },
  );
  const differing = differences(verdicts);
  const together = togetherProblems(verdicts);
  return verdicts.map(({ listed: _listed, ...verdict }) => {
    const more = differing.get(verdict.host);
    const isFine = verdict.platforms.some(({ platform, verified }) => platform === 'android' && verified);
    return {
      ...verdict,
      findings: [...verdict.findings, ...(more ? [more] : []), ...(together && isFine ? [together] : [])],
    };
  });
}

async function judgeHost(
  plan: HostPlan,
  expected: Expectation,
  source: DocumentSource,
): Promise<HostVerdict & { readonly listed?: ReadonlySet<string> }> {
  const { host } = plan;
  const { apple, web: webId } = expected.ids;
  const wants = (kind: DocumentKind) => plan.documents.some((document) => document.kind === kind);
  const get = (kind: DocumentKind, path: string) => (wants(kind) ? source.document(host, path) : undefined);
  const [android, appleDocument, origin] = await Promise.all([
    get('android', ASSET_LINKS_PATH),
    get('apple', APPLE_PATH),
    get('web', ORIGIN_PATH),
  ]);
  const platforms: PlatformVerdict[] = [];
  let listed: ReadonlySet<string> | undefined;
  if (android) {
    const judged = await judgeAndroid(source, android, plan, expected);
    listed = judged.listed;
    platforms.push(verdictOf('android', judged));
  }
  if (appleDocument && apple !== undefined) {
    platforms.push(verdictOf('apple', judgeApple(appleDocument, plan, expected, apple)));
  }
  if (origin && webId !== undefined && expected.web !== undefined) {
    platforms.push(verdictOf('web', judgeWeb(origin, plan, webId, expected.web)));
  }
  const fetched = [android, appleDocument, origin].filter((one) => one !== undefined);
  return {
    host,
    platforms,
    findings: [
      ...certificateEndProblem(fetched, expected.now),
      ...(await variantProblem(plan, expected, source)),
    ],
    ...(listed ? { listed } : {}),
  };
}
