import { HullError } from '../../core/errors.js';

/** A whole number of an option, between two others. Throws `cli.usage`. */
export function numberBetween(
  text: string | undefined,
  option: string,
  [least, most]: readonly [number, number],
  usual: number,
): number {
  if (text === undefined) return usual;
  const value = Number(text);
  if (/^\d+$/.test(text) && value >= least && value <= most) return value;
  throw new HullError('cli.usage', `"${text}" is not a number from ${least} to ${most}.`, {
    location: { option },
    fix: `Write it as ${option} ${usual}`,
  });
}

/** A port's number; 0 for any that is free. Throws `cli.usage`. */
export function portNumber(text: string | undefined, option: string, usual: number): number {
  return numberBetween(text, option, [0, 65_535], usual);
}
