import type { KeyObject } from 'node:crypto';

/** What a package is signed with. */
export interface SigningIdentity {
  readonly privateKey: KeyObject;
  /** DER, the key's own first, then its issuers. */
  readonly certificates: readonly Uint8Array[];
}
