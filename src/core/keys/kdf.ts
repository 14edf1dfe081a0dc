import { createHash, pbkdf2 } from 'node:crypto';
import { promisify } from 'node:util';

const pbkdf2Async = promisify(pbkdf2);

/** What a key is derived from (RFC 8018 section 5.2), beside the password. */
export interface Pbkdf2Parameters {
  readonly salt: Uint8Array;
  readonly iterations: number;
  /** Key length in bytes. */
  readonly length: number;
  /** Hash of the HMAC, as node:crypto names it. */
  readonly hash: string;
}

/** Derives a key in the thread pool; PKCS#12's PBES2 takes the password as UTF-8 (as OpenSSL and the JDK do). */
export function deriveKey(password: string, parameters: Pbkdf2Parameters): Promise<Buffer> {
  const { salt, iterations, length, hash } = parameters;
  return pbkdf2Async(Buffer.from(password, 'utf8'), salt, iterations, length, hash);
}

/** A password as PKCS#12 wants it for its own derivation: UTF-16BE with a terminating zero (RFC 7292 B.1). */
function bmpPassword(password: string): Buffer {
  return Buffer.from(`${password}\0`, 'utf16le').swap16();
}

function repeatTo(bytes: Uint8Array, blockSize: number): Buffer {
  if (bytes.length === 0) return Buffer.alloc(0);
  const length = Math.ceil(bytes.length / blockSize) * blockSize;
  return Buffer.alloc(length, bytes);
}

/** Key derivation of RFC 7292 appendix B.2 for a MAC key (purpose 3). Returns as many bytes as the hash has. */
export function pkcs12MacKey(password: string, salt: Uint8Array, iterations: number, hash: string): Buffer {
  const blockSize = hash === 'sha384' || hash === 'sha512' ? 128 : 64;
  const purpose = Buffer.alloc(blockSize, 3);
  let digest = createHash(hash)
    .update(purpose)
    .update(repeatTo(salt, blockSize))
    .update(repeatTo(bmpPassword(password), blockSize))
    .digest();
  for (let i = 1; i < iterations; i += 1) digest = createHash(hash).update(digest).digest();
  return digest;
}
