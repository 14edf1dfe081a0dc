import type { IpaFacts, IpaPart } from '../../core/platforms/apple/inspect/facts.js';
import { formatBytes, formatShare } from '../../core/util/sizes.js';
import { showFindings } from '../terminal/findings.js';
import { columns, count, safe, wrap } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';

const PART_TEXT: Readonly<Record<IpaPart, string>> = {
  program: 'program',
  bundles: 'frameworks and extensions',
  pictures: 'icons and pictures',
  web: 'web content',
  signature: 'profile and seal of the files',
  other: 'other files',
  structure: 'names and structure',
};
/** Items that are named where there are many. */
const NAMED = 5;
/** Width of a permission's text. */
const MARGIN = 6;

function section(io: Io, title: string): void {
  io.out(`\n${io.paint.bold(title)}`);
}

function identity(io: Io, facts: IpaFacts): void {
  io.out(io.paint.bold(safe(facts.name)));
  io.out(
    columns([
      ['app ID', safe(facts.id)],
      ['version', `${safe(facts.version ?? '?')}, build ${safe(facts.build ?? '?')}`],
      [
        'system',
        `${safe(facts.platforms.join(', ') || '?')} ${safe(facts.minVersion ?? '?')} and later; ${facts.devices.join(', ') || 'no devices'}`,
      ],
      ['built by', facts.sdk === undefined ? 'it does not say which SDK' : safe(facts.sdk)],
      ['languages', safe(facts.languages.join(', ') || 'none named')],
      [
        'file',
        `${safe(facts.file)}, ${formatBytes(facts.size)}, ${count(facts.entries.count, 'entry', 'entries')}`,
      ],
    ]),
  );
}

function permissions(io: Io, facts: IpaFacts): void {
  section(io, 'Permissions');
  if (facts.permissions.length === 0) io.out('  none');
  for (const { key, reason } of facts.permissions) {
    io.out(`  ${safe(key)}`);
    io.out(`    “${wrap(safe(reason), io.width - MARGIN, '    ')}”`);
  }
}

function links(io: Io, facts: IpaFacts): void {
  section(io, 'Links and network');
  for (const domain of facts.domains) io.out(`  ${safe(domain)}`);
  if (facts.domains.length === 0) io.out('  No links of the web open in this app.');
  for (const scheme of facts.schemes) io.out(`  ${safe(scheme)}://`);
  const { arbitrary, hosts } = facts.transport;
  const open = hosts.length > 0 ? `, but plain http to ${hosts.map(safe).join(', ')}` : '';
  io.out(`  ${arbitrary ? io.paint.warn('plain http is allowed everywhere') : `https only${open}`}`);
}

function privacy(io: Io, facts: IpaFacts): void {
  section(io, 'Privacy manifest');
  if (facts.privacy === undefined) {
    io.out('  none');
    return;
  }
  const { tracking, domains, collected, reasons } = facts.privacy;
  io.out(`  ${tracking ? `tracks users: ${domains.map(safe).join(', ')}` : 'no tracking'}`);
  io.out(`  collects ${collected.length === 0 ? 'nothing, as it says' : collected.map(safe).join(', ')}`);
  for (const one of reasons)
    io.out(`  ${safe(one.category)}: ${one.reasons.map(safe).join(', ') || 'no reason'}`);
}

function contents(io: Io, facts: IpaFacts): void {
  section(io, 'Size');
  io.out(
    columns(
      facts.sizes.map(({ part, packed, files }) => [
        PART_TEXT[part] + (files > 0 ? ` (${files})` : ''),
        formatBytes(packed),
        io.paint.dim(formatShare(packed, facts.size)),
      ]),
      [1, 2],
    ),
  );
  if (io.verbose) {
    io.out(
      columns(
        facts.entries.largest.map(({ path, packed }) => [safe(path), formatBytes(packed)]),
        [1],
      ),
    );
  }
  for (const { folder, id, faults } of facts.nested) {
    io.out(`  ${safe(folder)}  ${safe(id)}${faults > 0 ? io.paint.bad(`  ${count(faults, 'fault')}`) : ''}`);
  }
}

function program(io: Io, facts: IpaFacts): void {
  section(io, 'Program');
  for (const { cpu, minVersion, sdk, cdhash, encrypted, libraries } of facts.slices) {
    const built = sdk === undefined ? '' : `, SDK ${sdk}`;
    io.out(
      `  ${cpu}  from ${minVersion ?? '?'}${built}${encrypted ? io.paint.warn(', encrypted by the store') : ''}`,
    );
    if (cdhash !== undefined) io.out(io.paint.dim(`    code hash ${cdhash}`));
    if (io.verbose) for (const library of libraries) io.out(io.paint.dim(`    ${safe(library)}`));
  }
}

function signature(io: Io, facts: IpaFacts): void {
  const { signature: found, profile } = facts;
  const { paint } = io;
  section(io, 'Signature');
  const verdict = {
    verified: paint.good('verifies'),
    failed: paint.bad('does not verify'),
    'by nobody': `${paint.warn('signed by nobody')}: only simulators start it`,
    unsigned: `${paint.bad('is not signed')}: no device installs it`,
  }[found.verdict];
  io.out(`  ${verdict}${found.sealedFiles > 0 ? `; ${count(found.sealedFiles, 'file')} sealed` : ''}`);
  const faults = io.verbose ? found.faults : found.faults.slice(0, NAMED);
  for (const fault of faults) io.out(`    ${safe(fault)}`);
  if (faults.length < found.faults.length)
    io.out(`    … ${found.faults.length - faults.length} more (--verbose)`);
  const [own] = found.certificates;
  if (own !== undefined) {
    io.out(
      columns([
        ['signer', safe(own.subject)],
        ['team', safe(found.team ?? '?')],
        ['key', own.key],
        ['valid until', own.notAfter.slice(0, 10)],
        ['SHA-256', own.sha256],
      ]),
    );
  }
  section(io, 'Profile and entitlements');
  if (profile === undefined) io.out('  no profile');
  else {
    io.out(
      columns([
        ['profile', `${safe(profile.name)}: ${profile.kind}, team ${safe(profile.team ?? '?')}`],
        ['app ID', safe(profile.appId)],
        ['expires', profile.expires?.slice(0, 10) ?? '?'],
        ['devices', profile.devices === undefined ? 'none named' : String(profile.devices.length)],
      ]),
    );
    if (io.verbose) for (const device of profile.devices ?? []) io.out(`    ${safe(device)}`);
  }
  for (const { key, value, allowed } of facts.entitlements) {
    const mark = allowed === undefined ? ' ' : allowed ? paint.good('✓') : paint.bad('✗');
    io.out(`  ${mark} ${safe(key)} ${paint.dim(safe(value))}`);
  }
}

/** Shows a package of Apple's systems. */
export function showIpa(io: Io, facts: IpaFacts): void {
  for (const part of [identity, permissions, links, privacy, contents, program, signature]) part(io, facts);
  if (facts.findings.length > 0) {
    section(io, 'What is refused, and what users meet');
    showFindings(io, facts.findings);
  }
}
