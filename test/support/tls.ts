import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { temporaryFolder } from './temporary.js';

export interface TestCertificate {
  /** PEM, both. */
  readonly key: string;
  readonly cert: string;
  /** File of the authority's certificate, PEM. */
  readonly ca: string;
}

/** A certificate for a host from an authority of the test's own, made by another program than ours. */
export function testCertificate(host: string, days = 30): TestCertificate {
  const dir = temporaryFolder();
  const at = (name: string) => join(dir, name);
  const openssl = (...args: string[]) => execFileSync('openssl', args, { stdio: 'pipe' });
  const curve = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256', '-nodes'];
  openssl(
    'req',
    '-x509',
    ...curve,
    '-keyout',
    at('ca.key'),
    '-out',
    at('ca.pem'),
    '-days',
    '60',
    '-subj',
    '/CN=Test harbour authority',
  );
  openssl(
    'req',
    ...curve,
    '-keyout',
    at('key.pem'),
    '-out',
    at('host.csr'),
    '-subj',
    `/CN=${host}`,
    '-addext',
    `subjectAltName=DNS:${host}`,
  );
  openssl(
    'x509',
    '-req',
    '-in',
    at('host.csr'),
    '-CA',
    at('ca.pem'),
    '-CAkey',
    at('ca.key'),
    '-CAcreateserial',
    '-out',
    at('cert.pem'),
    '-days',
    String(days),
    '-copy_extensions',
    'copy',
  );
  return {
    key: readFileSync(at('key.pem'), 'utf8'),
    cert: readFileSync(at('cert.pem'), 'utf8'),
    ca: at('ca.pem'),
  };
}
