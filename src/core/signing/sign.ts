import { type KeyObject, sign as signBytes, X509Certificate } from 'node:crypto';
import { HullError } from '../errors.js';
import { ByteWriter } from '../formats/bytes/writer.js';
import { algorithmForKey, paddingOptions, type SignatureAlgorithm } from './algorithms.js';
import {
  ATTRIBUTE_STRIPPING_PROTECTION,
  encodeSignedData,
  encodeSigners,
  SCHEME_LEVELS,
  type SignerBlock,
} from './scheme.js';
import { BLOCK_ID, writeSigningBlock } from './signing-block.js';

/** What a package is signed with. */
export interface SigningIdentity {
  readonly privateKey: KeyObject;
  /** DER, the key's own first, then its issuers. */
  readonly certificates: readonly Uint8Array[];
}

function signAsync(algorithm: SignatureAlgorithm, data: Uint8Array, key: KeyObject): Promise<Uint8Array> {
  return new Promise((resolve, reject) => {
    signBytes(algorithm.digest, data, { key, ...paddingOptions(algorithm) }, (error, signature) => {
      if (error) reject(error);
      else resolve(signature);
    });
  });
}

/**
 * The APK Signing Block for a package whose content digest is known: v2 (which API 24 to 27 read) and v3 (28 and
 * later), v2 saying that v3 is there so that it cannot be stripped.
 *
 * @param digest the content digest of kind CONTENT_DIGEST, by ContentDigester
 */
export async function signDigest(identity: SigningIdentity, digest: Uint8Array): Promise<Uint8Array> {
  const algorithm = algorithmForKey(identity.privateKey);
  const [own] = identity.certificates;
  if (own === undefined) throw new HullError('signing.unsupported', 'There is no certificate to sign with.');
  const certificate = new X509Certificate(own);
  const publicKey = certificate.publicKey.export({ type: 'spki', format: 'der' });
  if (!certificate.checkPrivateKey(identity.privateKey)) {
    throw new HullError(
      'signing.unsupported',
      'The certificate belongs to another key than the one it stands beside.',
    );
  }
  const digests = [{ algorithm: algorithm.id, bytes: digest }];
  const { certificates } = identity;

  const signer = async (
    signedData: Uint8Array,
    levels?: { min: number; max: number },
  ): Promise<SignerBlock> => ({
    signedData,
    ...(levels ? { levels } : {}),
    signatures: [
      { algorithm: algorithm.id, bytes: await signAsync(algorithm, signedData, identity.privateKey) },
    ],
    publicKey,
  });

  const levels = { min: SCHEME_LEVELS.v3, max: SCHEME_LEVELS.newest };
  const [v2, v3] = await Promise.all([
    signer(
      encodeSignedData({
        digests,
        certificates,
        attributes: [{ id: ATTRIBUTE_STRIPPING_PROTECTION, value: new ByteWriter(4).u32(3).finish() }],
      }),
    ),
    signer(encodeSignedData({ digests, certificates, levels, attributes: [] }), levels),
  ]);
  return writeSigningBlock([
    { id: BLOCK_ID.v2, value: encodeSigners([v2]) },
    { id: BLOCK_ID.v3, value: encodeSigners([v3]) },
  ]);
}
