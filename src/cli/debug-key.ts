import { existsSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { createIdentity } from '../core/keys/create.js';
import { openIdentity } from '../core/keys/open.js';
import { writePkcs12 } from '../core/keys/pkcs12.js';
import type { SigningPlan } from '../core/platforms/android/signing/sign.js';
import type { Io } from './io.js';
import { keepKeystore } from './key-files.js';

/** The key of packages that are never released: one for every project of a user, made when it is needed first. */

const ALIAS = 'debug';
/** No secret: whoever can read the file may sign debug packages, and nothing else. */
const PASSWORD = 'debug-packages-only';
const YEARS = 30;

function debugKeyFile(io: Io): string {
  const config = io.env.XDG_CONFIG_HOME || join(homedir(), '.config');
  return join(config, 'jolly-hull', 'debug.p12');
}

/** Opens the debug key; outside of any project, so that no project can lose or publish it. */
export async function debugPlan(io: Io): Promise<SigningPlan> {
  const file = debugKeyFile(io);
  if (!existsSync(file)) {
    const identity = await createIdentity({
      alias: ALIAS,
      key: { type: 'rsa', bits: 2048 },
      commonName: 'Jolly Hull debug',
      years: YEARS,
      from: new Date(),
    });
    try {
      await keepKeystore(file, await writePkcs12(identity, PASSWORD), 'as-is');
    } catch (error) {
      // Another run has made it meanwhile.
      if (!existsSync(file)) throw error;
    }
  }
  return openIdentity(file, ALIAS, PASSWORD);
}
