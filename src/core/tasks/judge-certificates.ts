import type { Location } from '../errors.js';
import type { Finding } from '../finding.js';
import { weaknesses } from '../keys/weakness.js';
import { VENDOR_ROOT } from '../platforms/apple/signing/authority.js';
import { appleCertificate, judgeAppleCertificate } from '../platforms/apple/signing/judge-certificate.js';
import type { Project } from '../project/project.js';
import { trustedRoot } from './apple-signing.js';

/**
 * What is weak about a certificate, by the rules of those who judge it: stores of packages that sign themselves want decades,
 * the developer programme's certificates last a year.
 *
 * @param certificates DER, the key's own first, then its issuers
 * @param project `undefined` for a keystore outside of any
 */
export function judgeCertificates(
  certificates: readonly Uint8Array[],
  project: Project | undefined,
  location: Location,
): Finding[] {
  const own = certificates[0] as Uint8Array;
  const now = new Date();
  if (appleCertificate(own) === undefined) return weaknesses(own, now, location);
  return judgeAppleCertificate(
    certificates,
    project ? trustedRoot(project).root : VENDOR_ROOT,
    now,
    location,
  );
}
