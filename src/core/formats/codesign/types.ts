/** Code signatures as the platform's kernel reads them (xnu, osfmk/kern/cs_blobs.h). All numbers are big-endian. */

export const BLOB = {
  requirement: 0xfade0c00,
  requirements: 0xfade0c01,
  codeDirectory: 0xfade0c02,
  superBlob: 0xfade0cc0,
  cms: 0xfade0b01,
  entitlements: 0xfade7171,
  entitlementsDer: 0xfade7172,
} as const;

/** Slots of a signature. Those below 0x1000 are also numbers of the hashes that precede those of the pages. */
export const SLOT = {
  codeDirectory: 0,
  infoPlist: 1,
  requirements: 2,
  codeResources: 3,
  entitlements: 5,
  entitlementsDer: 7,
  alternateDirectories: 0x1000,
  cms: 0x10000,
} as const;

/** Nobody vouches for it: what simulators and linkers make. */
export const FLAG_ADHOC = 0x2;

/** `execSegFlags`: the program that is started; one that debuggers may attach to. */
export const EXECUTE = { main: 1n, debuggable: 0x10n } as const;

/** Hash types that occur. */
export const HASH_NAMES: Readonly<Record<number, 'sha1' | 'sha256' | 'sha384'>> = {
  1: 'sha1',
  2: 'sha256',
  3: 'sha256',
  4: 'sha384',
};

/** What a code directory says. Offsets are from the start of the program. */
export interface CodeDirectory {
  readonly version: number;
  readonly flags: number;
  readonly identifier: string;
  readonly team: string | undefined;
  readonly hash: 'sha1' | 'sha256' | 'sha384';
  readonly hashSize: number;
  /** Bytes of a page. */
  readonly pageSize: number;
  /** Bytes of the program that are hashed. */
  readonly codeLimit: number;
  readonly executable: { readonly base: bigint; readonly limit: bigint; readonly flags: bigint } | undefined;
  /** By slot; all zeros where there is nothing to hash. */
  readonly special: ReadonlyMap<number, Uint8Array>;
  readonly pages: readonly Uint8Array[];
}
