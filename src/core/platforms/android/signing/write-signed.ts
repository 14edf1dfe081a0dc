import { createHash, type Hash } from 'node:crypto';
import { constants } from 'node:fs';
import { chmod, copyFile, type FileHandle } from 'node:fs/promises';
import { areSameBytes, type ByteSource, FileSource } from '../../../formats/bytes/source.js';
import {
  type Entry,
  type EntryDigest,
  isFile,
  type KnownContents,
  type SingleDigest,
  type ZipEntry,
} from '../../../formats/zip/types.js';
import {
  centralDirectory,
  checkArchiveSize,
  checkEntries,
  endRecord,
  type Sink,
  type WriteOptions,
  type WrittenEntries,
  writeEntries,
} from '../../../formats/zip/writer.js';
import { withCompressor } from '../../../packaging/compress-threads.js';
import { FileSink, underTemporaryName, withFile, writeWhole } from '../../../packaging/write-file.js';
import { CONTENT_DIGEST } from './algorithms.js';
import {
  ContentDigester,
  type ContentsDigest,
  digestContents,
  digestedEndRecord,
  digestPackage,
  fullChunksEnd,
  type Sections,
} from './content-digest.js';
import { type SigningPlan, signDigest } from './sign.js';

/** What a package begins with that others may begin with too: the same entries, so the same bytes. */
export interface PackageStart {
  /** The package, open. */
  readonly archive: ByteSource;
  readonly entries: readonly ZipEntry[];
  /** Where they end, in bytes from the package's start. */
  readonly size: number;
  /** Digests of the chunks of 1 MiB that are full by then; none in a bundle. */
  readonly chunks: ContentsDigest['chunks'];
  /** SHA-256 of these bytes, to go on with. */
  readonly hash: Hash;
}

export interface WrittenPackage {
  readonly entries: readonly ZipEntry[];
  /** Of the whole package, in hexadecimal. */
  readonly sha256: string;
  /** What it begins with, where that was asked for. */
  readonly start: Omit<PackageStart, 'archive'> | undefined;
  /** Bytes. */
  readonly size: number;
  readonly signingBlockSize: number;
  /** Digests of unpacked bytes by path, where they were asked for; the signature's own files are not among them. */
  readonly digests: ReadonlyMap<string, Uint8Array>;
  readonly directorySize: number;
}

export interface SignedWriteOptions extends Pick<WriteOptions, 'onEntry' | 'signal' | 'known'> {
  /**
   * `apk`: signature schemes v2 and v3, and v1 before them where `jar` is given. `bundle`: the JAR signature alone.
   * Default: `apk`.
   */
  readonly kind?: 'apk' | 'bundle';
  /** The JAR signature's digest, and the name of its files (see jarSignerName). */
  readonly jar?: { readonly digest: SingleDigest; readonly name: string };
  /** Digest the unpacked bytes of every entry (see WrittenPackage); the JAR signature's own digest where there is one. */
  readonly digest?: EntryDigest;
  /** How many of the first entries other packages may begin with too. */
  readonly shared?: number | undefined;
  /** What another package has of these: it is copied, and then compared. */
  readonly start?: PackageStart | undefined;
  /**
   * Looks at the whole package under its temporary name; where it throws, nothing is left.
   *
   * @param digested what was read back of its contents already
   */
  readonly check: (temporary: string, digested?: ContentsDigest) => Promise<void>;
}

/**
 * Writes entries as a signed APK: under a temporary name beside `file`, digested as it is written, then checked,
 * then renamed. Whatever goes wrong, no part of a package is left under the final name.
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
  return underTemporaryName(file, options.signal, async (temporary) => {
    const written = await withFile(temporary, 'wx', (handle) =>
      writeAll(handle, entries, identity, {
        ...(options.onEntry ? { onEntry: options.onEntry } : {}),
        signal: options.signal,
        known: options.known,
        kind: options.kind ?? 'apk',
        ...(options.jar ? { jar: options.jar } : {}),
        digest: options.jar?.digest ?? options.digest,
        shared: options.shared,
        start: options.start,
        temporary: () => `${temporary}.${spare++}`,
      }),
    );
    await options.check(temporary, options.start && (await readBack(temporary, written, options.start)));
    return written;
  });
}

/** Bytes that are copied at a time. */
const PIECE = 1024 * 1024;

