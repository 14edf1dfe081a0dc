import { HullError } from '../../errors.js';
import { BINARY_MAGIC, readBinaryPlist } from './binary-reader.js';
import { isDict, type PlistDict, type PlistValue } from './types.js';
import { readXmlPlist } from './xml-reader.js';

const isBinary = (bytes: Uint8Array) =>
  Buffer.from(bytes.subarray(0, BINARY_MAGIC.length)).toString('latin1') === BINARY_MAGIC;

/**
 * Reads a property list in XML or in the binary form.
 *
 * @throws HullError `plist.malformed`, `file.over-budget`
 */
export function readPlist(bytes: Uint8Array): PlistValue {
  return isBinary(bytes) ? readBinaryPlist(bytes) : readXmlPlist(bytes);
}

/** Reads a property list whose value is a dictionary, as those of the platform are. Throws as {@link readPlist}. */
export function readPlistDict(bytes: Uint8Array): PlistDict {
  const value = readPlist(bytes);
  if (isDict(value)) return value;
  throw new HullError('plist.malformed', 'The property list is not a dictionary.');
}
