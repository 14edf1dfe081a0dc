import { readFileSync } from 'node:fs';
import { fromSystemError, HullError } from '../errors.js';
import { readCertificates } from './pem.js';

/**
 * The first certificate of a PEM or DER file.
 *
 * @param shown the file as errors name it
 * @throws HullError `keys.damaged`, `file.missing`
 */
export function readCertificateFile(file: string, shown: string): Uint8Array {
  try {
    const [certificate] = readCertificates(readFileSync(file));
    if (certificate === undefined)
      throw new HullError('keys.damaged', 'There is no certificate in this file.');
    return certificate;
  } catch (error) {
    throw error instanceof HullError ? error.at({ file: shown }) : fromSystemError(error, shown);
  }
}
