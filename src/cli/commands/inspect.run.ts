import { HullError } from '../../core/errors.js';
import type { Resource } from '../../core/packaging/provenance.js';
import type { ComponentFacts, PackageFacts } from '../../core/platforms/android/inspect/facts.js';
import type { IpaFacts } from '../../core/platforms/apple/inspect/facts.js';
import { inspectFile } from '../../core/tasks/inspect-file.js';
import { type VerifiedProvenance, verifyProvenance } from '../../core/tasks/provenance.js';
import { replaceFile } from '../../core/util/files.js';
import { formatBytes, formatShare } from '../../core/util/sizes.js';
import type { OptionsOf } from '../define-command.js';
import { columns, safe, wrap } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonFindings, jsonPath } from '../terminal/json.js';
import type { declare } from './inspect.js';

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

function identity(io: Io, facts: PackageFacts): void {
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
      ['file', `${facts.file}, ${formatBytes(facts.size)}, ${facts.entries.count} entries`],
      ...(facts.debuggable
        ? [['debuggable', io.paint.warn('yes: anyone can look inside the running app; stores refuse it')]]
        : []),
    ]),
  );
}

function permissions(io: Io, facts: PackageFacts): void {
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

function components(io: Io, facts: PackageFacts): void {
  section(io, 'Activities and links');
  const shown = io.verbose ? facts.components : facts.components.slice(0, SHOWN_COMPONENTS);
  io.out(shown.length === 0 ? '  none' : columns(shown.map((item) => component(io, item))));
  if (shown.length < facts.components.length)
    io.out(`  … ${facts.components.length - shown.length} more (--verbose)`);
  const links = facts.components.flatMap((item) => item.links);
  for (const { pattern, declared, excluded, since, before } of links) {
    const level = since ? `, from API ${since} on` : before ? `, before API ${before}` : '';
    const how = excluded ? `${level.replace(', ', ' left out ')}` : `${declared ? ', declared' : ''}${level}`;
    io.out(`  link ${safe(pattern)}${how}`);
  }
  if (links.length === 0) io.out('  No links open in this app.');
  for (const site of facts.belongsTo) io.out(`  belongs to ${safe(site)}`);
  if (facts.belongsTo.length > 0) {
    io.out(
      io.paint.dim(
        `    ${wrap(`as long as the /.well-known/assetlinks.json of each host names ${facts.kind === 'aab' ? 'the certificate of the key with which the store signs' : 'the certificate below'}: else links open in the browser, and a browser that shows the pages puts a bar with their address above them.`, io.width - 8, '    ')}`,
      ),
    );
  }
}

function network(io: Io, facts: PackageFacts): void {
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

function contents(io: Io, facts: PackageFacts): void {
  section(io, 'Size');
  io.out(
    columns(
      facts.sizes.map((share) => [
        PART_TEXT[share.part] + (share.files > 0 ? ` (${share.files})` : ''),
        formatBytes(share.packed),
        io.paint.dim(formatShare(share.packed, facts.size)),
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
        facts.entries.largest.map((entry) => [safe(entry.path), formatBytes(entry.packed)]),
        [1],
      ),
    );
    for (const icon of facts.icons)
      io.out(`  icon ${safe(icon.path)}  ${icon.density}, ${formatBytes(icon.size)}`);
  } else io.out(`  icons: ${facts.icons.length} (${facts.icons.map((icon) => icon.density).join(', ')})`);
}

const verdicts = ({ paint }: Io) => ({
  verified: paint.good('verifies'),
  failed: paint.bad('does not verify'),
  unsigned: `${paint.bad('is not signed')}: no device installs it`,
});

function signature(io: Io, facts: PackageFacts): void {
  const { signature: found } = facts;
  section(io, facts.kind === 'aab' ? 'Signature (of the upload key)' : 'Signature');
  io.out(`  ${verdicts(io)[found.verdict]}`);
  for (const gap of found.gaps) io.out(`  ${gap}`);
  for (const scheme of found.schemes) {
    const state = scheme.state === 'verified' ? io.paint.good('verified') : io.paint.bad('FAILED');
    const algorithms = scheme.signers.flatMap((signer) => signer.algorithms).join(', ');
    io.out(
      `  ${scheme.scheme.padEnd(4)} ${state}${algorithms === '' ? '' : `  ${io.paint.dim(algorithms)}`}`,
    );
    for (const fault of scheme.faults) io.out(`       ${safe(fault)}`);
    for (const { lineage = [], levels } of scheme.signers) {
      if (lineage.length === 0) continue;
      io.out(io.paint.dim(`       from API ${levels?.min ?? '?'} on; its lineage, the oldest first:`));
      for (const { certificate, keeps } of lineage) {
        io.out(io.paint.dim(`       ${certificate?.sha256 ?? '?'}  keeps ${keeps.join(', ') || 'nothing'}`));
      }
    }
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

/** Largest files and duplicates that are named. */
const NAMED = 5;

function bundle(io: Io, facts: PackageFacts): void {
  if (facts.bundle === undefined) return;
  section(io, 'Bundle');
  const { modules, splits } = facts.bundle;
  for (const { name, files, packed } of modules)
    io.out(`  module ${safe(name)}  ${files} files, ${formatBytes(packed)}`);
  const divided = splits.filter(({ on }) => on).map(({ by }) => by);
  const whole = splits.filter(({ on }) => !on).map(({ by }) => by);
  io.out(
    `  the store divides it by ${divided.join(' and ') || 'nothing'}${whole.length > 0 ? `, not by ${whole.join(' or ')}` : ''}`,
  );
  io.out('  what devices download, by estimate:');
  io.out(
    columns(
      facts.downloads.map(({ device, bytes: count }) => [`  ${device}`, formatBytes(count)]),
      [1],
    ),
  );
}

function doubles(io: Io, facts: PackageFacts): void {
  for (const limit of facts.limits) io.out(`  ${io.paint.bad('too large')} ${limit}`);
  for (const { size, paths } of facts.duplicates.slice(0, NAMED)) {
    io.out(
      `  ${io.paint.warn('twice')} ${paths.slice(0, 3).map(safe).join(' = ')}${paths.length > 3 ? ` and ${paths.length - 3} more` : ''}  ${io.paint.dim(`${formatBytes(size * (paths.length - 1))} too many`)}`,
    );
  }
}

async function inspectIpa(io: Io, options: OptionsOf<typeof declare>, facts: IpaFacts): Promise<number> {
  if (options.html !== undefined) {
    const { appleSizePage } = await import('../../core/platforms/apple/inspect/size-page.js');
    await replaceFile(options.html, new TextEncoder().encode(appleSizePage(facts)));
  }
  const ok = !options.verify || facts.signature.verifies;
  if (io.json) {
    emit(
      io,
      'inspect',
      {
        ...facts,
        file: jsonPath(io, facts.file),
        findings: jsonFindings(io, facts.findings),
        page: options.html === undefined ? null : jsonPath(io, options.html),
      },
      ok,
    );
  } else {
    const { showIpa } = await import('./inspect-ipa.js');
    showIpa(io, facts);
    if (options.html !== undefined) io.note(`${io.paint.dim('page')} ${safe(options.html)}: a map of sizes`);
  }
  return ok ? 0 : 1;
}

const isPackage = (text: string) => /\.(?:apk|aab|ipa)$/i.test(text);

/** An option that may have a value takes the word after it, also where that is the package. */
function statementOf(io: Io, option: string | true | undefined): string | undefined {
  if (typeof option !== 'string') return undefined;
  if (!isPackage(option)) return option;
  throw new HullError('cli.usage', `"${option}" is a package, not a statement of its origin.`, {
    location: { option: '--provenance' },
    fix: `Write hull ${io.command} ${option} --provenance`,
  });
}

function origin(io: Io, found: VerifiedProvenance): void {
  const { paint } = io;
  section(io, 'Origin');
  io.out(
    `  ${found.verified ? paint.good('verified') : paint.bad('does not hold')}  ${paint.dim(safe(found.file))}`,
  );
  for (const fault of found.faults) io.out(`  ${paint.bad('✗')} ${wrap(safe(fault), io.width - 4, '    ')}`);
  for (const one of found.notJudged) io.out(`  ${paint.dim('not judged')} ${safe(one)}`);
  const { brand, version, signer, inputs } = found;
  const digestText = ({ digest = {} }: Resource) => Object.values(digest)[0] ?? '';
  io.out(
    columns([
      ['made by', `Jolly Hull ${safe(version)}${brand === undefined ? '' : `, as the brand ${safe(brand)}`}`],
      ...(signer ? [['signed by', safe(signer.subject)]] : []),
      ...inputs
        .filter(({ uri = '' }) => !uri.startsWith('pkg:npm/jolly-hull@'))
        .map((one) => [
          one.digest?.gitCommit === undefined ? 'from' : 'commit',
          `${safe(one.name ?? one.uri ?? '?')}  ${paint.dim(safe(digestText(one)).slice(0, 16))}${one.annotations?.clean === false ? paint.warn('  with changes') : ''}`,
        ]),
    ]),
  );
}

/** What documents say of a package’s origin. */
const jsonOrigin = (io: Io, found: VerifiedProvenance | undefined) =>
  found === undefined
    ? null
    : {
        file: jsonPath(io, found.file),
        verified: found.verified,
        faults: found.faults,
        notJudged: found.notJudged,
        signer: found.signer ?? null,
        version: found.version,
        brand: found.brand ?? null,
        inputs: found.inputs.map(({ name, uri, digest }) => ({
          name: name ?? null,
          uri: uri ?? null,
          digest: digest ?? {},
        })),
      };

export async function run(io: Io, options: OptionsOf<typeof declare>, file: string): Promise<number> {
  const facts = await inspectFile(file, options.project);
  if (facts.kind === 'ipa') {
    if (options.provenance === undefined) return inspectIpa(io, options, facts);
    throw new HullError('cli.usage', 'Statements of origin are made of packages for Android.', {
      location: { option: '--provenance' },
      fix: 'Leave --provenance out.',
    });
  }
  if (options.html !== undefined) {
    const { androidSizePage } = await import('../../core/platforms/android/inspect/size-page.js');
    await replaceFile(options.html, new TextEncoder().encode(androidSizePage(facts)));
  }
  const found =
    options.provenance === undefined
      ? undefined
      : await verifyProvenance(file, statementOf(io, options.provenance));
  const ok = (!options.verify || facts.signature.verifies) && (found?.verified ?? true);
  if (io.json) {
    const page = options.html === undefined ? null : jsonPath(io, options.html);
    const document = { ...facts, file: jsonPath(io, facts.file), page, provenance: jsonOrigin(io, found) };
    emit(io, 'inspect', document, ok);
    return ok ? 0 : 1;
  }
  for (const part of [identity, permissions, components, network, contents, doubles, bundle, signature])
    part(io, facts);
  if (found) origin(io, found);
  if (options.html !== undefined) io.note(`${io.paint.dim('page')} ${safe(options.html)}: a map of sizes`);
  return ok ? 0 : 1;
}
