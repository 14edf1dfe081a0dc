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
  /** Whether a page is cut off from other origins by its header fields (HTML Standard, "cross-origin isolated"). */
  readonly isolated: boolean;
  /** Time to the whole answer, in ms. */
  readonly took: number;
  /** Bytes, unpacked; 0 for a HEAD request. */
  readonly size: number;
}

/** Whether header fields isolate a page: `Cross-Origin-Opener-Policy` and `Cross-Origin-Embedder-Policy`, by any case. */
export function isolates(fields: Readonly<Record<string, unknown>>): boolean {
  const value = (name: string) => {
    const found = Object.entries(fields).find(([key]) => key.toLowerCase() === name)?.[1];
    return typeof found === 'string' ? found.split(';')[0]?.trim().toLowerCase() : undefined;
  };
  const embedder = value('cross-origin-embedder-policy');
  const isEmbedded = embedder === 'require-corp' || embedder === 'credentialless';
  return value('cross-origin-opener-policy') === 'same-origin' && isEmbedded;
}
