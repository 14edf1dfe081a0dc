import { HullError } from '../../../errors.js';
import { ByteWriter } from '../../../formats/bytes/writer.js';
import { publicKeyBytes, readCertificate } from '../../../keys/read-certificate.js';
import { signBytes } from '../../../keys/sign-bytes.js';
import type { SigningIdentity } from '../../../keys/signing-identity.js';
import { Kept } from '../../../util/kept.js';
import { algorithmForKey, paddingOptions, type SignatureAlgorithm } from './algorithms.js';
import { encodeLineage, type Lineage } from './lineage.js';
import {
  ATTRIBUTE_LINEAGE,
  ATTRIBUTE_ROTATION_SINCE,
  ATTRIBUTE_STRIPPING_PROTECTION,
  encodeSignedData,
  encodeSigners,
  SCHEME_LEVELS,
  type SignedData,
  type SignerBlock,
} from './scheme.js';
import { BLOCK_ID, writeSigningBlock } from './signing-block.js';

/** An older signer whose devices keep updating, and its word for the newer one. */
export interface Succession {
  /** The app's first signer, which older devices and schemes go on with. */
  readonly original: SigningIdentity;
  /** From the original signer to the newest. */
  readonly lineage: Lineage;
  /** API level from which the newest signer counts: 28 (in v3), or 33 and later (in v3.1). */
  readonly since: number;
}

/** Who signs a package: one identity, or the newest of several that succeeded each other. */
export interface SigningPlan extends SigningIdentity {
  readonly succession?: Succession;
}

interface Certified extends SigningIdentity {
  readonly algorithm: SignatureAlgorithm;
  /** SubjectPublicKeyInfo, DER. */
  readonly publicKey: Uint8Array;
}

/** Identities that were looked at: of many packages, one signs all or most. */
const known = new Kept<SigningIdentity, 'certified', Certified>();

const certified = (identity: SigningIdentity): Certified =>
  known.get(identity, 'certified', () => certify(identity));

function certify(identity: SigningIdentity): Certified {
  const [own] = identity.certificates;
  if (own === undefined) throw new HullError('signing.unsupported', 'There is no certificate to sign with.');
  const certificate = readCertificate(own);
  if (!certificate.checkPrivateKey(identity.privateKey)) {
    throw new HullError('signing.unsupported', 'The certificate does not belong to the key it is used with.');
  }
  return {
    ...identity,
    algorithm: algorithmForKey(identity.privateKey),
    publicKey: publicKeyBytes(certificate),
  };
}

type Attributes = SignedData['attributes'];

async function signerBlock(
  { algorithm, certificates, publicKey, privateKey }: Certified,
  digest: Uint8Array,
  attributes: Attributes,
  levels?: { readonly min: number; readonly max: number },
): Promise<SignerBlock> {
  const signedData = encodeSignedData({
    digests: [{ algorithm: algorithm.id, bytes: digest }],
    certificates,
    ...(levels ? { levels } : {}),
    attributes,
  });
  const signature = await signBytes(algorithm.digest, signedData, {
    key: privateKey,
    ...paddingOptions(algorithm),
  });
  return {
    signedData,
    ...(levels ? { levels } : {}),
    signatures: [{ algorithm: algorithm.id, bytes: signature }],
    publicKey,
  };
}

const word = (value: number) => new ByteWriter(4).u32(value).finish();

/**
 * The APK Signing Block for a package whose content digest is known: v2 (which API 24 to 27 read) and v3 (28 and
 * later), v2 saying that v3 is there so that it cannot be stripped. Where signers succeeded each other, the original one
 * signs v2, and the newest v3 or v3.1 with the lineage.
 *
 * @param digest the content digest of kind CONTENT_DIGEST, by ContentDigester
 */
export async function signDigest(plan: SigningPlan, digest: Uint8Array): Promise<Uint8Array> {
  const { v3, v31, newest } = SCHEME_LEVELS;
  const { succession } = plan;
  const own = certified(plan);
  const original = succession ? certified(succession.original) : own;
  const lineage = succession ? [{ id: ATTRIBUTE_LINEAGE, value: encodeLineage(succession.lineage) }] : [];
  const inV31 = succession !== undefined && succession.since >= v31;
  const pairs = await Promise.all([
    signerBlock(original, digest, [{ id: ATTRIBUTE_STRIPPING_PROTECTION, value: word(3) }]).then((block) => ({
      id: BLOCK_ID.v2,
      block,
    })),
    (inV31
      ? signerBlock(original, digest, [{ id: ATTRIBUTE_ROTATION_SINCE, value: word(succession.since) }], {
          min: v3,
          max: succession.since - 1,
        })
      : signerBlock(own, digest, lineage, { min: v3, max: newest })
    ).then((block) => ({ id: BLOCK_ID.v3, block })),
    ...(inV31
      ? [
          signerBlock(own, digest, lineage, { min: succession.since, max: newest }).then((block) => ({
            id: BLOCK_ID.v31,
            block,
          })),
        ]
      : []),
  ]);
  return writeSigningBlock(pairs.map(({ id, block }) => ({ id, value: encodeSigners([block]) })));
}
