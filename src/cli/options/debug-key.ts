import { homedir } from 'node:os';
import { join } from 'node:path';

/** Where the key of packages that are never released is kept: one for every project of a user. */
export function debugKeyFile(env: NodeJS.ProcessEnv): string {
  const config = env.XDG_CONFIG_HOME || join(homedir(), '.config');
  return join(config, 'jolly-hull', 'debug.p12');
}
