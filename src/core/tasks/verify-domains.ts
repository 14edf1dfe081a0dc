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
  const verdicts = await judge(gathered, hosts, { ...options, source: local ? 'folders' : 'hosts' });
  return {
    verified: verdicts.every(({ platforms }) => platforms.every(({ verified }) => verified)),
    local,
    packages: gathered.packages.map(({ file }) => file),
    hosts: verdicts,
  };
}
