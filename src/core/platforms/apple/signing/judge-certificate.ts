import { X509Certificate } from 'node:crypto';
import type { Location } from '../../../errors.js';
import type { Finding } from '../../../finding.js';
import { type CertificateKind, certificateKind, chainFrom, teamOf } from './authority.js';

/** What a certificate of the developer programme is for. */
export interface AppleCertificate {
  readonly kind: CertificateKind;
  /** Ten letters and digits; `null` where the certificate names none. */
  readonly team: string | null;
}

/** `undefined` where it is not one for signing apps. */
export function appleCertificate(der: Uint8Array): AppleCertificate | undefined {
  const kind = certificateKind(der);
  return kind && { kind, team: teamOf(new X509Certificate(der)) ?? null };
}

const day = (date: Date) => date.toISOString().slice(0, 10);
const DAY = 86_400_000;
/** Days before its end that something is worth a warning. */
const SOON = 21;

const REFUSED = 'Devices refuse the app.';

/** What has a last day. */
export interface Ending {
  readonly what: 'The profile' | 'The certificate';
  readonly end: Date;
  readonly location: Location;
}

const RENEWAL: Readonly<Record<Ending['what'], { readonly code: string; readonly fix: string }>> = {
  'The profile': {
    code: 'profile',
    fix: 'Renew it in the developer account, and download it again.',
  },
  'The certificate': {
    code: 'certificate',
    fix: 'Ask for a new one, then make a new profile with it.',
  },
};

/** That something has ended, or soon will. */
export function endFindings({ what, end, location }: Ending, now: Date): Finding[] {
  const days = (end.getTime() - now.getTime()) / DAY;
  if (days > SOON) return [];
  const { code, fix } = RENEWAL[what];
  const isOver = days <= 0;
  return [
    {
      code: `profile.${code}-${isOver ? 'expired' : 'expires'}`,
      severity: isOver ? 'error' : 'warning',
      location,
      observed: isOver
        ? `${what} expired on ${day(end)}.`
        : `${what} expires on ${day(end)}, in ${Math.floor(days)} days.`,
      impact: isOver ? REFUSED : 'From then on, devices no longer open the app that was signed with it.',
      fix,
    },
  ];
}

/** The issuer that a keystore lacks, by name; `undefined` where its certificates lead to a root. */
export function missingIssuer(certificates: readonly Uint8Array[], root: string): string | undefined {
  const chain = chainFrom(certificates, root);
  return chain?.is === 'incomplete' ? chain.missing : undefined;
}

/** That certificates do not lead to a root that devices trust. @param certificates DER, the app's own first */
export function chainFindings(
  certificates: readonly Uint8Array[],
  root: string,
  location: Location,
): Finding[] {
  const chain = chainFrom(certificates, root);
  if (chain === undefined) return [];
  const finding = { code: 'profile.chain', severity: 'error', location } as const;
  if (chain.is === 'incomplete') {
    return [
      {
        ...finding,
        observed: `The certificate was issued by "${chain.missing}", which is not in the keystore.`,
        impact: 'The signature would not lead to a root that devices know.',
        fix: 'Import that certificate into the keystore too; the vendor’s page of certificate authorities has it.',
      },
    ];
  }
  if (chain.isTrusted) return [];
  return [
    {
      ...finding,
      observed: 'The certificate leads to a root that devices do not trust.',
      impact: REFUSED,
      fix: 'Use a certificate of the developer account.',
    },
  ];
}

/** Whether an identity can sign apps: until when, and before whom. @param certificates DER, its own first */
export function judgeAppleCertificate(
  certificates: readonly Uint8Array[],
  root: string,
  now: Date,
  location: Location,
): Finding[] {
  const [own] = certificates;
  if (own === undefined) return [];
  const end = new Date(new X509Certificate(own).validTo);
  return [
    ...endFindings({ what: 'The certificate', end, location }, now),
    ...chainFindings(certificates, root, location),
  ];
}
