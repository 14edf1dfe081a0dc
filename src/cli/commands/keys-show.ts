import { HullError } from '../../core/errors.js';
import { certificateFacts } from '../../core/keys/fingerprint.js';
import { namedKey } from '../../core/keys/open.js';
import { readCertificateFile } from '../../core/keys/public-part.js';
import { weaknesses } from '../../core/keys/weakness.js';
import { capabilitiesOf } from '../../core/platforms/android/signing/lineage.js';
import { readLineage } from '../../core/platforms/android/signing/plan.js';
import type { KeyConfig } from '../../core/project/config.js';
import { readProject } from '../../core/project/project.js';
import { columns, safe, wrap } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { openWithPassword } from '../open-key.js';

export interface KeysShowOptions extends CommonOptions {
  readonly file?: string;
  readonly passwordFile?: string;
}

interface Shown {
  readonly name: string | undefined;
  /** As it was written. */
  readonly path: string;
  readonly file: string;
  readonly alias: string | undefined;
  readonly certificate: Uint8Array;
  readonly config: KeyConfig;
}

async function open(
  io: Io,
  options: KeysShowOptions,
  name: string | undefined,
  config: KeyConfig,
  resolve: (path: string) => string,
): Promise<Shown> {
  if (config.file === undefined) {
    const path = config.certificate ?? '';
    const certificate = readCertificateFile(resolve(path), path);
    return { name, path, file: resolve(path), alias: undefined, certificate, config };
  }
  const file = resolve(config.file);
  const identity = await openWithPassword(io, options, { name, path: config.file, file, config });
  return {
    name,
    path: config.file,
    file,
    alias: identity.alias,
    certificate: identity.certificates[0] as Uint8Array,
    config,
  };
}

/** One fingerprint in the forms that consoles, association files and command lines want. */
function fingerprintForms(sha256: string): { colons: string; hex: string; base64: string } {
  const hex = sha256.replaceAll(':', '').toLowerCase();
  return { colons: sha256, hex, base64: Buffer.from(hex, 'hex').toString('base64') };
}

export async function keysShow(io: Io, options: KeysShowOptions, name?: string): Promise<void> {
  if (options.file !== undefined && name !== undefined) {
    throw new HullError('cli.usage', 'Give either a key’s name or --file, not both.');
  }
  let shown: Shown;
  let lineage: ReturnType<typeof readLineage> = [];
  if (options.file !== undefined) {
    shown = await open(io, options, undefined, { file: options.file }, (path) => path);
  } else {
    const project = readProject(options.project ?? '.');
    const key = namedKey(project, name);
    shown = await open(io, options, key.name, key.config, project.resolve);
    if (key.config.lineage !== undefined) lineage = readLineage(project.resolve(key.config.lineage));
  }
  const facts = certificateFacts(shown.certificate);
  const found = weaknesses(shown.certificate, new Date());
  const forms = fingerprintForms(facts.sha256);
  const before = lineage.slice(0, -1).map((level) => ({
    certificate: certificateFacts(level.certificate),
    keeps: capabilitiesOf(level),
  }));
  if (io.json) {
    outJson(io, {
      name: shown.name ?? null,
      file: shown.file,
      alias: shown.alias ?? null,
      certificate: facts,
      fingerprints: { sha256: forms, sha1: facts.sha1 },
      weaknesses: found,
      lineage: before,
    });
    return;
  }
  const { paint } = io;
  io.out(
    `${paint.bold(shown.name === undefined ? 'Key' : `Key "${shown.name}"`)} in ${shown.path}${shown.alias === undefined ? ': its certificate alone, it signs elsewhere' : `, alias ${safe(shown.alias)}`}`,
  );
  io.out(
    columns([
      ['subject', safe(facts.subject)],
      ['key', facts.key],
      ['valid from', facts.notBefore.slice(0, 10)],
      ['valid until', facts.notAfter.slice(0, 10)],
      ['SHA-1', facts.sha1],
      ['SHA-256', facts.sha256],
      ['', paint.dim('in consoles and /.well-known/assetlinks.json')],
      ['SHA-256, hex', forms.hex],
      ['SHA-256, Base64', forms.base64],
    ]),
  );
  for (const { saw, means } of found) {
    io.out(`${paint.warn('!')} ${safe(saw)} ${paint.dim(wrap(means, 88, '  '))}`);
  }
  if (found.length === 0) io.out(`${paint.good('No weakness')} is known of it.`);
  for (const { certificate, keeps } of before) {
    io.out(
      `${paint.dim('succeeds')} ${safe(certificate.subject)}, ${certificate.sha256}\n  which keeps ${keeps.join(', ') || 'nothing'}`,
    );
  }
}
