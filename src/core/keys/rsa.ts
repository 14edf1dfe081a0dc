/** RSA keys that sign PKCS#1 with SHA-256 (RFC 8017 section 8.2), as Web Crypto names them. @param bits of the modulus */
export const rsaAlgorithm = (bits: number) => ({
  name: 'RSASSA-PKCS1-v1_5',
  hash: 'SHA-256',
  modulusLength: bits,
  publicExponent: new Uint8Array([1, 0, 1]),
});
