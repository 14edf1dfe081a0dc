import forge from 'node-forge/lib/forge.js';
import 'node-forge/lib/rc2.js';

/**
 * RC2 in CBC mode (RFC 2268), with as many effective bits as the key has. OpenSSL has it in its legacy provider only, which
 * Node.js does not load.
 *
 * @returns `undefined` where the padding shows that key or data are wrong
 */
export function decryptRc2(key: Buffer, iv: Buffer, bytes: Uint8Array): Buffer | undefined {
  const decipher = forge.rc2.createDecryptionCipher(key.toString('binary'), key.length * 8);
  decipher.start(iv.toString('binary'));
  decipher.update(forge.util.createBuffer(Buffer.from(bytes).toString('binary')));
  if (!decipher.finish()) return undefined;
  const plain = Buffer.from(decipher.output.getBytes(), 'binary');
  return plain;
}
