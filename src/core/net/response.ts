/** What a host answered for one address. */
export interface ResponseFacts {
  readonly url: string;
  readonly status: number;
  readonly type: string;
  readonly cacheControl: string;
  readonly redirects: readonly { readonly from: string; readonly to: string; readonly status: number }[];
  readonly tls?: {
    readonly protocol: string;
    readonly issuer: string;
    readonly notAfter: string;
    /** SHA-256 of the public key (SubjectPublicKeyInfo), in base64. */
    readonly keyHash?: string;
  };
  /** Time to the whole answer, in ms. */
  readonly took: number;
  /** Bytes, unpacked; 0 for a HEAD request. */
  readonly size: number;
}
