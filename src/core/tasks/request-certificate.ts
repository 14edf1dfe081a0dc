import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { HullError, task, withTasks } from '../errors.js';
import { requestCertification, requestedKey } from '../keys/certification-request.js';
import { checkCommonName } from '../keys/create.js';
import { pemOf } from '../keys/pem.js';
import { encryptPrivateKey } from '../keys/pkcs12.js';
import { readCertificate } from '../keys/read-certificate.js';
import { type Project, readProject } from '../project/project.js';
import { writeNewFile } from '../util/files.js';
import { newKeystore } from './create-key.js';
import { KEY_FOLDER, keepKeystore } from './key-files.js';
import type { PasswordOf } from './passwords.js';

const KEY_ENDING = '.key.pem';
const REQUEST_ENDING = '.csr';

/** A key that waits for its certificate. */
export interface PendingRequest {
  readonly name: string;
  /** The encrypted private key and the request, as paths in the project. */
  readonly key: string;
  readonly request: string;
}

const pendingOf = (name: string): PendingRequest => ({
  name,
  key: `${KEY_FOLDER}/${name}${KEY_ENDING}`,
  request: `${KEY_FOLDER}/${name}${REQUEST_ENDING}`,
});

export interface RequestCertificateOptions {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** Name that the key will have in `hull.json`; by default `apple`. */
  readonly name?: string | undefined;
  /** 1 to 64 characters; by default the app's name. The authority writes a name of its own into the certificate. */
  readonly commonName?: string | undefined;
  /** Gives the new key's password. */
  readonly password: PasswordOf;
}

/**
 * Makes a key, and a request that an authority certifies it (PKCS#10, RFC 2986). Nothing that is there is written over.
 *
 * @throws HullError `keys.exists`, `keys.bad-name`, `keys.bad-subject`, `keys.password-unfit`, `config.*`
 */
export async function requestCertificate(options: RequestCertificateOptions): Promise<PendingRequest> {
  const project = readProject(options.project ?? '.');
  const { name = 'apple' } = options;
  newKeystore(project, name, undefined);
  const pending = pendingOf(name);
  for (const path of [pending.key, pending.request]) {
    if (existsSync(project.resolve(path))) throw requestExists(project, pending, path);
  }
  const commonName = options.commonName ?? project.settings.app.name.slice(0, 64);
  checkCommonName(commonName);
  const password = await options.password({ name, path: pending.key });
  const { privateKey, request } = await requestCertification(commonName);
  const key = pemOf('ENCRYPTED PRIVATE KEY', await encryptPrivateKey(privateKey, password));
  // The key first: a request whose key is lost would be certified for nothing.
  await keepKeystore(project.resolve(pending.key), new TextEncoder().encode(key), 'guarded');
  await writeNewFile(project.resolve(pending.request), new TextEncoder().encode(request), 0o644, () =>
    requestExists(project, pending, pending.request),
  );
  return pending;
}

function requestExists(project: Project, { name, request }: PendingRequest, path: string): HullError {
  return new HullError('keys.exists', 'There is a file here already; it was not touched.', {
    location: { file: project.resolve(path) },
    fix: withTasks`A request for "${name}" was made before: upload ${request}, and import the certificate. For another key choose another name: ${task('requestCertificate', '<name>')}`,
  });
}

/** The requests of a project whose keys are here, by name. */
export function pendingRequests(project: Project): PendingRequest[] {
  const folder = project.resolve(KEY_FOLDER);
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((file) => file.endsWith(REQUEST_ENDING))
    .map((file) => pendingOf(file.slice(0, -REQUEST_ENDING.length)))
    .filter(({ key }) => existsSync(project.resolve(key)))
    .sort((one, other) => (one.name < other.name ? -1 : 1));
}

/** The request that one of these certificates answers: it is for the same public key. Throws `keys.no-request`. */
export function answeredRequest(
  project: Project,
  certificates: readonly Uint8Array[],
  source: string,
): PendingRequest {
  const pending = pendingRequests(project);
  const certified = certificates.map((der) =>
    readCertificate(der).publicKey.export({ type: 'spki', format: 'der' }),
  );
  const found = pending.find(({ request }) => {
    const wanted = requestedIn(project.resolve(request));
    return wanted !== undefined && certified.some((key) => key.equals(wanted));
  });
  if (found) return found;
  const made = pending.map(({ request }) => request).join(', ');
  throw new HullError('keys.no-request', 'This certificate is for a key that is not here.', {
    location: { file: source },
    fix: withTasks`${made === '' ? 'No request was made in this project.' : `It answers none of the requests made here (${made}).`} The key is on the machine where its request was made: import it there; or export key and certificate there as a .p12 file, and import that with ${task('importKey', '<file>')}`,
  });
}

function requestedIn(file: string): Uint8Array | undefined {
  try {
    return requestedKey(readFileSync(file));
  } catch (error) {
    if (error instanceof HullError) return undefined; // somebody else's file
    throw error;
  }
}