/** Copies what another package begins with. */
async function copyStart(
  { archive, size }: PackageStart,
  handle: FileHandle,
  signal: AbortSignal | undefined,
): Promise<void> {
  const piece = new Uint8Array(Math.min(PIECE, size));
  for (let at = 0; at < size; at += PIECE) {
    signal?.throwIfAborted();
    const part = piece.subarray(0, Math.min(PIECE, size - at));
    await archive.readInto(part, at);
    await writeWhole(handle, part);
  }
}

/**
 * Reads the contents of a package back that begins with what another has, which was read back before: these bytes are compared,
 * the others digested. Nothing where they differ: then all of it is digested, which says what is wrong.
 */
async function readBack(
  file: string,
  written: WrittenPackage,
  start: PackageStart,
): Promise<ContentsDigest | undefined> {
  if (start.chunks.size === 0) return undefined;
  const copy = await FileSource.open(file);
  try {
    const ranges = [
      { source: start.archive, offset: 0 },
      { source: copy, offset: 0 },
    ] as const;
    if (!(await areSameBytes(...ranges, start.size))) return undefined;
    const end = written.size - written.directorySize - written.signingBlockSize;
    return await digestContents(copy, end, [CONTENT_DIGEST], start.chunks);
  } finally {
    await copy.close();
  }
}

/** A copy under a name that is free, made by the system, which may share the bytes on disk; its mode is a new file's. */
async function copyNew(from: string, to: string): Promise<void> {
  const { mode } = await withFile(to, 'wx', (handle) => handle.stat());
  await copyFile(from, to, constants.COPYFILE_FICLONE);
  await chmod(to, mode);
}

/**
 * Signs a package whose files may stay exactly where they are: it is copied as it stands, and a new signing block takes
 * its place between contents and directory. The contents are digested from the copy, so that what is signed is what
 * was written.
 *
 * @param from the package, whose sections are known
 * @returns the size of the signed package in bytes
 * @throws HullError `zip.limit`, `disk.*`, and what `check` throws
 */
export async function signInPlace(
  file: string,
  from: string,
  sections: Sections,
  plan: Promise<SigningPlan>,
  options: Pick<SignedWriteOptions, 'check' | 'signal'>,
): Promise<number> {
  const { contentsEnd, centralDirectory: directory } = sections;
  return underTemporaryName(file, options.signal, async (temporary) => {
    await copyNew(from, temporary);
    options.signal?.throwIfAborted();
    const copy = await FileSource.open(temporary);
    let contents: ContentsDigest;
    let records: Uint8Array;
    let end: Uint8Array;
    let block: Uint8Array;
    try {
      contents = await digestContents(copy, contentsEnd, [CONTENT_DIGEST]);
      records = await copy.read(directory.offset, directory.size);
      end = await copy.read(sections.endRecord.offset, sections.endRecord.size);
      const digests = await digestPackage(copy, sections, [CONTENT_DIGEST], contents);
      block = await signDigest(await plan, digests.get(CONTENT_DIGEST) as Uint8Array);
    } finally {
      await copy.close();
    }
    const size = contentsEnd + block.length + records.length + end.length;
    checkArchiveSize(size);
    await withFile(temporary, 'r+', async (handle) => {
      let at = contentsEnd;
      for (const part of [block, records, digestedEndRecord(end, contentsEnd + block.length)]) {
        await writeWhole(handle, part, at);
        at += part.length;
      }
      await handle.truncate(size);
    });
    await options.check(temporary, contents);
    return size;
  });
}

