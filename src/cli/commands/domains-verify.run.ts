import type { DocumentKind } from '../../core/domains/plan.js';
import type { HostVerdict } from '../../core/domains/verify.js';
import { shownHost } from '../../core/links/host.js';
import { verifyDomains } from '../../core/tasks/verify-domains.js';
import type { OptionsOf } from '../define-command.js';
import { domainsOptions } from '../options/domains.js';
import { showFindings } from '../terminal/findings.js';
import { safe } from '../terminal/format.js';
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
    for (const { platform, verified, says, findings: own } of platforms) {
      const mark = verified ? paint.good('✓') : paint.bad('✗');
      const verdict = verified ? `${paint.good('verified')}: ${safe(says)}` : paint.bad('not verified');
      io.out(`  ${mark} ${PLATFORM_TEXT[platform].padEnd(18)} ${verdict}`);
      showFindings(io, own, '    ');
    }
    showFindings(io, findings, '    ');
  }
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
  io.note(io.paint.dim(`compared with ${safe(['hull.json', ...verified.packages].join(', '))}`));
  return code;
}
