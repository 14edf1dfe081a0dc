import { HullError } from '../../errors.js';
import { bytesSource } from '../bytes/source.js';
import type { PackedContent } from './types.js';

/** A gzip member without optional fields (RFC 1952, section 2.3): its header, and behind the data CRC-32 and size. */
const HEADER = 10;
const TRAILER = 8;
const MAGIC = 0x1f8b08;

/**
 * The content of a gzip file as an entry's: its deflated bytes are taken over as they stand.
 *
 * @param file one member without a name or other optional fields; not above 4 GiB when unpacked
 * @throws HullError `zip.malformed` where it is anything else; the data itself is not looked at
 */
export function gzippedContent(file: Uint8Array): PackedContent {
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength);
  if (file.length < HEADER + TRAILER || view.getUint32(0) !== MAGIC * 256) {
    throw new HullError('zip.malformed', 'This is no gzip file without optional fields.');
  }
  const end = file.length - TRAILER;
  const size = view.getUint32(end + 4, true);
  const entry = {
    path: '',
    method: 'deflate',
    crc32: view.getUint32(end, true),
    compressedSize: end - HEADER,
    size,
    headerOffset: 0,
    dataOffset: HEADER,
  } as const;
  return { archive: bytesSource(file), entry, size };
}
