import type { AddressInfo } from 'node:net';
import type { FastifyInstance } from 'fastify';
import { HullError, systemErrorCode } from '../core/errors.js';

/**
 * Lets a server listen on loopback.
 *
 * @param port 0 for any that is free
 * @returns the port
 * @throws HullError `serve.port-taken`
 */
export async function listenOnLoopback(server: FastifyInstance, port: number): Promise<number> {
  try {
    await server.listen({ host: '127.0.0.1', port });
  } catch (error) {
    if (systemErrorCode(error) !== 'EADDRINUSE' && systemErrorCode(error) !== 'EACCES') throw error;
    throw new HullError('serve.port-taken', `Port ${port} cannot be listened on.`, {
      location: { option: '--port' },
      fix: 'Choose another one, or none for any that is free.',
    });
  }
  return (server.server.address() as AddressInfo).port;
}
