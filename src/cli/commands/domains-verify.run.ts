import type { DocumentKind } from '../../core/domains/plan.js';
import type { HostVerdict } from '../../core/domains/verify.js';
import { HullError } from '../../core/errors.js';
import type { Finding } from '../../core/finding.js';
import { shownHost } from '../../core/links/host.js';
import { verifyDomains, type Waiting } from '../../core/tasks/verify-domains.js';
import type { OptionsOf } from '../define-command.js';
import { domainsOptions } from '../options/domains.js';
import { showFindings } from '../terminal/findings.js';
import { count, safe, wrap } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import { openProgress } from '../terminal/progress.js';
import type { declare } from './domains-verify.js';

export const PLATFORM_TEXT: Readonly<Record<DocumentKind, string>> = {
  android: 'Android',
  apple: 'Apple',
  web: 'Installed web app',
};

function show(io: Io, hosts: readonly HostVerdict[]): void {
  const { paint } = io;
  for (const { host, platforms, findings } of hosts) {
    io.out(paint.bold(shownHost(host)));
    const told = new Set<string>();
    for (const { platform, verified, says, findings: own } of platforms) {
      const mark = verified ? paint.good('✓') : paint.bad('✗');
      // One cause that keeps every document away is said once.
      const fresh = own.filter((finding) => !told.has(causeOf(finding)));
      for (const finding of own) told.add(causeOf(finding));
      const again = own.length > 0 && fresh.length === 0 ? ', for the same reason' : '';
      const verdict = verified
        ? `${paint.good('verified')}: ${safe(says)}`
        : `${paint.bad('not verified')}${again}`;
      io.out(`  ${mark} ${PLATFORM_TEXT[platform].padEnd(18)} ${verdict}`);
      showFindings(io, fresh, '    ');
    }
    showFindings(io, findings, '    ');
  }
}

const causeOf = ({ code, observed }: Finding) => `${code} ${observed}`;

/** How many of all are verified, and which are not. */
function summary(io: Io, hosts: readonly HostVerdict[]): string {
  const all = hosts.flatMap(({ host, platforms }) =>
    platforms.map(({ platform, verified }) => ({ host, platform, verified })),
  );
  const failed = all.filter(({ verified }) => !verified);
  const counted = `${all.length - failed.length} of ${count(all.length, 'association')} on ${count(hosts.length, 'host')} verified`;
  if (failed.length === 0) return io.paint.good(`${counted}.`);
  const names = failed.map(({ host, platform }) => `${PLATFORM_TEXT[platform]} on ${shownHost(host)}`);
  return `${io.paint.bad(counted)}; not ${safe(names.join(', '))}.`;
}

const MINUTE = 60_000;

function waitOf(io: Io, given: string | boolean | undefined): Waiting | undefined {
  if (given === undefined || given === false) return undefined;
  const minutes = given === true ? 10 : Number(given);
  if (!(minutes > 0 && minutes <= 1440)) {
    throw new HullError('domains.bad-option', `"${given}" is not a number of minutes.`, {
      location: { option: '--wait' },
      fix: 'Give a number from 1 to 1440, or none for 10.',
    });
  }
  return {
    most: minutes * MINUTE,
    signal: io.signal,
    onWait: (hosts, left) => {
      const names = hosts.map((host) => shownHost(host)).join(', ');
      io.note(`waiting for ${safe(names)}; ${Math.ceil(left / MINUTE)} min left`);
    },
  };
}

export async function run(
  io: Io,
  options: OptionsOf<typeof declare>,
  given: readonly string[],
): Promise<number> {
  const progress = openProgress(io, { doing: 'asking', what: 'hosts' });
  const verified = await verifyDomains({
    ...domainsOptions(io, options),
    hosts: given,
    local: options.local,
    onProgress: progress.update,
    wait: waitOf(io, options.wait),
  }).finally(progress.end);
  let { hosts } = verified;
  if (options.verifier !== undefined) {
    const { withVerifier } = await import('./verifier-view.js');
    hosts = await withVerifier(options.verifier, hosts);
  }
  const code = verified.verified ? 0 : 1;
  if (io.json) {
    const document = {
      verified: verified.verified,
      local: verified.local,
      packages: verified.packages.map((file) => jsonPath(io, file)),
      hosts: hosts.map(({ host, platforms, findings }) => ({
        host,
        platforms: platforms.map((one) => ({ ...one, findings: jsonFindings(io, one.findings) })),
        findings: jsonFindings(io, findings),
      })),
    };
    emit(io, 'domains verify', document, code === 0);
    return code;
  }
  show(io, hosts);
  io.out(wrap(summary(io, hosts), io.width, ''));
  io.note(io.paint.dim(`compared with ${safe(['hull.json', ...verified.packages].join(', '))}`));
  return code;
}
