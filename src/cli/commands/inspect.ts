import { type ApkFacts, type ComponentFacts, inspectApk } from '../../core/android/inspect.js';
import { bytes, columns, percent, safe, wrap } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';

const GRANTED = {
  install: 'at installation',
  asked: 'the user is asked',
  special: 'in the system’s settings',
} as const;

const PART_TEXT = {
  code: 'code',
  libraries: 'native libraries',
  resources: 'resources',
  assets: 'assets (web content)',
  manifest: 'manifest',
  signature: 'signatures',
  other: 'other files',
  structure: 'names and structure',
} as const;

function section(io: Io, title: string): void {
  io.out(`\n${io.paint.bold(title)}`);
}

function identity(io: Io, facts: ApkFacts): void {
  const launcher =
    facts.launcherLabel !== facts.label ? ` (launcher: ${safe(facts.launcherLabel ?? '?')})` : '';
  io.out(`${io.paint.bold(safe(facts.label ?? facts.id))}${launcher}`);
  io.out(
    columns([
      ['app ID', safe(facts.id)],
      ['version', `${safe(facts.version ?? '?')}, build ${facts.build ?? '?'}`],
      [
        'Android',
        `API ${facts.sdk.min} and later, made for ${facts.sdk.target}${facts.sdk.max === undefined ? '' : `, up to ${facts.sdk.max}`}`,
      ],
      ['file', `${facts.file}, ${bytes(facts.size)}, ${facts.entries.count} entries`],
      ...(facts.debuggable
        ? [['debuggable', io.paint.warn('yes: anyone can look inside the running app; stores refuse it')]]
        : []),
    ]),
  );
}

function permissions(io: Io, facts: ApkFacts): void {
  section(io, 'Permissions');
  if (facts.permissions.length === 0) io.out('  none');
  else {
    io.out(
      columns(
        facts.permissions.map((item) => [
          safe(item.name.replace(/^android\.permission\./, '')),
          (item.meaning ?? 'Not one of the platform’s own; its maker says what it means.') +
            (item.maxSdk === undefined ? '' : ` Up to API ${item.maxSdk}.`),
          io.paint.dim(item.granted ? GRANTED[item.granted] : ''),
        ]),
      ),
    );
  }
  const reasons = new Map<string, string[]>();
  for (const { name, reason } of facts.permissions) {
    if (reason === undefined) continue;
    const short = safe(name.replace(/^android\.permission\./, ''));
    reasons.set(reason, [...(reasons.get(reason) ?? []), short]);
  }
  for (const [reason, names] of reasons) io.out(`  ${names.join(', ')}: “${safe(reason)}”`);
  for (const feature of facts.features) {
    io.out(
      `  feature ${safe(feature.name)}, ${feature.required ? 'required: devices without it are shut out' : 'not required'}`,
    );
  }
}

function component(io: Io, item: ComponentFacts): string[] {
  const flags = [
    item.launcher ? 'opens from the launcher' : '',
    item.exported ? 'open to other apps' : 'private',
  ];
  return [item.kind, safe(item.name), io.paint.dim(flags.filter(Boolean).join(', '))];
}

const SHOWN_COMPONENTS = 12;

function components(io: Io, facts: ApkFacts): void {
  section(io, 'Activities and links');
  const shown = io.verbose ? facts.components : facts.components.slice(0, SHOWN_COMPONENTS);
  io.out(shown.length === 0 ? '  none' : columns(shown.map((item) => component(io, item))));
  if (shown.length < facts.components.length)
    io.out(`  … ${facts.components.length - shown.length} more (--verbose)`);
  const links = facts.components.flatMap((item) => item.links);
  for (const link of links) io.out(`  link ${safe(link.pattern)}${link.verified ? ', verified' : ''}`);
  if (links.length === 0) io.out('  No links open in this app.');
  for (const site of facts.belongsTo) io.out(`  belongs to ${safe(site)}`);
  if (facts.belongsTo.length > 0) {
    io.out(
      io.paint.dim(
        `    ${wrap('as long as the /.well-known/assetlinks.json of each host names the certificate below: else links open in the browser, and a browser that shows the pages puts a bar with their address above them.', 92, '    ')}`,
      ),
    );
  }
}

