import { child, fromDer, isInteger, numberOf } from './asn1.js';
import { javaKeystoreKind, readJavaKeystore } from './java-keystore.js';
import { isPem, readKeyFile } from './pem.js';
import { type KeystoreEntry, readPkcs12 } from './pkcs12.js';

/** Kinds of files that hold a signing key. */
export type KeyFileKind = 'PKCS#12' | 'JKS' | 'JCEKS' | 'PEM' | 'DER';

/** What a file is, going by its bytes. */
export function keyFileKind(bytes: Uint8Array): KeyFileKind {
  const java = javaKeystoreKind(bytes);
  if (java) return java === 'jks' ? 'JKS' : 'JCEKS';
  if (isPem(bytes)) return 'PEM';
  try {
    const version = child(fromDer(bytes, 'the file'), 0, 'the file');
    if (isInteger(version) && numberOf(version, 'its version') === 3) return 'PKCS#12';
  } catch {
    // No ASN.1, or cut short: the reader says what is wrong.
    return bytes[0] === 0x30 ? 'PKCS#12' : 'DER';
  }
  return 'DER';
}

export interface KeyFilePasswords {
  readonly store: string | undefined;
  /** Of the key, where it has one of its own (JKS, JCEKS). */
  readonly key?: string | undefined;
}

/**
 * Every key of a keystore or key file of any kind that is known.
 *
 * @param alias the one that is wanted; in keystores whose keys have passwords of their own, only it is opened
 * @param certificates more certificates, for files that hold a key alone
 * @throws HullError `keys.wrong-password`, `keys.wrong-key-password`, `keys.damaged`, `keys.unsupported`,
 *   `keys.no-certificate`, `file.over-budget`
 */
export async function readAnyKeys(
  bytes: Uint8Array,
  passwords: KeyFilePasswords,
  alias: string | undefined,
  certificates: readonly Uint8Array[] = [],
): Promise<{ readonly kind: KeyFileKind; readonly entries: readonly KeystoreEntry[] }> {
  const kind = keyFileKind(bytes);
  const store = passwords.store ?? '';
  switch (kind) {
    case 'JKS':
    case 'JCEKS':
      return { kind, entries: await readJavaKeystore(bytes, { store, key: passwords.key }, alias) };
    case 'PKCS#12':
      return { kind, entries: await readPkcs12(bytes, store) };
    default:
      return { kind, entries: readKeyFile(bytes, passwords.store, certificates) };
  }
}
