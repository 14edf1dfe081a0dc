import { VerifierFetcher } from '../core/domains/fetch-documents.js';
import { expectationOf, FolderSource } from '../core/domains/gather.js';
import { type HostProof, proveDomains } from '../core/domains/prove.js';
import { HullError } from '../core/errors.js';
import { type DomainOptions, fetcherOptions, gather } from './domains.js';
import type { Io } from './io.js';

/**
 * Proves the hosts that a survey can see: in a folder those that serve it, of a hosted app its own.
 *
 * @param url where the app is hosted, `undefined` for a folder
 * @returns `undefined` where the project is not far enough to be compared with
 */
export async function surveyAssociation(
  io: Io,
  options: DomainOptions,
  url: URL | undefined,
): Promise<HostProof[] | undefined> {
  try {
    const { out: _report, ...own } = options;
    const gathered = await gather(io, own, 'if-known');
    const all = gathered.plans.map(({ host }) => host);
    const hosts = all.filter((host) =>
      url === undefined ? gathered.folderOf(host).served : url.hostname === host,
    );
    if (hosts.length === 0) return undefined;
    const fetcher = url && new VerifierFetcher(fetcherOptions(options, hosts));
    const source = fetcher ?? new FolderSource(gathered.folderOf);
    return await proveDomains(hosts, expectationOf(gathered, new Date(), 'passes'), source).finally(() =>
      fetcher?.close(),
    );
  } catch (error) {
    // Whatever is wrong with the project is told by the command that needs it right.
    if (error instanceof HullError) return undefined;
    throw error;
  }
}
