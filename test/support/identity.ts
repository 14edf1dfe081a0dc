import { createIdentity } from '../../src/core/keys/create.js';
import type { KeystoreEntry } from '../../src/core/keys/pkcs12.js';

let made: Promise<KeystoreEntry> | undefined;

/** One signing identity for all tests of a file; 2048 bits, because they are made faster. */
export function testIdentity(): Promise<KeystoreEntry> {
  made ??= createIdentity({
    alias: 'release',
    key: { type: 'rsa', bits: 2048 },
    commonName: 'Saltmarsh Ferry',
    years: 30,
    from: new Date('2026-11-23T00:00:00Z'),
  });
  return made;
}
