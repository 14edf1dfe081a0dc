import { createHash } from 'node:crypto';
import { HullError } from '../../../errors.js';
import { type Blob, bodyOf, readSuperBlob } from '../../../formats/codesign/blobs.js';
import { readCodeDirectory } from '../../../formats/codesign/directory.js';
import { entitlementsFromDer } from '../../../formats/codesign/entitlements.js';
import { BLOB, type CodeDirectory, FLAG_ADHOC, SLOT } from '../../../formats/codesign/types.js';
import { readMachO, readSlices } from '../../../formats/macho/reader.js';
import { cpuName, type MachO, type Slice } from '../../../formats/macho/types.js';
import { readPlistDict } from '../../../formats/plist/reader.js';
import type { PlistDict } from '../../../formats/plist/types.js';
import { octetsOf } from '../../../keys/asn1.js';
import { checkSignedData } from '../../../keys/cms-verify.js';
import { type Chain, chainFrom } from './authority.js';
import { CDHASH_SIZE, DIRECTORY_ATTRIBUTES } from './sign-program.js';

/** Bytes outside of the program that its signature seals; `undefined` where there are none. */
export interface SealedFiles {
  readonly infoPlist: Uint8Array | undefined;
  readonly codeResources: Uint8Array | undefined;
}

/** What one slice's signature says, and where it does not hold. */
export interface SliceReport {
  readonly cpu: string;
  readonly program: MachO;
  readonly signed: 'by somebody' | 'by nobody' | 'not at all';
  readonly identifier: string | undefined;
  readonly team: string | undefined;
  /** Hexadecimal, 40 digits. */
  readonly cdhash: string | undefined;
  /** DER: the signer's own first. */
  readonly certificates: readonly Uint8Array[];
  readonly chain: Chain | undefined;
  readonly entitlements: PlistDict | undefined;
  /** Sentences. */
  readonly faults: readonly string[];
}

const digest = (hash: string, bytes: Uint8Array, size: number) =>
  createHash(hash).update(bytes).digest().subarray(0, size);
const isZero = (bytes: Uint8Array) => bytes.every((byte) => byte === 0);
const sameBytes = (one: Uint8Array, other: Uint8Array) => Buffer.from(one).equals(other);

/** Faults of the pages that a code directory seals. */
function pageFaults(code: Uint8Array, directory: CodeDirectory): string[] {
  const wrong = directory.pages.filter((hash, index) => {
    const start = index * directory.pageSize;
    const page = code.subarray(start, Math.min(start + directory.pageSize, directory.codeLimit));
    return !sameBytes(digest(directory.hash, page, directory.hashSize), hash);
  });
  return wrong.length === 0
    ? []
    : [`${wrong.length} of ${directory.pages.length} pages of the program were changed.`];
}

const SEALED_NAMES: Readonly<Record<number, string>> = {
  [SLOT.infoPlist]: 'Info.plist',
  [SLOT.requirements]: 'The requirements',
  [SLOT.codeResources]: 'The seal of the resources',
  [SLOT.entitlements]: 'The entitlements',
  [SLOT.entitlementsDer]: 'The entitlements in DER',
};

/** Faults of what is sealed beside the pages: each part has to have its hash, and each hash its part. */
function specialFaults(directory: CodeDirectory, parts: ReadonlyMap<number, Uint8Array>): string[] {
  const slots = new Set([...directory.special.keys(), ...parts.keys()]);
  const faults: string[] = [];
  for (const slot of slots) {
    const hash = directory.special.get(slot);
    const bytes = parts.get(slot);
    const name = SEALED_NAMES[slot] ?? `Part ${slot} of the signature`;
    const isSealed = hash !== undefined && !isZero(hash);
    if (bytes === undefined && isSealed) faults.push(`${name} is sealed, and missing.`);
    else if (bytes !== undefined && !isSealed) faults.push(`${name} is not sealed by the signature.`);
    else if (
      bytes !== undefined &&
      hash &&
      !sameBytes(digest(directory.hash, bytes, directory.hashSize), hash)
    ) {
      faults.push(`${name} was changed.`);
    }
  }
  return faults;
}

/** Entitlements in their two forms, which have to say the same. */
function entitlementsIn(blobs: readonly Blob[], faults: string[]): PlistDict | undefined {
  const xml = blobs.find(({ slot }) => slot === SLOT.entitlements);
  const der = blobs.find(({ slot }) => slot === SLOT.entitlementsDer);
  const read = xml && readPlistDict(bodyOf(xml));
  const readDer = der && entitlementsFromDer(bodyOf(der));
  const text = (value: PlistDict | undefined) => JSON.stringify(sortedKeys(value));
  if (read && readDer && text(read) !== text(readDer))
    faults.push('The two forms of the entitlements differ.');
  return readDer ?? read;
}

function sortedKeys(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sortedKeys);
  if (typeof value !== 'object' || value === null) return value;
  const dict = value as Record<string, unknown>;
  return Object.fromEntries(
    Object.keys(dict)
      .sort()
      .map((key) => [key, sortedKeys(dict[key])]),
  );
}

interface Signers {
  readonly certificates: readonly Uint8Array[];
  readonly chain: Chain | undefined;
}

