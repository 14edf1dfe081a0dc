import { createHash } from 'node:crypto';
import { malformed } from './blobs.js';
import { BLOB, type CodeDirectory, HASH_NAMES } from './types.js';

/** `CS_SUPPORTSEXECSEG`: the version with the limits of the executable segment. */
const VERSION = 0x20400;
/** Bytes before the strings. */
const HEAD = 88;
const SHA256_SIZE = 32;
/** Versions from which fields are there. */
const SINCE = { team: 0x20200, limit64: 0x20300, executable: VERSION } as const;

export interface DirectoryInput {
  /** The program up to its signature. */
  readonly code: Uint8Array;
  readonly identifier: string;
  readonly team?: string | undefined;
  readonly flags: number;
  readonly executable: { readonly base: bigint; readonly limit: bigint; readonly flags: bigint };
  /** Hashes of the other parts, by slot. */
  readonly special: ReadonlyMap<number, Uint8Array>;
}

/** Bytes of a page, and their exponent. */
export const PAGE = 4096;
const PAGE_SHIFT = 12;

const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest();

/** A code directory with SHA-256 over pages of 4,096 bytes (cs_blobs.h, `CS_CodeDirectory`). */
export function makeCodeDirectory(input: DirectoryInput): Buffer {
  const { code, team } = input;
  const specialCount = Math.max(0, ...input.special.keys());
  const identifier = Buffer.from(`${input.identifier}\0`);
  const teamBytes = Buffer.from(team === undefined ? '' : `${team}\0`);
  const hashOffset = HEAD + identifier.length + teamBytes.length + SHA256_SIZE * specialCount;
  const pageCount = Math.ceil(code.length / PAGE);
  const head = Buffer.alloc(HEAD);
  const fields: readonly (readonly [offset: number, value: number])[] = [
    [0, BLOB.codeDirectory],
    [4, hashOffset + SHA256_SIZE * pageCount],
    [8, VERSION],
    [12, input.flags],
    [16, hashOffset],
    [20, HEAD],
    [24, specialCount],
    [28, pageCount],
    [32, code.length],
    [48, team === undefined ? 0 : HEAD + identifier.length],
  ];
  for (const [offset, value] of fields) head.writeUInt32BE(value >>> 0, offset);
  head.set([SHA256_SIZE, 2, 0, PAGE_SHIFT], 36);
  const { base, limit, flags } = input.executable;
  for (const [index, value] of [base, limit, flags].entries()) head.writeBigUInt64BE(value, 64 + 8 * index);
  const special = Array.from(
    { length: specialCount },
    (_, index) => input.special.get(specialCount - index) ?? Buffer.alloc(SHA256_SIZE),
  );
  const pages = Array.from({ length: pageCount }, (_, index) =>
    sha256(code.subarray(index * PAGE, (index + 1) * PAGE)),
  );
  return Buffer.concat([head, identifier, teamBytes, ...special, ...pages]);
}

/**
 * Reads a code directory.
 *
 * @param bytes the whole blob
 * @throws HullError `signing.malformed`
 */
export function readCodeDirectory(bytes: Uint8Array): CodeDirectory {
  if (bytes.length < 44) throw malformed('the code directory is cut short.', 0);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const version = view.getUint32(8);
  const needed =
    version >= SINCE.executable ? HEAD : version >= SINCE.limit64 ? 64 : version >= SINCE.team ? 52 : 44;
  if (bytes.length < needed) throw malformed('the code directory is cut short.', 8);
  const [hashOffset, identifierOffset, specialCount, pageCount, limit32] = [16, 20, 24, 28, 32].map((at) =>
    view.getUint32(at),
  ) as [number, number, number, number, number];
  const [hashSize, hashType, , pageShift] = bytes.subarray(36, 40) as unknown as [
    number,
    number,
    number,
    number,
  ];
  const hash = HASH_NAMES[hashType];
  if (hash === undefined || hashSize < 20 || hashSize > 64)
    throw malformed('its hashes are of an unknown kind.', 37);
  if (pageShift < 12 || pageShift > 20) throw malformed('its pages have an unknown size.', 39);
  if (
    hashOffset < specialCount * hashSize ||
    hashOffset - specialCount * hashSize < 44 ||
    hashOffset + pageCount * hashSize > bytes.length
  ) {
    throw malformed('its hashes lie outside.', 16);
  }
  const text = (offset: number): string => {
    const end = bytes.indexOf(0, offset);
    if (offset < 44 || offset >= bytes.length || end < 0) throw malformed('a name lies outside.', offset);
    return Buffer.from(bytes.subarray(offset, end)).toString('utf8');
  };
  const teamOffset = version >= SINCE.team ? view.getUint32(48) : 0;
  const limit64 = version >= SINCE.limit64 ? Number(view.getBigUint64(56)) : 0;
  const codeLimit = limit64 === 0 ? limit32 : limit64;
  const pageSize = 2 ** pageShift;
  if (pageCount !== Math.ceil(codeLimit / pageSize))
    throw malformed('it has another number of pages than its size.', 28);
  const hashAt = (index: number) => {
    const start = hashOffset + index * hashSize;
    return bytes.subarray(start, start + hashSize);
  };
  return {
    version,
    flags: view.getUint32(12),
    identifier: text(identifierOffset),
    team: teamOffset === 0 ? undefined : text(teamOffset),
    hash,
    hashSize,
    pageSize,
    codeLimit,
    executable:
      version >= SINCE.executable
        ? { base: view.getBigUint64(64), limit: view.getBigUint64(72), flags: view.getBigUint64(80) }
        : undefined,
    special: new Map(Array.from({ length: specialCount }, (_, index) => [index + 1, hashAt(-index - 1)])),
    pages: Array.from({ length: pageCount }, (_, index) => hashAt(index)),
  };
}
