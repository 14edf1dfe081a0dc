import { createPublicKey } from 'node:crypto';
import { connect, type TLSSocket } from 'node:tls';
import { HullError } from '../../../errors.js';
import { ByteStream } from '../../../net/byte-stream.js';
import { breach } from './faults.js';
import type { Pairing } from './pairing.js';

/** Milliseconds for the handshake, where answers may take for ever. */
const HANDSHAKE = 20_000;

const spki = (pem: string) => createPublicKey(pem).export({ type: 'spki', format: 'der' });

/** Whether the other side holds the key for which the pairing made the device's certificate. */
function isPairedDevice(socket: TLSSocket, { deviceCertificate }: Pairing): boolean {
  const raw = socket.getPeerX509Certificate()?.publicKey.export({ type: 'spki', format: 'der' });
  return raw?.equals(spki(deviceCertificate)) ?? false;
}

/**
 * Goes on encrypted: this computer shows its certificate, and the device has to hold the key of the pairing.
 *
 * @throws HullError `device.protocol`
 */
export async function secured(stream: ByteStream, pairing: Pairing): Promise<ByteStream> {
  const { patience } = stream;
  const raw = stream.release();
  const socket = await new Promise<TLSSocket>((resolve, reject) => {
    // Which key it has counts, not who vouched for it: the names in these certificates are empty.
    const made = connect({
      socket: raw,
      key: pairing.hostKey,
      cert: pairing.hostCertificate,
      rejectUnauthorized: false,
      checkServerIdentity: () => undefined,
      minVersion: 'TLSv1.2',
    });
    const settle = (finish: () => void) => {
      clearTimeout(timer);
      made.off('error', fail);
      made.off('close', closed);
      finish();
    };
    const fail = (error: Error) =>
      settle(() => {
        made.on('error', () => undefined);
        made.destroy();
        reject(
          error instanceof HullError
            ? error
            : breach(`it does not encrypt the connection (${error.message.slice(0, 120)})`),
        );
      });
    const closed = () => fail(new Error('it closed the connection'));
    const timer = setTimeout(() => fail(new Error('it said nothing')), patience ?? HANDSHAKE);
    made.once('error', fail);
    made.once('close', closed);
    made.once('secureConnect', () => {
      if (isPairedDevice(made, pairing)) settle(() => resolve(made));
      else fail(breach('what answers does not have the key of the device that this computer paired with'));
    });
  });
  return new ByteStream(socket, patience);
}
