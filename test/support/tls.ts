import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { throwAwayAuthority } from '../../src/drydock/authority.js';
import { temporaryFolder } from './temporary.js';

export interface TestCertificate {
  /** PEM, both. */
  readonly key: string;
  readonly cert: string;
  /** File of the authority's certificate, PEM. */
  readonly ca: string;
}

/** A certificate for a host, or several, from an authority of the test's own; needs no program on the machine. */
export async function testCertificate(host: string | readonly string[], days = 30): Promise<TestCertificate> {
  const authority = await throwAwayAuthority('Test harbour authority');
  const ca = join(temporaryFolder(), 'ca.pem');
  writeFileSync(ca, authority.pem);
  return { ...(await authority.issue([host].flat(), days)), ca };
}