/** Writes the JAR signature behind what it signs; the original signer makes it, since old devices know no other. */
async function addJarSignature(
  local: WrittenEntries,
  sink: Sink,
  plan: SigningPlan,
  { digest, name, kind }: { digest: SingleDigest; name: string; kind: 'apk' | 'bundle' },
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

type WriteAllOptions = WriteOptions &
  Pick<SignedWriteOptions, 'jar' | 'shared' | 'start'> & { readonly kind: 'apk' | 'bundle' };

async function writeAll(
  handle: FileHandle,
  entries: readonly Entry[],
  identity: Promise<SigningPlan>,
  options: WriteAllOptions,
): Promise<WrittenPackage> {
  const { kind, jar, start } = options;
  checkEntries(entries);
  const hash = start?.hash.copy() ?? createHash('sha256');
  if (start) await copyStart(start, handle, options.signal);
  const file = new FileSink(handle, hash);
  const digester = kind === 'apk' ? new ContentDigester([CONTENT_DIGEST], start?.chunks) : undefined;
  if (start && digester) {
    const full = fullChunksEnd(start.chunks);
    await digester.updateFrom(start.archive, full, start.size - full);
  }
  const sink: Sink = {
    write: (bytes) => {
      const written = file.write(bytes);
      const digested = digester?.update(bytes);
      if (written === undefined) return digested;
      return digested === undefined ? written : Promise.all([written, digested]).then(() => undefined);
    },
  };
  const first = await writeContents(entries, sink, options, async (size, written) => {
    await file.flush();
    return { entries: written, size, chunks: (await digester?.fullChunks()) ?? new Map(), hash: hash.copy() };
  });
  let { local } = first;
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
  await file.end();
  return {
    entries: local.entries,
    sha256: hash.digest('hex'),
    start: first.start,
    size: local.size + block.length + directory.length + end.length,
    signingBlockSize: block.length,
    digests: local.digests,
    directorySize: directory.length + end.length,
  };
}

/**
 * Writes all entries but those that are copied already.
 *
 * @param startOf what the package begins with, asked once that is written
 */
async function writeContents(
  entries: readonly Entry[],
  sink: Sink,
  options: WriteAllOptions,
  startOf: (size: number, written: readonly ZipEntry[]) => Promise<WrittenPackage['start']>,
): Promise<{ readonly local: WrittenEntries; readonly start: WrittenPackage['start'] }> {
  const { start, shared = 0, onEntry, digest, known } = options;
  const write = (from: number, to: number, offset: number): Promise<WrittenEntries> => {
    const part = entries.slice(from, to);
    return withCompressor(part, options, (compressor) =>
      writeEntries(part, sink, {
        ...options,
        compressor,
        offset,
        onEntry: (row, done) => onEntry?.(row, from + done, entries.length),
      }),
    );
  };
  const first = start
    ? { ...start, digests: digestsOf(entries.slice(0, start.entries.length), digest, known) }
    : await write(0, shared, 0);
  const begun = start || shared === 0 ? undefined : await startOf(first.size, first.entries);
  const rest = await write(first.entries.length, entries.length, first.size);
  return {
    local: {
      size: rest.size,
      entries: [...first.entries, ...rest.entries],
      digests: new Map([...first.digests, ...rest.digests]),
    },
    start: begun,
  };
}

/** Digests of files that an earlier archive has, where they are asked for. */
function digestsOf(
  entries: readonly Entry[],
  digest: EntryDigest | undefined,
  known: KnownContents | undefined,
): Map<string, Uint8Array> {
  const digests = new Map<string, Uint8Array>();
  if (digest === undefined) return digests;
  for (const { path, content } of entries) {
    const sha256 = isFile(content) ? known?.ofFile(content)?.sha256 : undefined;
    if (sha256) digests.set(path, sha256);
  }
  return digests;
}
