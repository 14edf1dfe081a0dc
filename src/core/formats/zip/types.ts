import type { ByteSource } from '../bytes/source.js';

/** How an entry's bytes are kept (APPNOTE.TXT 4.4.5: 0 and 8). */
export type Method = 'store' | 'deflate';

/** Bytes in memory, a file that is read when its turn comes, or an entry of another archive as it stands. */
export type Content = Uint8Array | FileContent | PackedContent;

export interface FileContent {
  /** Path on disk. */
  readonly file: string;
  /** Size in bytes when it was listed; another size at reading is an error. */
  readonly size: number;
  /** What the disk said of it then: as long as it says so, nobody has written to the file. */
  readonly stamp?: FileStamp;
}

export const isFile = (content: Content): content is FileContent =>
  !(content instanceof Uint8Array) && 'file' in content;

/** Inode, and times of the last change of the contents and of anything else, in ms. */
export interface FileStamp {
  readonly ino: number;
  readonly mtimeMs: number;
  readonly ctimeMs: number;
}

/** The compressed bytes of an entry in another archive: taken over without being unpacked. */
export interface PackedContent {
  /** The archive; open until everything is written. */
  readonly archive: ByteSource;
  readonly entry: ZipEntry;
  /** Size in bytes when unpacked. */
  readonly size: number;
}

/** Bytes that an earlier archive holds in the form in which they are written. */
export interface KnownContent {
  readonly packed: PackedContent;
  /** Of the unpacked bytes, where that was computed. */
  readonly sha256?: Uint8Array | undefined;
}

/** What earlier archives hold of the files that are written. */
export interface KnownContents {
  /** A file that was written before and is not read again. */
  ofFile(content: FileContent): KnownContent | undefined;
  /** Deflated contents of so many unpacked bytes; which of them are the same has to be compared. */
  ofSize(size: number): readonly KnownContent[];
}

/**
 * One file of a package. Every package kind is a list of these: a platform makes the list, the writer the archive,
 * a signer signs it.
 */
export interface Entry {
  /** Path inside the archive: `/` between names, no leading slash, NFC as given. */
  readonly path: string;
  readonly content: Content;
  /** Wanted method; `deflate` falls back to `store` where it would not be smaller. */
  readonly method: Method;
  /** Alignment in bytes of a stored entry's first data byte, from the archive's start; 1 for none. */
  readonly alignment: number;
  /** What POSIX systems make of it: file type and permissions (`st_mode`); nothing is said where it is left out. */
  readonly mode?: number | undefined;
}

/** A digest, as node:crypto names it. */
export type SingleDigest = 'sha1' | 'sha256';
/** Digests of unpacked bytes; of a pair, one is followed by the other. */
export type EntryDigest = SingleDigest | 'sha1+sha256';

/** An entry of an archive. Offsets and sizes in bytes. */
export interface ZipEntry {
  readonly path: string;
  readonly method: Method;
  readonly crc32: number;
  readonly compressedSize: number;
  readonly size: number;
  /** Offset of the local file header. */
  readonly headerOffset: number;
  /** Offset of the first data byte. */
  readonly dataOffset: number;
  /** `st_mode`, where the archive was made on a POSIX system (APPNOTE.TXT 4.4.2 and 4.4.15). */
  readonly mode?: number;
  /** Local header and directory disagree on the checksum, the sizes or the data descriptor; most readers ask only one. */
  readonly hasOtherHeader?: true;
}

/** Where the parts of an archive are. */
export interface ZipLayout {
  readonly entries: readonly ZipEntry[];
  readonly centralDirectory: { readonly offset: number; readonly size: number };
  readonly endRecord: { readonly offset: number; readonly size: number };
}

/** The most that an archive without ZIP64 can hold (APPNOTE.TXT 4.4.1.4: all-ones values announce ZIP64). */
export const ZIP_LIMITS = {
  entries: 0xfffe,
  pathBytes: 0xffff,
  bytes: 0xfffffffe,
} as const;

export const SIGNATURES = {
  local: 0x04034b50,
  central: 0x02014b50,
  end: 0x06054b50,
  zip64Locator: 0x07064b50,
} as const;

/** `st_mode` of regular files, which anyone may read, and of those that are run besides. */
export const MODE = { file: 0o100644, program: 0o100755 } as const;
/** File types among `st_mode`, and that of symbolic links. */
export const MODE_TYPE = { mask: 0o170000, link: 0o120000 } as const;
/** `version made by`: the upper byte names the system, 3 is UNIX (APPNOTE.TXT 4.4.2). */
export const MADE_ON_UNIX = 3;

export const END_RECORD_SIZE = 22;
export const CENTRAL_RECORD_SIZE = 46;
export const LOCAL_HEADER_SIZE = 30;
/** General purpose bit 11: the name is UTF-8 (APPNOTE.TXT 4.4.4). */
export const FLAG_UTF8 = 0x0800;
/** General purpose bit 3: checksum and sizes follow the data (APPNOTE.TXT 4.4.4). */
export const FLAG_DESCRIPTOR = 0x0008;
/** General purpose bits 0 and 6: encrypted. */
export const FLAGS_ENCRYPTED = 0x0041;
