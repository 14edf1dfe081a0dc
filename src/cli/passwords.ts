import { readFileSync } from 'node:fs';
import { fromSystemError, HullError } from '../core/errors.js';
import { checkNewPassword, passwordFault } from '../core/keys/password.js';
import type { Io } from './io.js';

export const PASSWORD_VARIABLE = 'HULL_KEY_PASSWORD';

interface PasswordOptions {
  readonly passwordFile?: string;
}

function given(io: Io, options: PasswordOptions): string | undefined {
  if (options.passwordFile !== undefined) {
    try {
      return readFileSync(options.passwordFile, 'utf8').replace(/\r?\n[\s\S]*$/, '');
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
      place: { option: '--password-file' },
      remedy: `Set ${PASSWORD_VARIABLE}, or give --password-file <file>. It is never taken as an argument, where others could read it.`,
    },
  );
}

/** The password of a keystore that is there. */
export async function passwordFor(io: Io, options: PasswordOptions, file: string): Promise<string> {
  const known = given(io, options);
  if (known !== undefined) return known;
  if (!io.interactive) throw missing();
  const { password } = await import('@inquirer/prompts');
  return password({ message: `Password of ${file}` }, { output: process.stderr, signal: io.signal });
}

/** A password for a new keystore: checked, and typed twice where it is typed. */
export async function newPassword(io: Io, options: PasswordOptions, file: string): Promise<string> {
  const known = given(io, options);
  if (known !== undefined) {
    checkNewPassword(known);
    return known;
  }
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
