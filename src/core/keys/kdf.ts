import { createHash, pbkdf2 } from 'node:crypto';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { promisify } from 'node:util';
import type { Budget } from '../formats/bytes/budget.js';

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

/**
 * Charges rounds of derivation before any is done. All derivations that a file asks for at once are charged before the
 * first begins, so that none goes on in the thread pool when the budget is spent.
 *
 * @throws HullError `file.over-budget`
 */
export async function chargeRounds(budget: Budget, rounds: number): Promise<void> {
  budget.charge('rounds', rounds);
  await nextTurn();
  budget.charge('rounds', 0);
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

/** What PKCS#12's own derivation takes (RFC 7292 appendix B.2). */
export interface Pkcs12Derivation {
  readonly password: string;
  readonly salt: Uint8Array;
  readonly iterations: number;
  /** As node:crypto names it. */
  readonly hash: string;
  /** 1 for a key, 2 for an initialisation vector, 3 for the integrity code. */
  readonly purpose: number;
  /** Bytes wanted. */
  readonly length: number;
}

/** Adds `value` + 1 to each block of `bytes`, big-endian, dropping what runs over (step 6C). */
function addToBlocks(bytes: Buffer, value: Buffer): void {
  for (let start = 0; start < bytes.length; start += value.length) {
    let carry = 1;
    for (let at = value.length - 1; at >= 0; at -= 1) {
      carry += (bytes[start + at] as number) + (value[at] as number);
      bytes[start + at] = carry & 0xff;
      carry >>= 8;
    }
  }
}

/** Rounds that are done here at a time, a few dozen milliseconds: in between, signals are heard. */
const SLICE = 20_000;
/** A round here, one hash call each, takes as long as so many in the thread pool. */
const SLOWNESS = 4;

/** Does something many times over, in slices. */
export async function inSlices(rounds: number, step: () => void): Promise<void> {
  for (let done = 0; done < rounds; ) {
    const end = Math.min(rounds, done + SLICE);
    for (; done < end; done += 1) step();
    if (done < rounds) await nextTurn();
  }
}

/** Key derivation of RFC 7292 appendix B.2. Throws HullError `file.over-budget`. */
export async function pkcs12Derive(parameters: Pkcs12Derivation, budget: Budget): Promise<Buffer> {
  await chargeRounds(budget, parameters.iterations * SLOWNESS);
  const { password, salt, iterations, hash, purpose, length } = parameters;
  const blockSize = hash === 'sha384' || hash === 'sha512' ? 128 : 64;
  const diversifier = Buffer.alloc(blockSize, purpose);
  const input = Buffer.concat([repeatTo(salt, blockSize), repeatTo(bmpPassword(password), blockSize)]);
  const parts: Buffer[] = [];
  for (let done = 0; done < length; ) {
    let digest = createHash(hash).update(diversifier).update(input).digest();
    await inSlices(iterations - 1, () => {
      digest = createHash(hash).update(digest).digest();
    });
    parts.push(digest);
    done += digest.length;
    if (done < length) addToBlocks(input, Buffer.alloc(blockSize, digest));
  }
  return Buffer.concat(parts).subarray(0, length);
}

/** The derivation for an integrity code, as many bytes as the hash has. */
export function pkcs12MacKey(
  parameters: Pick<Pkcs12Derivation, 'password' | 'salt' | 'iterations' | 'hash'>,
  budget: Budget,
): Promise<Buffer> {
  const length = createHash(parameters.hash).digest().length;
  return pkcs12Derive({ ...parameters, purpose: 3, length }, budget);
}
