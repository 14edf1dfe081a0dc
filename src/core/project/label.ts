import { HullError, type Location } from '../errors.js';

// biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is looked for
const CONTROL = /[\u0000-\u001f\u007f-\u009f\u2028\u2029]/;
/** Marks that turn the direction of all text after them; isolates and letters of any script are fine. */
const OVERRIDES = /[\u202a-\u202e]/;

/** Checks a text that users will read as a label. Throws `config.bad-value`. */
export function checkLabel(text: string, location: Location): void {
  const fault = CONTROL.test(text)
    ? 'holds a line break or another control character'
    : OVERRIDES.test(text)
      ? 'holds a mark that overrides the direction of text, which can disguise a name'
      : text.trim() === ''
        ? 'is blank'
        : !text.isWellFormed()
          ? 'holds half of a character'
          : undefined;
  if (fault !== undefined) {
    throw new HullError('config.bad-value', `This name ${fault}.`, { location, fix: 'Remove it.' });
  }
}
