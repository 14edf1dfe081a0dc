import { fromSystemError, HullError } from '../errors.js';
import { readRegularFile } from '../util/files.js';
import { readCertificates } from './pem.js';

/** The largest certificate file, in bytes: one with every authority of a system has about 250,000. */
const MAX_BYTES = 4 * 1024 * 1024;

/**
 * The first certificate of a PEM or DER file.
 *
 * @param shown the file as errors name it
 * @throws HullError `keys.damaged`, `keys.bad-certificate`, `file.*`
 */
export function readCertificateFile(file: string, shown: string): Uint8Array {
  try {
    const [certificate] = readCertificates(readRegularFile(file, MAX_BYTES));
    if (certificate === undefined)
      throw new HullError('keys.damaged', 'There is no certificate in this file.');
    return certificate;
  } catch (error) {
    throw error instanceof HullError ? error.at({ file: shown }) : fromSystemError(error, shown);
  }
}
