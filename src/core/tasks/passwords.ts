import { HullError } from '../errors.js';
import { chooseKey, type NamedKey, openIdentity, readKeystoreFile } from '../keys/open.js';
import type { KeystoreEntry } from '../keys/pkcs12.js';
import { jarSignerName } from '../platforms/android/signing/jar-names.js';
import { openPlan, originalKey } from '../platforms/android/signing/plan.js';
import type { SigningPlan } from '../platforms/android/signing/sign.js';
import type { Project } from '../project/project.js';

/** A keystore whose password is needed. */
export interface Keystore {
  /** Name of its key in `hull.json`; `undefined` for a file that is not named there. */
  readonly name: string | undefined;
  /** The file, as it was written. */
  readonly path: string;
  /** How many passwords for it were wrong so far. */
  readonly wrong?: number;
}

/** Gives the password of a keystore: from an environment, a vault, a person. May throw `keys.password-missing`. */
export interface PasswordOf {
  (keystore: Keystore): string | Promise<string>;
  /** Whether a person types it, who may be asked again after a wrong one. */
  readonly asks?: (keystore: Keystore) => boolean;
}

/** Times that a password is typed before a wrong one is an error. */
const TRIES = 3;

/** Does something with a password; a person whose password is wrong is asked again. Throws `keys.*`. */
export async function withPassword<T>(
  keystore: Keystore,
  password: PasswordOf,
  work: (text: string) => T | Promise<T>,
): Promise<T> {
  for (let wrong = 0; ; wrong += 1) {
    const text = await password(wrong === 0 ? keystore : { ...keystore, wrong });
    try {
      return await work(text);
    } catch (error) {
      const isWrong = error instanceof HullError && error.code === 'keys.wrong-password';
      if (!isWrong || wrong + 1 >= TRIES || password.asks?.(keystore) !== true) throw error;
    }
  }
}

/** Opens a key's keystore. Throws `keys.*`. */
export async function openKey(
  key: Pick<NamedKey, 'path' | 'file'> & {
    readonly name: string | undefined;
    readonly alias: string | undefined;
  },
  password: PasswordOf,
): Promise<KeystoreEntry> {
  // Read before the password is asked for, so that nobody types one for a file that is missing.
  readKeystoreFile(key.file);
  return withPassword({ name: key.name, path: key.path }, password, (text) =>
    openIdentity(key.file, key.alias, text),
  );
}

/** Who signs, and what with. */
export interface OpenedSigning {
  /** Name of the files of a JAR signature. */
  readonly signerName: string;
  /** Still on its way, so that other work goes on meanwhile. */
  readonly plan: Promise<SigningPlan>;
}

/** Opens each key once, however many brands it signs: that takes long on purpose, and a person is asked for its password once. */
export class OpenedKeys {
  readonly #opened = new Map<string, Promise<OpenedSigning>>();

  /** As {@link openSigning}. */
  of(project: Project, wanted: string | undefined, password: PasswordOf): Promise<OpenedSigning> {
    const { android, keys } = project.settings;
    const files = Object.entries(keys).map(([name, config]) => [
      name,
      { ...config, file: config.file === undefined ? undefined : project.resolve(config.file) },
    ]);
    const key = JSON.stringify([wanted ?? android.key, files]);
    const opened = this.#opened.get(key) ?? openSigning(project, wanted, password);
    this.#opened.set(key, opened);
    return opened;
  }
}

/**
 * Opens what a key of `hull.json` signs with, by default `android.key`; where it succeeds another, that one too. All passwords are obtained first, and the keystores
 * are opened afterwards, which takes long on purpose.
 *
 * @throws HullError `keys.*`
 */
export async function openSigning(
  project: Project,
  wanted: string | undefined,
  password: PasswordOf,
): Promise<OpenedSigning> {
  const key = chooseKey(project, wanted);
  const first = key.config.succeeds === undefined ? key : originalKey(project, key);
  const passwords = new Map<string, string>();
  for (const one of new Set([key, first])) {
    readKeystoreFile(one.file);
    const keystore = { name: one.name, path: one.path };
    const typed = password.asks?.(keystore) ?? false;
    // What a person typed is tried at once, so that a wrong one can be typed again.
    const text = await withPassword(keystore, password, async (given) => {
      if (typed) await openIdentity(one.file, one.config.alias, given);
      return given;
    });
    passwords.set(one.name, text);
  }
  const plan = openPlan(project, key, async ({ name }) => passwords.get(name) ?? '');
  // It is awaited late; until then a failure is nobody's.
  plan.catch(() => undefined);
  return { signerName: jarSignerName(key.config.alias ?? key.name), plan };
}
