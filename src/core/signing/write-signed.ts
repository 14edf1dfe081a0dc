import { type FileHandle, open, rename, rm } from 'node:fs/promises';
import { fromSystemError } from '../errors.js';
import { temporaryBeside } from '../files.js';
import type { ByteSource } from '../formats/bytes/source.js';
import type { Entry, EntryDigest, ZipEntry } from '../formats/zip/types.js';
import {
  centralDirectory,
  checkArchiveSize,
  endRecord,
  type Sink,
  type WriteOptions,
  type WrittenEntries,
  writeEntries,
} from '../formats/zip/writer.js';
import { CONTENT_DIGEST } from './algorithms.js';
import { ContentDigester, digestedEndRecord, type Sections } from './content-digest.js';
import { type SigningPlan, signDigest } from './sign.js';

/** Bytes gathered before they are handed to the disk. */
const BUFFER = 512 * 1024;

/** Gathers small writes into large ones. */
class FileSink implements Sink {
  readonly #handle: FileHandle;
  readonly #buffer = new Uint8Array(BUFFER);
  #filled = 0;

  constructor(handle: FileHandle) {
    this.#handle = handle;
  }

  write(bytes: Uint8Array): void | Promise<void> {
    if (this.#filled + bytes.length <= BUFFER) {
      this.#buffer.set(bytes, this.#filled);
      this.#filled += bytes.length;
      return;
    }
    return this.#spill(bytes);
  }

  async #spill(bytes: Uint8Array): Promise<void> {
    await this.flush();
    if (bytes.length >= BUFFER) await writeWhole(this.#handle, bytes);
    else {
      this.#buffer.set(bytes);
      this.#filled = bytes.length;
    }
  }

