import { makeBlob, makeSuperBlob, u32 } from './blobs.js';
import { BLOB } from './types.js';

/**
 * Code requirements as compiled expressions (Security framework, requirement.h: opcodes; "Code Signing Requirement
 * Language").
 */

const OP = { identifier: 2, and: 6, certificateField: 11, certificateMarker: 14, vendorAnchor: 15 } as const;
const MATCH = { exists: 0, equal: 1 } as const;
/** The kind of requirement that says what the same app is. */
const DESIGNATED = 3;
/** 1.2.840.113635.100.6.2.1, the marker of the vendor's intermediate authority, as DER has it. */
const INTERMEDIATE_MARKER = Buffer.from('2a864886f76364060201', 'hex');

/** Bytes behind their length, filled up to four. */
function counted(bytes: Uint8Array): Buffer {
  return Buffer.concat([u32(bytes.length), bytes, Buffer.alloc((4 - (bytes.length % 4)) % 4)]);
}

/** No requirement, as a signature by nobody has. */
export function noRequirements(): Buffer {
  return makeSuperBlob(BLOB.requirements, []);
}

/**
 * What the same app is: its identifier, signed by a certificate with this common name, below the vendor's authority and its
 * intermediate for developers.
 */
export function designatedRequirement(identifier: string, commonName: string): Buffer {
  const expression = Buffer.concat([
    u32(OP.and, OP.identifier),
    counted(Buffer.from(identifier)),
    u32(OP.and, OP.vendorAnchor, OP.and, OP.certificateField, 0),
    counted(Buffer.from('subject.CN')),
    u32(MATCH.equal),
    counted(Buffer.from(commonName)),
    u32(OP.certificateMarker, 1),
    counted(INTERMEDIATE_MARKER),
    u32(MATCH.exists),
  ]);
  const requirement = makeBlob(BLOB.requirement, Buffer.concat([u32(1), expression]));
  return makeSuperBlob(BLOB.requirements, [[DESIGNATED, requirement]]);
}
