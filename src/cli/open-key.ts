import { openIdentity, readKeystoreFile } from '../core/keys/open.js';
import type { KeystoreEntry } from '../core/keys/pkcs12.js';
import type { KeyConfig } from '../core/project/config.js';
import type { Io } from './io.js';
import { passwordFor } from './passwords.js';

/** A keystore that is to be opened: where it is, and how its password is asked for. */
export interface KeyToOpen {
  readonly name: string | undefined;
  /** As it was written. */
  readonly path: string;
  readonly file: string;
  readonly config: Pick<KeyConfig, 'alias'>;
}

/** Opens a keystore with its password, given or typed. Throws `keys.*`. */
export async function openWithPassword(
  io: Io,
  options: { readonly passwordFile?: string },
  { name, path, file, config }: KeyToOpen,
): Promise<KeystoreEntry> {
  // Looked for before the password, so that nobody types one for a file that is not there.
  readKeystoreFile(file);
  return openIdentity(file, config.alias, await passwordFor(io, options, path, name));
}