/** Checks the CMS signature over the code directories. */
function checkCms(cms: Uint8Array, directories: readonly Blob[], root: string, faults: string[]): Signers {
  const [first] = directories as readonly [Blob];
  const checked = checkSignedData(cms, first.bytes);
  if (checked.fault !== undefined) faults.push(`The signature does not hold: ${checked.fault}.`);
  const [list] = checked.attributes.get(DIRECTORY_ATTRIBUTES.list) ?? [];
  if (list !== undefined) {
    const named = readPlistDict(octetsOf(list, 'the signature')).cdhashes;
    const hashes = (Array.isArray(named) ? named : []).filter(
      (one): one is Uint8Array => one instanceof Uint8Array,
    );
    const actual = directories.map((blob) =>
      digest(readCodeDirectory(blob.bytes).hash, blob.bytes, CDHASH_SIZE),
    );
    if (
      hashes.length !== actual.length ||
      actual.some((hash) => !hashes.some((one) => sameBytes(one, hash)))
    ) {
      faults.push('The signature names other code directories than it has.');
    }
  }
  const chain = chainFrom(checked.certificates, root);
  if (chain?.is === 'incomplete') faults.push(`The chain of certificates ends before "${chain.missing}".`);
  if (chain?.is === 'complete' && !chain.isTrusted)
    faults.push('The signature leads to a root that devices do not trust.');
  return { certificates: checked.certificates, chain };
}

/**
 * Verifies the signature of one slice: every page, every sealed part, the signature over them and its chain.
 *
 * @param bytes of the slice alone
 * @param root SHA-256 of the trusted root, in hexadecimal
 * @throws HullError `macho.malformed` where it is no program
 */
export function verifySlice(bytes: Uint8Array, sealed: SealedFiles, root: string): SliceReport {
  const program = readMachO(bytes);
  const nothing = {
    cpu: cpuName(program.cpu),
    program,
    identifier: undefined,
    team: undefined,
    cdhash: undefined,
    certificates: [],
    chain: undefined,
    entitlements: undefined,
  };
  const { signature } = program;
  if (signature === undefined) return { ...nothing, signed: 'not at all', faults: [] };
  const faults: string[] = [];
  try {
    return { ...nothing, ...verifyBlobs(bytes, program, sealed, root, faults), faults };
  } catch (error) {
    if (!(error instanceof HullError)) throw error;
    return { ...nothing, signed: 'by nobody', faults: [...faults, error.message] };
  }
}

function verifyBlobs(bytes: Uint8Array, program: MachO, sealed: SealedFiles, root: string, faults: string[]) {
  const { offset, size } = program.signature as { offset: number; size: number };
  const blobs = readSuperBlob(bytes.subarray(offset, offset + size));
  const directories = blobs.filter(({ magic }) => magic === BLOB.codeDirectory);
  const first = directories.find(({ slot }) => slot === SLOT.codeDirectory);
  if (first === undefined) throw new HullError('signing.malformed', 'The signature has no code directory.');
  const ordered = [first, ...directories.filter((one) => one !== first)];
  const read = ordered.map((blob) => readCodeDirectory(blob.bytes));
  const parts = new Map<number, Uint8Array>();
  if (sealed.infoPlist) parts.set(SLOT.infoPlist, sealed.infoPlist);
  if (sealed.codeResources) parts.set(SLOT.codeResources, sealed.codeResources);
  for (const blob of blobs) {
    const isOther = blob.slot > SLOT.codeDirectory && blob.slot < SLOT.alternateDirectories;
    if (isOther) parts.set(blob.slot, blob.bytes);
  }
  for (const directory of read) {
    if (directory.codeLimit !== offset) faults.push('The signature does not cover the whole program.');
    else faults.push(...pageFaults(bytes, directory));
    faults.push(...specialFaults(directory, parts));
  }
  const entitlements = entitlementsIn(blobs, faults);
  // Systems go by the best digest.
  const best = read.reduce((one, other) =>
    other.hashSize >= one.hashSize && other.hash !== 'sha1' ? other : one,
  );
  const bestBlob = ordered[read.indexOf(best)] as Blob;
  const cms = blobs.find(({ slot }) => slot === SLOT.cms);
  const body = cms ? bodyOf(cms) : new Uint8Array();
  const isAdHoc = (best.flags & FLAG_ADHOC) !== 0 || body.length === 0;
  const signers: Signers = isAdHoc
    ? { certificates: [], chain: undefined }
    : checkCms(body, ordered, root, faults);
  return {
    signed: isAdHoc ? ('by nobody' as const) : ('by somebody' as const),
    identifier: best.identifier,
    team: best.team,
    cdhash: digest(best.hash, bestBlob.bytes, CDHASH_SIZE).toString('hex'),
    certificates: signers.certificates,
    chain: signers.chain,
    entitlements,
  };
}

/** Verifies every slice of a program. Throws HullError `macho.malformed`. */
export function verifyProgram(bytes: Uint8Array, sealed: SealedFiles, root: string): SliceReport[] {
  return readSlices(bytes).map(({ offset, size }: Slice) =>
    verifySlice(bytes.subarray(offset, offset + size), sealed, root),
  );
}
