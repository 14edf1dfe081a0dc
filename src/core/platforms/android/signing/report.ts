import type { LineageCapability } from './lineage.js';

/** What verifying a package's signatures finds. */

export type SchemeName = 'v1' | 'v2' | 'v3' | 'v3.1';

export interface VerifiedSigner {
  /** DER, the signer's own certificate first. */
  readonly certificates: readonly Uint8Array[];
  readonly algorithms: readonly string[];
  /** API levels, for v3 and v3.1. */
  readonly levels?: { readonly min: number; readonly max: number };
  /** The signers before this one, the oldest first, and this one at the end; only where the package names them. */
  readonly lineage?: readonly {
    readonly certificate: Uint8Array;
    readonly keeps: readonly LineageCapability[];
  }[];
}

export interface SchemeResult {
  readonly scheme: SchemeName;
  readonly state: 'verified' | 'failed';
  readonly signers: readonly VerifiedSigner[];
  /** What is wrong, each a sentence; empty where it verifies. */
  readonly faults: readonly string[];
}

export interface SignatureReport {
  readonly schemes: readonly SchemeResult[];
  /** There is a signature, every scheme holds, and no API level of the package is left without. */
  readonly verifies: boolean;
  readonly verdict: 'verified' | 'failed' | 'unsigned';
  /** Which devices have no signature that they would accept, each a sentence. */
  readonly gaps: readonly string[];
  /** Size of the signing block in bytes, 0 without one. */
  readonly blockSize: number;
}
