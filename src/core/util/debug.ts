import { debuglog } from 'node:util';

/**
 * What goes on inside, for anyone who looks for a fault: shown on standard error with `NODE_DEBUG=hull`, as Node.js does it for its
 * own modules. Never a secret.
 */
export const debug = debuglog('hull');
