import type { KeyObject } from 'node:crypto';
import { constants } from 'node:crypto';
import { HullError, task, withTasks } from '../../../errors.js';

/** Digest names as node:crypto and Web Crypto know them. */
export type DigestName = 'sha256' | 'sha512';

/** One signature algorithm of APK Signature Scheme v2 and v3 (the scheme's "Signature Algorithm IDs"). */
export interface SignatureAlgorithm {
  readonly id: number;
  readonly name: string;
  readonly keyType: 'rsa' | 'ec' | 'dsa';
  readonly digest: DigestName;
  /** Contents are digested in chunks of 1 MiB; the verity algorithms hash a tree of 4 KiB pages instead. */
  readonly contents: 'chunked' | 'verity';
  /** RSASSA-PSS; otherwise RSASSA-PKCS1-v1_5, ECDSA or DSA with DER signatures. */
  readonly pss: boolean;
}

const row = (
  id: number,
  name: string,
  keyType: SignatureAlgorithm['keyType'],
  digest: DigestName,
  contents: SignatureAlgorithm['contents'] = 'chunked',
): SignatureAlgorithm => ({ id, name, keyType, digest, contents, pss: name.startsWith('RSASSA-PSS') });

export const ALGORITHMS: readonly SignatureAlgorithm[] = [
  row(0x0101, 'RSASSA-PSS with SHA-256', 'rsa', 'sha256'),
  row(0x0102, 'RSASSA-PSS with SHA-512', 'rsa', 'sha512'),
  row(0x0103, 'RSASSA-PKCS1-v1_5 with SHA-256', 'rsa', 'sha256'),
  row(0x0104, 'RSASSA-PKCS1-v1_5 with SHA-512', 'rsa', 'sha512'),
  row(0x0201, 'ECDSA with SHA-256', 'ec', 'sha256'),
  row(0x0202, 'ECDSA with SHA-512', 'ec', 'sha512'),
  row(0x0301, 'DSA with SHA-256', 'dsa', 'sha256'),
  row(0x0421, 'RSASSA-PKCS1-v1_5 with SHA-256, verity', 'rsa', 'sha256', 'verity'),
  row(0x0423, 'ECDSA with SHA-256, verity', 'ec', 'sha256', 'verity'),
  row(0x0425, 'DSA with SHA-256, verity', 'dsa', 'sha256', 'verity'),
];

export function algorithmById(id: number): SignatureAlgorithm | undefined {
  return ALGORITHMS.find((algorithm) => algorithm.id === id);
}

/** The content digest of every package signed here, so that it can be computed before the key is open. */
export const CONTENT_DIGEST: DigestName = 'sha256';

/** The algorithm for a key; deterministic where the key type has such a one. Throws `signing.unsupported`. */
export function algorithmForKey(key: KeyObject): SignatureAlgorithm {
  const type = key.asymmetricKeyType;
  const algorithm = ALGORITHMS.find(
    (item) =>
      item.keyType === type && item.digest === CONTENT_DIGEST && item.contents === 'chunked' && !item.pss,
  );
  if (algorithm === undefined || type === 'dsa') {
    throw new HullError('signing.unsupported', `Packages cannot be signed with a key of type ${type}.`, {
      fix: withTasks`Use an RSA or EC key: ${task('createKey')} makes one.`,
    });
  }
  return algorithm;
}

/** The padding options that node:crypto needs for an algorithm (PSS salts are as long as the digest). */
export function paddingOptions(algorithm: SignatureAlgorithm): { padding?: number; saltLength?: number } {
  if (!algorithm.pss) return {};
  return { padding: constants.RSA_PKCS1_PSS_PADDING, saltLength: algorithm.digest === 'sha256' ? 32 : 64 };
}
