import { createServer, type Socket } from 'node:net';
import { HullError, systemErrorCode } from '../core/errors.js';
import { ByteStream } from '../core/net/byte-stream.js';

/** A simulated device that answers on loopback. */
export interface DeviceServer {
  readonly port: number;
  close(): Promise<void>;
}

/** Milliseconds that the other side may say nothing. */
export const PATIENCE = 60_000;

/**
 * Answers connections on loopback. What is thrown while one is served ends that one alone: the other side went away, says
 * nothing, or nonsense.
 *
 * @param port 0 for any that is free
 * @param fix what to do where something listens there
 * @throws HullError `device.port-taken`
 */
export async function serveDevice(
  port: number,
  serve: (stream: ByteStream) => Promise<void>,
  fix: string,
): Promise<DeviceServer> {
  const sockets = new Set<Socket>();
  const server = createServer((socket) => {
    sockets.add(socket);
    socket.once('close', () => sockets.delete(socket));
    // Also while the connection changes hands.
    socket.on('error', () => undefined);
    const stream = new ByteStream(socket, PATIENCE);
    serve(stream)
      .catch(() => socket.destroy())
      .finally(() => socket.end());
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error) => {
      reject(
        systemErrorCode(error) === 'EADDRINUSE'
          ? new HullError('device.port-taken', `Something listens at port ${port} already.`, {
              location: { option: '--port' },
              fix,
            })
          : error,
      );
    });
    server.listen(port, '127.0.0.1', resolve);
  });
  const address = server.address();
  return {
    port: typeof address === 'object' && address !== null ? address.port : port,
    close: () => {
      for (const socket of sockets) socket.destroy();
      return new Promise((resolve) => {
        server.close(() => resolve());
      });
    },
  };
}
