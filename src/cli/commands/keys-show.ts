import { HullError } from '../../core/errors.js';
import { certificateFacts } from '../../core/keys/fingerprint.js';
import { chooseKey, openIdentity, readKeystoreFile } from '../../core/keys/open.js';
import { readProject } from '../../core/project/project.js';
import { columns, safe } from '../format.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { passwordFor } from '../passwords.js';

export interface KeysShowOptions extends CommonOptions {
  readonly file?: string;
  readonly passwordFile?: string;
}

export async function keysShow(io: Io, options: KeysShowOptions, name?: string): Promise<void> {
  if (options.file !== undefined && name !== undefined) {
    throw new HullError('cli.usage', 'Give either a key’s name or --file, not both.');
  }
  const key =
    options.file === undefined
      ? chooseKey(readProject(options.project ?? '.'), name)
      : { name: undefined, file: options.file, config: { file: options.file } };
  // Asked before the password, so that nobody types one for a file that is not there.
  readKeystoreFile(key.file);
  const alias = 'alias' in key.config ? key.config.alias : undefined;
  const identity = await openIdentity(key.file, alias, await passwordFor(io, options, key.config.file));
  const facts = certificateFacts(identity.certificates[0] as Uint8Array);
  if (io.json) {
    outJson(io, { name: key.name ?? null, file: key.file, alias: identity.alias, certificate: facts });
    return;
  }
  io.out(
    `${io.paint.bold(key.name === undefined ? 'Key' : `Key "${key.name}"`)} in ${key.config.file}, alias ${safe(identity.alias)}`,
  );
  io.out(
    columns([
      ['subject', safe(facts.subject)],
      ['key', facts.key],
      ['valid from', facts.notBefore.slice(0, 10)],
      ['valid until', facts.notAfter.slice(0, 10)],
      ['SHA-1', facts.sha1],
      ['SHA-256', facts.sha256],
    ]),
  );
}
