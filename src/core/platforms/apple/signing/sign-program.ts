import { createHash, X509Certificate } from 'node:crypto';
import { makeBlob, makeSuperBlob } from '../../../formats/codesign/blobs.js';
import { makeCodeDirectory } from '../../../formats/codesign/directory.js';
import { entitlementsToDer } from '../../../formats/codesign/entitlements.js';
import { designatedRequirement, noRequirements } from '../../../formats/codesign/requirements.js';
import { BLOB, EXECUTE, FLAG_ADHOC, SLOT } from '../../../formats/codesign/types.js';
import { readMachO } from '../../../formats/macho/reader.js';
import { signatureOffset, withSignatureSpace } from '../../../formats/macho/signature-space.js';
import { EXECUTE as MAIN_PROGRAM, type MachO } from '../../../formats/macho/types.js';
import type { PlistDict } from '../../../formats/plist/types.js';
import { writeXmlPlist } from '../../../formats/plist/xml-writer.js';
import { octets, oid, sequence } from '../../../keys/asn1.js';
import { DIGEST_OID, type SignedAttribute, signCms } from '../../../keys/cms-sign.js';
import type { SigningIdentity } from '../../../keys/signing-identity.js';
import { DEBUG_ENTITLEMENT } from '../app/entitlements.js';
import { commonNameOf } from './authority.js';

/** The attributes in which a signature names its code directories: as a property list, and by digest. */
export const DIRECTORY_ATTRIBUTES = {
  list: '1.2.840.113635.100.9.1',
  digests: '1.2.840.113635.100.9.2',
} as const;
/** Bytes of a code directory's hash by which systems name it. */
export const CDHASH_SIZE = 20;
/** What a CMS signature takes besides its certificates, generously: attributes, signature, names (about 1,100 bytes). */
const CMS_OVERHEAD = 2048;
const ALIGNMENT = 16;

const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest();

/** Who signs, and when; nobody for simulators. */
export interface ProgramSigner {
  readonly identity: SigningIdentity;
  readonly team: string;
  readonly time: Date;
}

export interface ProgramSeal {
  readonly identifier: string;
  readonly signer: ProgramSigner | undefined;
  /** Of the bundle that the program is in; none for libraries outside of one. */
  readonly infoPlist: Uint8Array | undefined;
  readonly codeResources: Uint8Array | undefined;
  readonly entitlements: PlistDict | undefined;
}

export interface SignedProgram {
  readonly bytes: Uint8Array;
  /** The code directory's hash, as systems name it: hexadecimal, 40 digits. */
  readonly cdhash: string;
}

/** The attributes that bind a CMS signature to its code directory. */
function directoryAttributes(directory: Uint8Array): SignedAttribute[] {
  const digest = sha256(directory);
  const list = writeXmlPlist({ cdhashes: [digest.subarray(0, CDHASH_SIZE)] });
  return [
    { type: DIRECTORY_ATTRIBUTES.list, values: [octets(list)] },
    { type: DIRECTORY_ATTRIBUTES.digests, values: [sequence(oid(DIGEST_OID.sha256), octets(digest))] },
  ];
}

interface Part {
  readonly slot: number;
  readonly bytes: Uint8Array;
}

/** The parts of a signature that do not depend on the program's bytes. */
function fixedParts({ identifier, signer, entitlements }: ProgramSeal): Part[] {
  const [own] = signer?.identity.certificates ?? [];
  const parts: Part[] = [
    {
      slot: SLOT.requirements,
      bytes:
        own === undefined
          ? noRequirements()
          : designatedRequirement(identifier, commonNameOf(new X509Certificate(own)) ?? ''),
    },
  ];
  if (entitlements !== undefined) {
    parts.push(
      { slot: SLOT.entitlements, bytes: makeBlob(BLOB.entitlements, writeXmlPlist(entitlements)) },
      { slot: SLOT.entitlementsDer, bytes: makeBlob(BLOB.entitlementsDer, entitlementsToDer(entitlements)) },
    );
  }
  return parts;
}

function directoryOf(
  program: MachO,
  code: Uint8Array,
  seal: ProgramSeal,
  parts: readonly Part[],
): Uint8Array {
  const text = program.segments.find(({ name }) => name === '__TEXT');
  const isDebuggable = seal.entitlements?.[DEBUG_ENTITLEMENT] === true;
  return makeCodeDirectory({
    code,
    identifier: seal.identifier,
    team: seal.signer?.team,
    flags: seal.signer === undefined ? FLAG_ADHOC : 0,
    executable: {
      base: BigInt(text?.offset ?? 0),
      limit: BigInt(text?.size ?? 0),
      flags:
        (program.fileType === MAIN_PROGRAM ? EXECUTE.main : 0n) | (isDebuggable ? EXECUTE.debuggable : 0n),
    },
    special: new Map([
      ...(seal.infoPlist ? [[SLOT.infoPlist, sha256(seal.infoPlist)] as const] : []),
      ...(seal.codeResources ? [[SLOT.codeResources, sha256(seal.codeResources)] as const] : []),
      ...parts.map(({ slot, bytes }) => [slot, sha256(bytes)] as const),
    ]),
  });
}

function cmsOf(directory: Uint8Array, signer: ProgramSigner | undefined): Promise<Uint8Array> {
  if (signer === undefined) return Promise.resolve(new Uint8Array());
  return signCms(signer.identity, directory, {
    digest: 'sha256',
    time: signer.time,
    attributes: directoryAttributes(directory),
  });
}

function superBlobOf(directory: Uint8Array, parts: readonly Part[], cms: Uint8Array): Uint8Array {
  return makeSuperBlob(BLOB.superBlob, [
    [SLOT.codeDirectory, directory],
    ...parts.map(({ slot, bytes }) => [slot, bytes] as const),
    [SLOT.cms, makeBlob(BLOB.cms, cms)],
  ]);
}

/** Bytes that a CMS signature takes at most. */
const cmsRoom = (signer: ProgramSigner | undefined): number =>
  signer === undefined
    ? 0
    : CMS_OVERHEAD + signer.identity.certificates.reduce((sum, { length }) => sum + length, 0);

/**
 * Signs one slice of a program (cs_blobs.h; Apple, "TN3126: Inside Code Signing: Hashes"). The first page,
 * which is hashed, says how large the signature is: so room is kept for one that is larger than it will be.
 *
 * @throws HullError `macho.malformed`, `signing.unsupported`
 */
export async function signProgram(bytes: Uint8Array, seal: ProgramSeal): Promise<SignedProgram> {
  const program = readMachO(bytes);
  const parts = fixedParts(seal);
  const start = signatureOffset(program);
  const blank = superBlobOf(
    directoryOf(program, new Uint8Array(start), seal, parts),
    parts,
    new Uint8Array(cmsRoom(seal.signer)),
  );
  const room = Math.ceil(blank.length / ALIGNMENT) * ALIGNMENT;
  const signed = withSignatureSpace(bytes, room);
  const directory = directoryOf(program, signed.subarray(0, start), seal, parts);
  const signature = superBlobOf(directory, parts, await cmsOf(directory, seal.signer));
  if (signature.length > room)
    throw new Error(`the signature has ${signature.length} bytes, and room for ${room}`);
  signed.set(signature, start);
  return { bytes: signed, cdhash: sha256(directory).subarray(0, CDHASH_SIZE).toString('hex') };
}
