import { VerifierFetcher } from '../../core/domains/fetch-documents.js';
import { expectationOf, FolderSource } from '../../core/domains/gather.js';
import type { DocumentKind } from '../../core/domains/plan.js';
import { type HostProof, type Problem, proveDomains } from '../../core/domains/prove.js';
import { formatPlace, HullError } from '../../core/errors.js';
import { documentHost, isHostFault, readHostName, shownHost } from '../../core/links/host.js';
import { type DomainOptions, fetcherOptions, type Gathered, gather } from '../domains.js';
import { safe, wrap } from '../format.js';
import { type Io, outJson } from '../io.js';
import { countProgress } from '../progress.js';

export interface DomainsVerifyOptions extends DomainOptions {
  readonly local?: boolean;
  readonly verifier?: string;
}

export const PLATFORM_TEXT: Readonly<Record<DocumentKind, string>> = {
  android: 'Android',
  apple: 'Apple',
  web: 'Installed web app',
};
const WIDTH = 94;

/** Hosts to prove: those that are named, else every one of `hull.json`. */
function chosenHosts(given: readonly string[], { plans }: Gathered): string[] {
  const known = plans.map(({ host }) => host);
  if (given.length === 0) return known;
  return given.map((text) => {
    const read = readHostName(text);
    if (isHostFault(read)) throw new HullError('links.bad-host', read.saw, { remedy: read.remedy });
    const host = documentHost(read.name);
    if (known.includes(host)) return host;
    throw new HullError('domains.bad-option', `hull.json names no links of ${shownHost(host)}.`, {
      remedy: `Hosts that it names: ${known.join(', ')}. Add the host to links, or leave it out here.`,
    });
  });
}

function showProblem(io: Io, { weight, place, saw, means, remedy }: Problem): void {
  const { paint } = io;
  const mark = { breaks: paint.bad('✗'), later: paint.warn('!'), note: paint.dim('·') }[weight];
  io.out(`    ${mark} ${wrap(safe(saw), WIDTH, '      ')}`);
  io.out(paint.dim(`      ${safe(formatPlace(place))}`));
  if (means !== undefined) io.out(`      ${wrap(safe(means), WIDTH, '      ')}`);
  io.out(`      → ${wrap(safe(remedy), WIDTH - 2, '        ')}`);
}

function show(io: Io, proofs: readonly HostProof[]): void {
  const { paint } = io;
  for (const { host, platforms, problems } of proofs) {
    io.out(paint.bold(shownHost(host)));
    for (const { platform, verified, says, problems: own } of platforms) {
      const mark = verified ? paint.good('✓') : paint.bad('✗');
      const verdict = verified ? `${paint.good('verified')}: ${safe(says)}` : paint.bad('not verified');
      io.out(`  ${mark} ${PLATFORM_TEXT[platform].padEnd(18)} ${verdict}`);
      for (const problem of own) showProblem(io, problem);
    }
    for (const problem of problems) showProblem(io, problem);
  }
}

export async function domainsVerify(
  io: Io,
  options: DomainsVerifyOptions,
  given: readonly string[],
): Promise<number> {
  const gathered = await gather(io, options, 'if-known');
  const hosts = chosenHosts(given, gathered);
  const expected = expectationOf(gathered, new Date());
  const fetcher = options.local ? undefined : new VerifierFetcher(fetcherOptions(options, hosts));
  const progress = await countProgress(io, hosts.length, 'asking', 'hosts');
  let proofs: HostProof[];
  try {
    proofs = await proveDomains(
      hosts,
      expected,
      fetcher ?? new FolderSource(gathered.folderOf),
      progress.update,
    );
  } finally {
    progress.end();
    fetcher?.close();
  }
  const failing = proofs.filter(({ platforms }) => platforms.some(({ verified }) => !verified));
  if (options.verifier !== undefined) {
    const { withVerifier } = await import('../verifier-view.js');
    proofs = await withVerifier(options.verifier, proofs);
  }
  const code = failing.length > 0 ? 1 : 0;
  if (io.json) {
    outJson(io, {
      verified: code === 0,
      local: options.local ?? false,
      packages: gathered.packages.map(({ file }) => file),
      hosts: proofs,
    });
    return code;
  }
  show(io, proofs);
  const packages = gathered.packages.map(({ file }) => file);
  const against = packages.length > 0 ? ['hull.json', ...packages] : ['hull.json'];
  io.note(io.paint.dim(`compared with ${safe(against.join(', '))}`));
  return code;
}