  async flush(): Promise<void> {
    const filled = this.#filled;
    this.#filled = 0;
    await writeWhole(this.#handle, this.#buffer.subarray(0, filled));
  }
}

export interface WrittenPackage {
  readonly entries: readonly ZipEntry[];
  /** Bytes. */
  readonly size: number;
  readonly signingBlockSize: number;
  /** Digests of unpacked bytes by path, where they were asked for; the signature's own files are not among them. */
  readonly digests: ReadonlyMap<string, Uint8Array>;
  readonly directorySize: number;
}

export interface SignedWriteOptions extends Pick<WriteOptions, 'onEntry' | 'signal'> {
  /**
   * `apk`: signature schemes v2 and v3, and v1 before them where `jar` is given. `bundle`: the JAR signature alone.
   * Default: `apk`.
   */
  readonly kind?: 'apk' | 'bundle';
  /** The JAR signature's digest, and the name of its files (see jarSignerName). */
  readonly jar?: { readonly digest: EntryDigest; readonly name: string };
  /** Digest the unpacked bytes of every entry (see WrittenPackage); the JAR signature's own digest where there is one. */
  readonly digest?: EntryDigest;
  /** Looks at the whole package under its temporary name; where it throws, nothing is left. */
  readonly check: (temporary: string) => Promise<void>;
}

/**
 * Writes entries as a signed APK: under a temporary name beside `file`, digested as it is written, then checked,
 * then renamed. Whatever goes wrong, no half-written package is left under the final name.
 *
 * @param identity may still be on its way: the keystore is opened while entries are compressed
 * @throws HullError `zip.*`, `disk.*`, `web.changed-while-packing`, and what `check` throws
 */
export async function writeSignedPackage(
  file: string,
  entries: readonly Entry[],
  identity: Promise<SigningPlan>,
  options: SignedWriteOptions,
): Promise<WrittenPackage> {
  let spare = 0;
  return underTemporaryName(file, options, (handle, temporary) =>
    writeAll(handle, entries, identity, {
      ...(options.onEntry ? { onEntry: options.onEntry } : {}),
      signal: options.signal,
      kind: options.kind ?? 'apk',
      ...(options.jar ? { jar: options.jar } : {}),
      digest: options.jar?.digest ?? options.digest,
      temporary: () => `${temporary}.${spare++}`,
    }),
  );
}

/** Writes a file under a temporary name, has it checked, and renames it; whatever goes wrong, nothing is left. */
async function underTemporaryName<T>(
  file: string,
  options: Pick<SignedWriteOptions, 'check' | 'signal'>,
  write: (handle: FileHandle, temporary: string) => Promise<T>,
): Promise<T> {
  const temporary = temporaryBeside(file);
  try {
    const handle = await open(temporary, 'wx', 0o644);
    let written: T;
    try {
      written = await write(handle, temporary);
    } finally {
      await handle.close();
    }
    await options.check(temporary);
    options.signal?.throwIfAborted();
    await rename(temporary, file);
    return written;
  } catch (error) {
    await rm(temporary, { force: true });
    throw fromSystemError(error, file);
  }
}

/** Bytes that are copied at a time. */
const PIECE = 1024 * 1024;

/**
 * Signs a package whose files may stay exactly where they are: its contents and directory are copied as they stand, and a
 * new signing block stands between them.
 *
 * @returns the size of the signed package in bytes
 * @throws HullError `zip.limit`, `disk.*`, and what `check` throws
 */
export async function copySigned(
  file: string,
  source: ByteSource,
  sections: Sections,
  plan: Promise<SigningPlan>,
  options: Pick<SignedWriteOptions, 'check' | 'signal'>,
): Promise<number> {
  return underTemporaryName(file, options, async (handle) => {
    const { contentsEnd, centralDirectory: directory } = sections;
    const digester = new ContentDigester([CONTENT_DIGEST]);
    const piece = new Uint8Array(PIECE);
    for (let done = 0; done < contentsEnd; done += PIECE) {
      options.signal?.throwIfAborted();
      const part = piece.subarray(0, Math.min(PIECE, contentsEnd - done));
      await source.readInto(part, done);
      // Hashing has its own copy of the bytes before the write begins.
      const held = digester.update(part);
      await writeWhole(handle, part);
      await held;
    }
    digester.endSection();
    const records = await source.read(directory.offset, directory.size);
    await digester.update(records);
    digester.endSection();
    const end = new Uint8Array(await source.read(sections.endRecord.offset, sections.endRecord.size));
    await digester.update(digestedEndRecord(end, contentsEnd));
    const digest = (await digester.finish()).get(CONTENT_DIGEST) as Uint8Array;
    const block = await signDigest(await plan, digest);
    const size = contentsEnd + block.length + records.length + end.length;
    checkArchiveSize(size);
    for (const part of [block, records, digestedEndRecord(end, contentsEnd + block.length)]) {
      await writeWhole(handle, part);
    }
    return size;
  });
}

async function writeWhole(handle: FileHandle, bytes: Uint8Array): Promise<void> {
  for (let done = 0; done < bytes.length; )
    done += (await handle.write(bytes, done, bytes.length - done)).bytesWritten;
}

/** Writes the JAR signature behind what it signs; the original signer makes it, since old devices know no other. */
async function addJarSignature(
  local: WrittenEntries,
  sink: Sink,
  plan: SigningPlan,
  { digest, name, kind }: { digest: EntryDigest; name: string; kind: 'apk' | 'bundle' },
): Promise<WrittenEntries> {
  const { jarSignature } = await import('./jar-sign.js');
  const files = await jarSignature(plan.succession?.original ?? plan, local.digests, {
    digest,
    name,
    ...(kind === 'apk' ? { schemes: '2, 3' } : {}),
  });
  const added = await writeEntries(files, sink, { offset: local.size });
  return { size: added.size, entries: [...local.entries, ...added.entries], digests: local.digests };
}

async function writeAll(
  handle: FileHandle,
  entries: readonly Entry[],
  identity: Promise<SigningPlan>,
  options: WriteOptions & Pick<SignedWriteOptions, 'jar'> & { readonly kind: 'apk' | 'bundle' },
): Promise<WrittenPackage> {
  const { kind, jar } = options;
  const file = new FileSink(handle);
  const digester = kind === 'apk' ? new ContentDigester([CONTENT_DIGEST]) : undefined;
  const sink: Sink = {
    write: (bytes) => {
      const written = file.write(bytes);
      const digested = digester?.update(bytes);
      if (written === undefined) return digested;
      return digested === undefined ? written : Promise.all([written, digested]).then(() => undefined);
    },
  };
  let local = await writeEntries(entries, sink, options);
  if (jar) local = await addJarSignature(local, sink, await identity, { ...jar, kind });
  digester?.endSection();
  const directory = centralDirectory(local.entries);
  let block: Uint8Array = new Uint8Array();
  if (digester) {
    await digester.update(directory);
    digester.endSection();
    // The end record is digested as if the directory stood where the signing block will.
    await digester.update(endRecord(local.entries.length, directory.length, local.size));
    const digest = (await digester.finish()).get(CONTENT_DIGEST) as Uint8Array;
    block = await signDigest(await identity, digest);
  }
  const end = endRecord(local.entries.length, directory.length, local.size + block.length);
  for (const part of [block, directory, end]) await file.write(part);
  await file.flush();
  return {
    entries: local.entries,
    size: local.size + block.length + directory.length + end.length,
    signingBlockSize: block.length,
    digests: local.digests,
    directorySize: directory.length + end.length,
  };
}
