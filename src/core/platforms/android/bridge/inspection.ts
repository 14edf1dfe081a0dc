import { createServer, type Socket } from 'node:net';
import { pipeline } from 'node:stream/promises';
import type { ByteStream } from '../../../net/byte-stream.js';
import { type BridgeAddress, openService, runOnDevice } from './bridge.js';

/** Sockets on a device at which what shows its pages can be inspected, and tunnels to them. */

/** A socket in the device's abstract namespace, as `webview_devtools_remote_4123`. */
export interface InspectionSocket {
  readonly name: string;
  /** Process of the app whose web view it is; `undefined` for a browser. */
  readonly process: number | undefined;
}

const WEB_VIEW = /^webview_devtools_remote_(\d+)$/;
const BROWSER = /^(?:\w+_)?devtools_remote(?:_\d+)?$/;

/**
 * Reads the list of a Linux system's own sockets (`/proc/net/unix`; proc_net, "unix"): names of the abstract namespace begin
 * with `@`.
 */
export function readSockets(list: string): InspectionSocket[] {
  const names = [...list.matchAll(/\s@([\w.-]+)\s*$/gm)].map(([, name]) => name as string);
  return [...new Set(names)].flatMap((name): InspectionSocket[] => {
    const process = WEB_VIEW.exec(name)?.[1];
    if (process !== undefined) return [{ name, process: Number(process) }];
    return BROWSER.test(name) ? [{ name, process: undefined }] : [];
  });
}

/** Where pages can be inspected on a device now. Throws `device.*`. */
export async function findInspectionSockets(
  address: BridgeAddress,
  serial: string,
): Promise<InspectionSocket[]> {
  return readSockets(await runOnDevice(address, serial, 'cat /proc/net/unix'));
}

/** A port on loopback that leads to a socket of a device. */
export interface Tunnel {
  readonly port: number;
  close(): Promise<void>;
}

async function connectThrough(socket: Socket, open: () => Promise<ByteStream>): Promise<void> {
  socket.on('error', () => undefined);
  let far: Socket | undefined;
  try {
    const stream = await open();
    stream.patience = undefined;
    far = stream.release();
    await Promise.all([pipeline(socket, far), pipeline(far, socket)]);
  } catch {
    // Whichever side went away, the other learns it by the end of its connection.
  } finally {
    far?.destroy();
    socket.destroy();
  }
}

/**
 * Opens a port on loopback; each connection to it becomes one to the device's socket, through the bridge. It needs no rule in the
 * bridge, so that none is left behind, and it works with a bridge on another computer too.
 */
export async function openTunnel(address: BridgeAddress, serial: string, name: string): Promise<Tunnel> {
  const sockets = new Set<Socket>();
  const server = createServer((socket) => {
    sockets.add(socket);
    socket.once('close', () => sockets.delete(socket));
    void connectThrough(socket, () => openService(address, serial, `localabstract:${name}`));
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, '127.0.0.1', resolve);
  });
  const bound = server.address();
  return {
    port: typeof bound === 'object' && bound !== null ? bound.port : 0,
    close: () => {
      for (const socket of sockets) socket.destroy();
      return new Promise((resolve) => {
        server.close(() => resolve());
      });
    },
  };
}
