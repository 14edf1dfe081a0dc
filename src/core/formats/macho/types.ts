/** Mach-O as far as a package's executables need it (mach-o/loader.h, mach-o/fat.h): 64 bits, little-endian. */

export const MAGIC = 0xfeedfacf;
export const FAT_MAGIC = 0xcafebabe;
export const FAT_MAGIC_64 = 0xcafebabf;

export const CPU = { arm64: 0x0100000c, x86_64: 0x01000007 } as const;

export const COMMAND = {
  symtab: 0x02,
  loadDylib: 0x0c,
  segment64: 0x19,
  uuid: 0x1b,
  codeSignature: 0x1d,
  versionMinIos: 0x25,
  encryptionInfo64: 0x2c,
  buildVersion: 0x32,
  main: 0x80000028,
  loadWeakDylib: 0x80000018,
  reexportDylib: 0x8000001f,
} as const;

/** `MH_EXECUTE`, the kind of file that a process is started from. */
export const EXECUTE = 2;
/** Platforms of LC_BUILD_VERSION. */
export const PLATFORM = { ios: 2, iosSimulator: 7 } as const;

/** A part of the file and where it lies in memory; bytes. */
export interface Segment {
  readonly name: string;
  /** Offset of its load command. */
  readonly command: number;
  readonly address: bigint;
  readonly memorySize: bigint;
  readonly offset: number;
  readonly size: number;
  readonly sections: readonly Section[];
}

export interface Section {
  readonly name: string;
  readonly offset: number;
  readonly size: number;
}

export interface Range {
  /** Offset of its load command. */
  readonly command: number;
  readonly offset: number;
  readonly size: number;
}

/** One slice: a program or library for one kind of processor. Offsets are from its start. */
export interface MachO {
  readonly cpu: number;
  readonly fileType: number;
  readonly flags: number;
  readonly commandCount: number;
  /** Where the load commands end. */
  readonly commandsEnd: number;
  readonly segments: readonly Segment[];
  /** Install names of the libraries that it loads. */
  readonly libraries: readonly string[];
  /** LC_BUILD_VERSION; versions as `15.0`. */
  readonly build:
    | { readonly platform: number; readonly minVersion: string; readonly sdk: string }
    | undefined;
  /** Hexadecimal, 32 digits. */
  readonly uuid: string | undefined;
  readonly signature: Range | undefined;
  /** LC_ENCRYPTION_INFO_64: `id` 0 is not encrypted. */
  readonly encryption: { readonly offset: number; readonly size: number; readonly id: number } | undefined;
  /** Bytes of the symbol table; stripped programs have a few. */
  readonly symbols: number;
}

/** One architecture of a file. */
export interface Slice {
  readonly cpu: number;
  readonly offset: number;
  readonly size: number;
}

export function cpuName(cpu: number): string {
  if (cpu === CPU.arm64) return 'arm64';
  return cpu === CPU.x86_64 ? 'x86_64' : `0x${cpu.toString(16)}`;
}
