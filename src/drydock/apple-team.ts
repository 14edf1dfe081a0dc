import { KeyObject, randomBytes, webcrypto } from 'node:crypto';
import type { PlistDict } from '../core/formats/plist/types.js';
import { writeXmlPlist } from '../core/formats/plist/xml-writer.js';
import { makeCertificate, type NamePart } from '../core/keys/certificate.js';
import { signCms } from '../core/keys/cms-sign.js';
import type { KeystoreEntry } from '../core/keys/pkcs12.js';
import { rsaAlgorithm } from '../core/keys/rsa.js';
import { type CertificateKind, MARKER } from '../core/platforms/apple/signing/authority.js';
import type { ProfileKind } from '../core/platforms/apple/signing/profile.js';

/**
 * A vendor's authority, a developer's certificate and provisioning profiles for tests: the structures and markers are the
 * real ones, the root is one that no device trusts (Apple, "TN3125: Inside Code Signing: Provisioning Profiles").
 */
export interface AppleAuthority {
  /** DER. */
  readonly root: Uint8Array;
  readonly intermediate: Uint8Array;
  /** A developer's key and certificate, with the chain behind it. */
  developer(request: DeveloperRequest): Promise<KeystoreEntry>;
  /** A certificate for a key that a developer holds. @param publicKey SubjectPublicKeyInfo, DER, of an RSA key */
  certify(request: DeveloperRequest, publicKey: Uint8Array): Promise<Uint8Array>;
  /** Signs what a profile says. */
  sign(profile: PlistDict, time: Date): Promise<Uint8Array>;
}

export interface DeveloperRequest {
  readonly team: string;
  readonly name: string;
  readonly kind?: CertificateKind;
  readonly notBefore?: Date;
  readonly notAfter?: Date;
}

export interface ProfileRequest {
  readonly team: string;
  readonly teamName: string;
  /** With `*` at its end it is for any app that begins so. */
  readonly bundleId: string;
  readonly kind: ProfileKind;
  /** DER. */
  readonly certificates: readonly Uint8Array[];
  readonly devices: readonly string[];
  /** Associated domains; `any` allows all, as real profiles do. */
  readonly domains: 'any' | 'none';
  readonly created: Date;
  readonly expires: Date;
}

const ALGORITHM = rsaAlgorithm(2048);
const ORGANIZATION: NamePart[] = [
  { type: 'C', text: 'GB' },
  { type: 'O', text: 'Drydock' },
];
const name = (text: string, unit?: string): NamePart[] => [
  ...ORGANIZATION,
  ...(unit === undefined ? [] : [{ type: 'OU' as const, text: unit }]),
  { type: 'CN', text },
];

const newKeys = () => webcrypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);

/** Makes an authority whose key never leaves this process. */
export async function appleAuthority(from: Date, to: Date): Promise<AppleAuthority> {
  const [rootKeys, middleKeys, profileKeys] = await Promise.all([newKeys(), newKeys(), newKeys()]);
  const rootName = name('Drydock Root CA');
  const middleName = name('Drydock Developer Relations');
  const shared = (notBefore = from, notAfter = to) => ({
    serialNumber: `01${randomBytes(8).toString('hex')}`,
    notBefore,
    notAfter,
    signingAlgorithm: ALGORITHM,
  });
  const root = await makeCertificate({
    ...shared(),
    subject: rootName,
    issuer: rootName,
    publicKey: rootKeys.publicKey,
    signingKey: rootKeys.privateKey,
    isAuthority: true,
  });
  const intermediate = await makeCertificate({
    ...shared(),
    subject: middleName,
    issuer: rootName,
    publicKey: middleKeys.publicKey,
    signingKey: rootKeys.privateKey,
    isAuthority: true,
    markers: [MARKER.intermediate],
  });
  const leaf = (subject: NamePart[], publicKey: webcrypto.CryptoKey, marker: string, period = shared()) =>
    makeCertificate({
      ...period,
      subject,
      issuer: middleName,
      publicKey,
      signingKey: middleKeys.privateKey,
      signsCode: true,
      markers: [marker],
    });
  const profileSigner = await leaf(
    name('Drydock Profile Signing'),
    profileKeys.publicKey,
    '1.2.840.113635.100.4.1',
  );
  const issue = (request: DeveloperRequest, publicKey: webcrypto.CryptoKey) => {
    const { team, name: common, kind = 'development', notBefore, notAfter } = request;
    return leaf(name(common, team), publicKey, MARKER[kind], shared(notBefore, notAfter));
  };
  return {
    root,
    intermediate,
    certify: async (request, publicKey) =>
      issue(request, await webcrypto.subtle.importKey('spki', publicKey, ALGORITHM, true, ['verify'])),
    async developer(request) {
      const keys = await newKeys();
      const own = await issue(request, keys.publicKey);
      return {
        alias: request.name,
        privateKey: KeyObject.from(keys.privateKey),
        certificates: [own, intermediate, root],
      };
    },
    sign: (profile, time) =>
      signCms(
        {
          privateKey: KeyObject.from(profileKeys.privateKey),
          certificates: [profileSigner, intermediate, root],
        },
        writeXmlPlist(profile),
        { digest: 'sha256', content: 'inside', time },
      ),
  };
}

/** What a profile says. */
export function profileOf(request: ProfileRequest): PlistDict {
  const { team, bundleId, kind, created } = request;
  const uuid = randomBytes(16).toString('hex');
  return {
    AppIDName: 'Drydock',
    ApplicationIdentifierPrefix: [team],
    CreationDate: created,
    DeveloperCertificates: request.certificates,
    Entitlements: {
      'application-identifier': `${team}.${bundleId}`,
      ...(request.domains === 'any' ? { 'com.apple.developer.associated-domains': '*' } : {}),
      'com.apple.developer.team-identifier': team,
      'get-task-allow': kind === 'development',
      'keychain-access-groups': [`${team}.*`],
    },
    ExpirationDate: request.expires,
    IsXcodeManaged: false,
    Name: `Drydock ${kind}`,
    Platform: ['iOS'],
    ...(kind === 'development' || kind === 'ad hoc' ? { ProvisionedDevices: request.devices } : {}),
    ...(kind === 'enterprise' ? { ProvisionsAllDevices: true } : {}),
    TeamIdentifier: [team],
    TeamName: request.teamName,
    TimeToLive: Math.round((request.expires.getTime() - created.getTime()) / 86_400_000),
    UUID: uuid.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5'),
    Version: 1,
  };
}
