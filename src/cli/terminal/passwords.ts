import { readFileSync, statSync } from 'node:fs';
import { fromSystemError, HullError } from '../../core/errors.js';
import { checkNewPassword, passwordFault } from '../../core/keys/password.js';
import type { Keystore, PasswordOf } from '../../core/tasks/passwords.js';
import { readRegularFile } from '../../core/util/files.js';
import type { Io } from './io.js';

export const PASSWORD_VARIABLE = 'HULL_KEY_PASSWORD';

export interface PasswordOptions {
  readonly passwordFile?: string | undefined;
}

/** The variable for one key alone, before the one for all: HULL_KEY_PASSWORD_UPLOAD_2026 for upload-2026. */
const variableFor = (name: string) =>
  `${PASSWORD_VARIABLE}_${name.toUpperCase().replaceAll(/[^A-Z0-9]/g, '_')}`;

/** The longest password file, in bytes. */
const MAX_PASSWORD_FILE = 64 * 1024;

/** A password file may be a pipe, as shells make one of a command's output; a device may never end. */
function readPasswordFile(file: string): string {
  const facts = statSync(file);
  if (!facts.isFIFO()) return readRegularFile(file, MAX_PASSWORD_FILE).toString('utf8');
  return readFileSync(file, 'utf8');
}

function given(io: Io, options: PasswordOptions, name?: string): string | undefined {
  const own = name === undefined ? undefined : io.env[variableFor(name)];
  if (own !== undefined && own !== '') return own;
  if (options.passwordFile !== undefined) {
    try {
      return readPasswordFile(options.passwordFile).replace(/\r?\n[\s\S]*$/, '');
    } catch (error) {
      throw fromSystemError(error, options.passwordFile);
    }
  }
  const fromEnvironment = io.env[PASSWORD_VARIABLE];
  return fromEnvironment === '' ? undefined : fromEnvironment;
}

function missing(): HullError {
  return new HullError(
    'keys.password-missing',
    'The keystore’s password is needed, and there is no terminal to ask at.',
    {
      location: { option: '--password-file' },
      fix: `Set ${PASSWORD_VARIABLE}, or give --password-file <file>. It is never taken as an argument, where others could read it.`,
    },
  );
}

/** Passwords that are given without asking: for looking where else they are written. */
export function knownPasswords(io: Io, options: PasswordOptions, names: readonly string[]): string[] {
  const all = [given(io, options), ...names.map((name) => given(io, options, name))];
  return [...new Set(all.filter((one) => one !== undefined))];
}

/** A key's password, where it is given without asking. */
export const knownPassword = (io: Io, options: PasswordOptions, name: string): string | undefined =>
  given(io, options, name);

/** Gives passwords of existing keystores: from the environment or a file, else typed. Throws `keys.password-missing`. */
export function passwordOf(io: Io, options: PasswordOptions): PasswordOf {
  const isTyped = ({ name }: Pick<Keystore, 'name'>) => given(io, options, name) === undefined;
  return Object.assign(
    ({ name, path, wrong = 0 }: Keystore) =>
      given(io, options, name) ?? typed(io, wrong > 0 ? `${path} (the last one was wrong)` : path),
    { asks: isTyped },
  );
}

/** The password of a keystore, typed where there is a terminal. Throws `keys.password-missing`. */
async function typed(io: Io, whose: string): Promise<string> {
  if (!io.interactive) throw missing();
  const { password } = await import('@inquirer/prompts');
  return password({ message: `Password of ${whose}` }, { output: process.stderr, signal: io.signal });
}

/** The password that a key in a keystore has for itself, asked for once it is known to have one. */
export function keyPassword(io: Io, file: string): Promise<string> {
  return typed(io, `the key itself in ${file}`);
}

const OLD_VARIABLE = 'HULL_OLD_KEY_PASSWORD';

/**
 * Passwords of a keystore that is imported: of the store, and of the key where that is given too. Without one of its own
 * the password for the new keystore is tried.
 */
export async function oldPassword(
  io: Io,
  options: PasswordOptions & {
    readonly oldPasswordFile?: string | undefined;
    readonly keyPasswordFile?: string | undefined;
  },
  file: string,
): Promise<{ readonly store: string; readonly key?: string | undefined }> {
  const fromFile = (name: string | undefined) =>
    name === undefined ? undefined : given({ ...io, env: {} }, { passwordFile: name });
  const key = fromFile(options.keyPasswordFile);
  const store = fromFile(options.oldPasswordFile) ?? io.env[OLD_VARIABLE];
  if (store !== undefined) return { store, key };
  if (io.interactive) return { store: await typed(io, file), key };
  const known = given(io, options);
  if (known !== undefined) return { store: known, key };
  throw new HullError(
    'keys.password-missing',
    'The password of the file is needed, and there is no terminal to ask at.',
    { location: { option: '--old-password-file' }, fix: OLD_REMEDY },
  );
}

/** How the password of a keystore that is imported is given. */
export const OLD_REMEDY = `Set ${OLD_VARIABLE}, or give --old-password-file <file>; ${PASSWORD_VARIABLE} is for the new keystore.`;

/** Gives the password of a new keystore: checked, and typed twice where it is typed. Throws `keys.password-*`. */
export function newPasswordOf(io: Io, options: PasswordOptions): PasswordOf {
  return async ({ name, path }) => {
    const known = given(io, options, name);
    if (known !== undefined) {
      checkNewPassword(known);
      return known;
    }
    return typedTwice(io, path);
  };
}

async function typedTwice(io: Io, file: string): Promise<string> {
  if (!io.interactive) throw missing();
  const { password } = await import('@inquirer/prompts');
  const context = { output: process.stderr, signal: io.signal };
  const first = await password(
    { message: `New password for ${file}`, validate: (text) => passwordFault(text) ?? true },
    context,
  );
  await password(
    {
      message: 'The same again',
      validate: (text) => text === first || 'The two are not the same; try again.',
    },
    context,
  );
  return first;
}
