import { certificateFacts } from '../keys/fingerprint.js';
import { chooseKey, type NamedKey, namedKey } from '../keys/open.js';
import { readCertificateFile } from '../keys/public-part.js';
import { readLineage } from '../platforms/android/signing/plan.js';
import type { Project } from '../project/project.js';
import { pointerStep } from '../util/json-locations.js';

/** A certificate that signs, has signed or will sign an app, and for whom. */
export interface Signer {
  /** `own`: packages that are made here; `store`: what a store gives to users; `former`: before a succession. */
  readonly role: 'own' | 'store' | 'former' | 'debug';
  readonly name: string;
  /** As `AA:BB:…`. */
  readonly sha256: string;
}

export const ROLE_TEXT: Readonly<Record<Signer['role'], string>> = {
  own: 'packages that you make',
  store: 'what the store gives to users',
  former: 'packages from before the key was succeeded',
  debug: 'debuggable packages',
};

export interface SignerOptions {
  /** Certificate (DER) of a key whose keystore has to be opened; `undefined` where it cannot be obtained now. */
  readonly certificateOf: (key: NamedKey) => Promise<Uint8Array | undefined>;
  readonly key?: string;
  /** Certificate of the key for debuggable packages, where such packages are meant too. */
  readonly debug?: Uint8Array;
}

/**
 * Every certificate that an app's packages carry, from `hull.json`: the key that signs here, those that it succeeded, and
 * the store's own.
 *
 * @throws HullError `keys.*`, `signing.*`, `file.missing`
 */
export async function signersOf(project: Project, options: SignerOptions): Promise<Signer[]> {
  const signers: Signer[] = [];
  const add = (role: Signer['role'], name: string, certificate: Uint8Array | undefined) => {
    if (certificate === undefined) return;
    const { sha256 } = certificateFacts(certificate);
    if (!signers.some((one) => one.sha256 === sha256)) signers.push({ role, name, sha256 });
  };
  const read = async (name: string): Promise<Uint8Array | undefined> => {
    const { config } = namedKey(project, name);
    // The public part is enough, and asks for no password.
    if (config.certificate !== undefined) {
      return readCertificateFile(project.resolve(config.certificate), config.certificate);
    }
    return options.certificateOf(chooseKey(project, name));
  };
  const lineage = (role: Signer['role'], name: string) => {
    const { config } = namedKey(project, name);
    if (config.lineage === undefined) return;
    for (const level of readLineage(project.resolve(config.lineage)).slice(0, -1)) {
      add(role, `before ${name}`, level.certificate);
    }
  };
  const own = namedKey(project, options.key).name;
  add('own', own, await read(own));
  lineage('former', own);
  const store = project.settings.android.store_key;
  if (store !== undefined && store !== own) {
    add('store', store, await read(store));
    lineage('former', store);
  }
  add('debug', 'debug', options.debug);
  return signers;
}

/** Where in `hull.json` a key is described. */
export const locationOfKey = (project: Project, name: string) =>
  project.location(`/keys/${pointerStep(name)}`);
