import { HullError } from '../../../errors.js';
import { SilentPeer } from '../../../net/byte-stream.js';

/** The connection ended. @param what was under way, as in `the package was sent` */
export function gone(what: string, cause?: unknown): HullError {
  return new HullError('device.gone', `The device went away while ${what}.`, {
    fix: 'Look whether the cable holds and the device is on, and run the command again.',
    cause,
  });
}

/** The other side does not keep to the protocol. */
export function breach(observed: string): HullError {
  return new HullError('device.protocol', `The device does not keep to its protocol: ${observed}.`, {
    fix: 'Unplug the device, plug it in again, and run the command again. If it stays so, please report it.',
  });
}

/** What work on a connection throws, with words for the other side's silence and for its end. */
export async function heard<T>(what: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof HullError) throw error;
    if (!(error instanceof SilentPeer)) throw gone(what, error);
    throw new HullError('device.silent', `The device does not answer (${what}).`, {
      fix: 'Unlock it, unplug it and plug it in again, and run the command again.',
      cause: error,
    });
  }
}