function network(io: Io, facts: ApkFacts): void {
  section(io, 'Network');
  const usual = facts.network.cleartext ? io.paint.warn('plain http is allowed everywhere') : 'https only';
  io.out(`  ${usual}${facts.network.exceptions.length > 0 ? ', but for:' : ''}`);
  for (const rule of facts.network.exceptions) {
    const host = `${safe(rule.host)}${rule.subdomains ? ' and its subdomains' : ''}`;
    io.out(`  ${rule.cleartext ? 'http allowed' : 'https only'}  ${host}`);
    if (rule.reason !== undefined)
      io.out(io.paint.dim(`    <!-- ${wrap(safe(rule.reason), 84, '    ')} -->`));
  }
}

function contents(io: Io, facts: ApkFacts): void {
  section(io, 'Size');
  io.out(
    columns(
      facts.sizes.map((share) => [
        PART_TEXT[share.part] + (share.files > 0 ? ` (${share.files})` : ''),
        bytes(share.packed),
        io.paint.dim(percent(share.packed, facts.size)),
      ]),
      [1, 2],
    ),
  );
  const table = facts.alignment.resourceTable;
  if (table === 'compressed' || table === 'misaligned') {
    io.out(
      `  ${io.paint.bad(`resources.arsc is ${table}`)}: Android 11 and later refuse to install this package.`,
    );
  }
  if (facts.alignment.misaligned.length > 0) {
    io.out(
      `  ${io.paint.warn('not aligned')} ${facts.alignment.misaligned.slice(0, 5).map(safe).join(', ')}`,
    );
  }
  if (io.verbose) {
    io.out(
      columns(
        facts.entries.largest.map((entry) => [safe(entry.path), bytes(entry.packed)]),
        [1],
      ),
    );
    for (const icon of facts.icons) io.out(`  icon ${safe(icon.path)}  ${icon.density}, ${bytes(icon.size)}`);
  } else io.out(`  icons: ${facts.icons.length} (${facts.icons.map((icon) => icon.density).join(', ')})`);
}

const verdicts = ({ paint }: Io) => ({
  verified: paint.good('verifies'),
  failed: paint.bad('does not verify'),
  unsigned: `${paint.bad('is not signed')}: no device installs it`,
});

function signature(io: Io, facts: ApkFacts): void {
  const { signature: found } = facts;
  section(io, 'Signature');
  io.out(`  ${verdicts(io)[found.verdict]}`);
  for (const gap of found.gaps) io.out(`  ${gap}`);
  for (const scheme of found.schemes) {
    const state = scheme.state === 'verified' ? io.paint.good('verified') : io.paint.bad('FAILED');
    const algorithms = scheme.signers.flatMap((signer) => signer.algorithms).join(', ');
    io.out(
      `  ${scheme.scheme.padEnd(4)} ${state}${algorithms === '' ? '' : `  ${io.paint.dim(algorithms)}`}`,
    );
    for (const fault of scheme.faults) io.out(`       ${safe(fault)}`);
  }
  const certificates = new Map(
    found.schemes
      .flatMap((scheme) => scheme.signers)
      .flatMap(({ certificate }) => (certificate ? [[certificate.sha256, certificate]] : [])),
  );
  for (const certificate of certificates.values()) {
    io.out(
      columns([
        ['signer', safe(certificate.subject)],
        ['key', certificate.key],
        ['valid until', certificate.notAfter.slice(0, 10)],
        ['SHA-256', certificate.sha256],
        ['SHA-1', certificate.sha1],
      ]),
    );
  }
}

export async function inspect(io: Io, _options: CommonOptions, file: string): Promise<void> {
  const facts = await inspectApk(file);
  if (io.json) {
    outJson(io, facts);
    return;
  }
  for (const part of [identity, permissions, components, network, contents, signature]) part(io, facts);
}
