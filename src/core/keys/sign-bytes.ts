import { type SignKeyObjectInput, sign } from 'node:crypto';

/** Signs bytes in the thread pool: as many signatures at once as there are cores. */
export function signBytes(digest: string, data: Uint8Array, key: SignKeyObjectInput): Promise<Uint8Array> {
  return new Promise((resolve, reject) => {
    sign(digest, data, key, (error, signature) => (error ? reject(error) : resolve(signature)));
  });
}
