import type { DocumentKind } from '../../domains/plan.js';
import type { DomainsOptions } from '../gather-domains.js';
import { verifyDomains } from '../verify-domains.js';
import { writeDomains } from '../write-domains.js';
import { type BrandRun, type FleetRunOptions, overBrands } from './run.js';

export interface FleetDomainsOptions
  extends FleetRunOptions<BrandDomains>,
    Omit<DomainsOptions, 'project' | 'packages'> {
  /** `write` brings the documents up to date first. */
  readonly mode?: 'write' | 'verify' | undefined;
  /** Reads the documents on disk instead of asking the hosts. */
  readonly local?: boolean | undefined;
}

/** The associations of a brand with its hosts. */
export interface BrandDomains {
  readonly hosts: readonly BrandHost[];
  /** Files of documents, with what writing did to them; none where nothing was written. */
  readonly documents: readonly { readonly file: string; readonly state: 'new' | 'changed' | 'same' }[];
}

export interface BrandHost {
  readonly host: string;
  readonly verified: boolean;
  /** What is wrong, for the platforms on which it is. */
  readonly faults: readonly string[];
}

const PLATFORMS: Readonly<Record<DocumentKind, string>> = {
  android: 'Android',
  apple: 'Apple',
  web: 'installed web app',
};

/**
 * Verifies the associations of brands with their hosts, and writes the documents first where that is asked for. Brands of one
 * host have one document, with an entry for each.
 *
 * @throws HullError `fleet.*`, `config.*`
 */
export function fleetDomains(options: FleetDomainsOptions): Promise<BrandRun<BrandDomains>[]> {
  const { mode = 'verify', local, onBrand: _onBrand, ...rest } = options;
  // Two that write one document would lose each other's entries.
  const jobs = mode === 'write' ? 1 : options.jobs;
  return overBrands({ ...options, jobs }, async (project) => {
    if (project.settings.links.length === 0) return { hosts: [], documents: [] };
    const written = mode === 'write' ? await writeDomains({ ...rest, project }) : undefined;
    const verified = await verifyDomains({ ...rest, project, local: local ?? mode === 'write' });
    return {
      hosts: verified.hosts.map(({ host, platforms, findings }) => ({
        host,
        verified: platforms.every((one) => one.verified),
        faults: [
          ...platforms.flatMap((one) =>
            one.findings.map(({ observed }) => `${PLATFORMS[one.platform]}: ${observed}`),
          ),
          ...findings.map(({ observed }) => observed),
        ],
      })),
      documents: written?.documents.map(({ file, state }) => ({ file, state })) ?? [],
    };
  });
}
