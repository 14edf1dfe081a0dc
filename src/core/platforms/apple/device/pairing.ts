import { createPrivateKey, createPublicKey, KeyObject, randomUUID, webcrypto } from 'node:crypto';
import type { PlistDict, PlistValue } from '../../../formats/plist/types.js';
import { certificatePem, makeCertificate } from '../../../keys/certificate.js';
import { rsaAlgorithm } from '../../../keys/rsa.js';

/** What two sides that trust each other keep: text values are PEM. */
export interface Pairing {
  readonly hostId: string;
  readonly systemId: string;
  readonly rootCertificate: string;
  /** Systems need not keep it; without it, a device with another key cannot be given a certificate. */
  readonly rootKey: string | undefined;
  readonly hostCertificate: string;
  readonly hostKey: string;
  readonly deviceCertificate: string;
}

const YEARS = 10 * 365 * 86_400_000;
/** Certificates begin a day ago: the device's clock need not agree. */
const EARLIER = 86_400_000;
const ALGORITHM = rsaAlgorithm(2048);

const text = (value: PlistValue | undefined): string | undefined =>
  value instanceof Uint8Array
    ? Buffer.from(value).toString('utf8')
    : typeof value === 'string'
      ? value
      : undefined;

/** A pairing out of its record, as the system keeps it; `undefined` where something of it is missing. */
export function readPairing(record: PlistDict): Pairing | undefined {
  const pairing = {
    hostId: text(record.HostID),
    systemId: text(record.SystemBUID),
    rootCertificate: text(record.RootCertificate),
    hostCertificate: text(record.HostCertificate),
    hostKey: text(record.HostPrivateKey),
    deviceCertificate: text(record.DeviceCertificate),
  };
  if (!Object.values(pairing).every((value) => value !== undefined)) return undefined;
  return { ...pairing, rootKey: text(record.RootPrivateKey) } as Pairing;
}

const bytes = (pem: string) => new Uint8Array(Buffer.from(pem, 'utf8'));

/** The part of a pairing that the device is given. */
export const openRecord = (pairing: Pairing): PlistDict => ({
  DeviceCertificate: bytes(pairing.deviceCertificate),
  HostCertificate: bytes(pairing.hostCertificate),
  HostID: pairing.hostId,
  RootCertificate: bytes(pairing.rootCertificate),
  SystemBUID: pairing.systemId,
});

/** The whole of it, as the system keeps it. */
export const keptRecord = (pairing: Pairing): PlistDict => ({
  ...openRecord(pairing),
  HostPrivateKey: bytes(pairing.hostKey),
  ...(pairing.rootKey === undefined ? {} : { RootPrivateKey: bytes(pairing.rootKey) }),
});

const newKeys = () => webcrypto.subtle.generateKey(ALGORITHM, true, ['sign', 'verify']);
const keyPem = (key: webcrypto.CryptoKey) =>
  String(KeyObject.from(key).export({ type: 'pkcs8', format: 'pem' }));
const publicPart = (key: KeyObject) =>
  webcrypto.subtle.importKey('spki', key.export({ type: 'spki', format: 'der' }), ALGORITHM, true, [
    'verify',
  ]);

/** A certificate below a pairing's root, or that root: it has no name, and is known by its key alone. */
async function certificate(
  publicKey: webcrypto.CryptoKey,
  signingKey: webcrypto.CryptoKey,
  role: 'authority' | 'connections',
  now: Date,
): Promise<string> {
  return certificatePem(
    await makeCertificate({
      serialNumber: '01',
      subject: [],
      issuer: [],
      notBefore: new Date(now.getTime() - EARLIER),
      notAfter: new Date(now.getTime() + YEARS),
      publicKey,
      signingKey,
      signingAlgorithm: ALGORITHM,
      isAuthority: role === 'authority',
      securesConnections: role === 'connections',
    }),
  );
}

/**
 * Makes a pairing with a device: an authority, a certificate for this computer and one for the device's key.
 *
 * @param devicePublicKey PEM of an RSA key (PKCS#1), as the device gives it. Throws where it is none.
 */
export async function makePairing(
  devicePublicKey: string,
  systemId: string,
  now = new Date(),
): Promise<Pairing> {
  const [root, host] = await Promise.all([newKeys(), newKeys()]);
  const deviceKey = await publicPart(createPublicKey(devicePublicKey));
  return {
    hostId: randomUUID().toUpperCase(),
    systemId,
    rootCertificate: await certificate(root.publicKey, root.privateKey, 'authority', now),
    rootKey: keyPem(root.privateKey),
    hostCertificate: await certificate(host.publicKey, root.privateKey, 'connections', now),
    hostKey: keyPem(host.privateKey),
    deviceCertificate: await certificate(deviceKey, root.privateKey, 'connections', now),
  };
}

/** The pairing for a device that has another key now, because it was erased: this computer's part stays, where it can. */
export async function renewPairing(
  pairing: Pairing,
  devicePublicKey: string,
  now = new Date(),
): Promise<Pairing> {
  if (pairing.rootKey === undefined) return makePairing(devicePublicKey, pairing.systemId, now);
  const der = createPrivateKey(pairing.rootKey).export({ type: 'pkcs8', format: 'der' });
  const rootKey = await webcrypto.subtle.importKey('pkcs8', der, ALGORITHM, true, ['sign']);
  const deviceKey = await publicPart(createPublicKey(devicePublicKey));
  return {
    ...pairing,
    deviceCertificate: await certificate(deviceKey, rootKey, 'connections', now),
  };
}
