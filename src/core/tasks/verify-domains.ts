import { setTimeout as delay } from 'node:timers/promises';
import type { HostVerdict } from '../domains/verify.js';
import { HullError } from '../errors.js';
import { documentHost, isHostFault, readHostName, shownHost } from '../links/host.js';
import { type DomainsOptions, gatherDomains, judge } from './gather-domains.js';

export interface VerifyDomainsOptions extends DomainsOptions {
  /** Hosts of `hull.json`; by default all. */
  readonly hosts?: readonly string[] | undefined;
  /** Reads the folders instead of the hosts, before they are deployed. */
  readonly local?: boolean | undefined;
  readonly onProgress?: ((done: number, total: number) => void) | undefined;
  /** Asks again until all hosts are verified, or this long has passed: for documents that are being deployed. */
  readonly wait?: Waiting | undefined;
}

export interface Waiting {
  /** ms in all. */
  readonly most: number;
  /** ms between two times; by default 10,000. */
  readonly every?: number | undefined;
  readonly signal?: AbortSignal | undefined;
  /** Called before each wait with the hosts that are not verified yet. */
  readonly onWait?: ((hosts: readonly string[], left: number) => void) | undefined;
}

export interface VerifiedDomains {
  /** Whether every host is verified on every platform. */
  readonly verified: boolean;
  readonly local: boolean;
  /** Packages that the documents were compared with. */
  readonly packages: readonly string[];
  readonly hosts: readonly HostVerdict[];
}

function chosenHosts(given: readonly string[], known: readonly string[]): readonly string[] {
  if (given.length === 0) return known;
  return given.map((text) => {
    const read = readHostName(text);
    if (isHostFault(read)) throw new HullError('links.bad-host', read.observed, { fix: read.fix });
    const host = documentHost(read.name);
    if (known.includes(host)) return host;
    throw new HullError('domains.bad-option', `hull.json names no links of ${shownHost(host)}.`, {
      fix: `Hosts that it names: ${known.join(', ')}. Add the host to links, or leave it out here.`,
    });
  });
}

const unverified = (verdicts: readonly HostVerdict[]): readonly string[] =>
  verdicts.filter(({ platforms }) => platforms.some(({ verified }) => !verified)).map(({ host }) => host);

/** ms between two times that hosts are asked. */
const EVERY = 10_000;

async function untilVerified(
  ask: () => Promise<readonly HostVerdict[]>,
  wait: Waiting | undefined,
): Promise<readonly HostVerdict[]> {
  const end = performance.now() + (wait?.most ?? 0);
  for (;;) {
    const verdicts = await ask();
    const waiting = unverified(verdicts);
    const left = end - performance.now();
    if (waiting.length === 0 || left <= 0) return verdicts;
    wait?.onWait?.(waiting, left);
    await delay(Math.min(left, wait?.every ?? EVERY), undefined, wait?.signal ? { signal: wait.signal } : {});
  }
}

/**
 * Asks hosts for their association documents as devices do, and compares these with `hull.json` and the packages.
 *
 * @throws HullError `config.*`, `domains.bad-option`, `links.bad-host`, `keys.*`
 */
export async function verifyDomains(options: VerifyDomainsOptions): Promise<VerifiedDomains> {
  const { local = false } = options;
  const gathered = await gatherDomains({ ...options, certificates: 'if-known' });
  const hosts = chosenHosts(
    options.hosts ?? [],
    gathered.plans.map(({ host }) => host),
  );
  const ask = () => judge(gathered, hosts, { ...options, source: local ? 'folders' : 'hosts' });
  const verdicts = await untilVerified(ask, options.wait);
  return {
    verified: unverified(verdicts).length === 0,
    local,
    packages: [...gathered.packages, ...(gathered.applePackages ?? [])].map(({ file }) => file),
    hosts: verdicts,
  };
}
