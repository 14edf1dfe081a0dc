import { fromSystemError, HullError, systemErrorCode, task, withTasks } from '../errors.js';
import type { KeyConfig } from '../project/config.js';
import type { Project } from '../project/project.js';
import { debug } from '../util/debug.js';
import { readRegularFile } from '../util/files.js';
import { pointerStep } from '../util/json-locations.js';
import { type KeystoreEntry, readPkcs12 } from './pkcs12.js';

/** The name of a key that is used where none is named. */
export const DEFAULT_KEY = 'release';

export interface NamedKey {
  readonly name: string;
  /** The keystore as `hull.json` writes it, and where it is. */
  readonly path: string;
  readonly file: string;
  readonly config: KeyConfig;
}

/** A key's name and settings: as asked for, else `android.key`, else the only one. Throws `keys.none`. */
export function namedKey(
  project: Project,
  wanted?: string,
): { readonly name: string; readonly config: KeyConfig } {
  const keys = project.settings.keys;
  const names = Object.keys(keys);
  const name =
    wanted ?? project.settings.android.key ?? (names.length === 1 ? names[0] : DEFAULT_KEY) ?? DEFAULT_KEY;
  const config = Object.hasOwn(keys, name) ? keys[name] : undefined;
  if (config === undefined) {
    throw new HullError('keys.none', `There is no signing key named "${name}" in hull.json.`, {
      location: project.location('/keys'),
      fix:
        names.length === 0
          ? withTasks`Make one: ${task('createKey')}`
          : withTasks`The keys are: ${names.join(', ')}. Choose one of them in android.key, or make it: ${task('createKey', name)}`,
    });
  }
  return { name, config };
}

/** The key that a project signs with, as {@link namedKey} finds it. Throws `keys.none`, `keys.public-only`. */
export function chooseKey(project: Project, wanted?: string): NamedKey {
  const { name, config } = namedKey(project, wanted);
  if (config.file === undefined) {
    throw new HullError(
      'keys.public-only',
      `Of the key "${name}" only the certificate is here: it signs elsewhere.`,
      {
        location: project.location(`/keys/${pointerStep(name)}`),
        fix: 'Choose the key that signs here in android.key; the store’s own is named by android.store_key.',
      },
    );
  }
  return { name, config, path: config.file, file: project.resolve(config.file) };
}

const MAX_BYTES = 4 * 1024 * 1024;

/** A keystore file's bytes. Throws `keys.none` where it is not there. */
export function readKeystoreFile(file: string): Uint8Array {
  try {
    const bytes = readRegularFile(file);
    if (bytes.length > MAX_BYTES) {
      throw new HullError('keys.damaged', 'The file is larger than 4 MiB: it is no keystore.', {
        location: { file },
      });
    }
    return bytes;
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT') {
      throw new HullError('keys.none', 'The keystore is not there.', {
        location: { file },
        fix: withTasks`Restore it from a backup. Only for an app that was never published: make a new one with ${task('createKey')}`,
      });
    }
    throw fromSystemError(error, file);
  }
}

/** @param choose what to do, in words that a list of aliases follows */
export function noAlias(
  alias: string | undefined,
  aliases: readonly string[],
  file: string,
  choose: string,
): HullError {
  const message =
    alias === undefined
      ? 'The keystore holds several keys.'
      : `The keystore holds no key with the alias "${alias}".`;
  const names = aliases.map((one) => `"${one}"`).join(', ');
  return new HullError('keys.no-alias', message, {
    location: { file },
    fix: names === '' ? 'There is no key in it.' : `${choose}: ${names}.`,
  });
}

/**
 * Opens one identity of a keystore.
 *
 * @param alias may be left out where the keystore holds one key
 * @throws HullError `keys.none`, `keys.no-alias`, `keys.wrong-password`, `keys.damaged`, `keys.unsupported`
 */
export async function openIdentity(
  file: string,
  alias: string | undefined,
  password: string,
): Promise<KeystoreEntry> {
  const bytes = readKeystoreFile(file);
  debug('opening keystore %s', file);
  let entries: KeystoreEntry[];
  try {
    entries = await readPkcs12(bytes, password);
  } catch (error) {
    throw error instanceof HullError ? error.at({ file }) : error;
  }
  // Keystore tools of the JDK fold aliases to lower case.
  const found =
    alias === undefined && entries.length === 1
      ? entries[0]
      : entries.find((entry) => entry.alias.toLowerCase() === alias?.toLowerCase());
  if (found === undefined) {
    const aliases = entries.map((entry) => entry.alias);
    throw noAlias(alias, aliases, file, 'Set the key’s alias in hull.json to one of');
  }
  return found;
}
