import { HullError } from '../errors.js';

const MIN_LENGTH = 8;

/** Why a password cannot protect a new keystore, or `undefined` where it can. */
export function passwordFault(password: string): string | undefined {
  if (password.length < MIN_LENGTH) return `It has fewer than ${MIN_LENGTH} characters.`;
  if (!/^[\x20-\x7e]+$/.test(password)) {
    return 'It holds characters outside printable ASCII, with which the JDK’s tools could not open the keystore.';
  }
  return undefined;
}

/** Throws `keys.password-unfit`; the password itself is never part of the error. */
export function checkNewPassword(password: string): void {
  const fault = passwordFault(password);
  if (fault !== undefined) {
    throw new HullError('keys.password-unfit', `This password is not fit for a new keystore. ${fault}`, {
      fix: 'Choose one of at least 8 printable ASCII characters; a few random words are good.',
    });
  }
}
