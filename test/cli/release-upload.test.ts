import { createHash, randomInt } from 'node:crypto';
import { readFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readServiceAccount } from '../../src/core/store/android/account.js';
import { AndroidStore } from '../../src/core/store/android/store.js';
import { ID } from '../support/ready-project.js';
import { bundleOf, type RunningStore, releasableProject, startStandIn } from '../support/store.js';

let dir: string;
let store: RunningStore;
let proxy: Server;
let address: string;
/** After how many bytes from the client the line is cut, one after the other; then it holds. */
let cuts: number[] = [];
let made = 0;

beforeAll(async () => {
  dir = await releasableProject();
  store = await startStandIn(dir);
  const port = Number(new URL(store.address).port);
  proxy = createServer((client) => {
    const server = connect(port, '127.0.0.1');
    let seen = 0;
    const end = (socket: Socket) => () => socket.destroy();
    for (const [one, other] of [
      [client, server],
      [server, client],
    ] as const) {
      one.on('error', end(other));
      one.on('close', end(other));
    }
    server.on('data', (piece) => void client.write(piece));
    client.on('data', (piece: Buffer) => {
      // Only the session's own requests are cut: the others are small.
      const cut = cuts[0];
      seen += piece.length;
      if (cut !== undefined && seen > cut) {
        cuts.shift();
        made += 1;
        server.write(piece.subarray(0, Math.max(0, piece.length - (seen - cut))), () => {
          client.destroy();
          server.destroy();
        });
        return;
      }
      server.write(piece);
    });
  });
  await new Promise<void>((resolve) => proxy.listen(0, '127.0.0.1', resolve));
  address = `http://127.0.0.1:${(proxy.address() as AddressInfo).port}`;
}, 60_000);
afterAll(async () => {
  proxy.close();
  await store.stop();
});

describe('an upload over a line that is cut', () => {
  it('arrives whole, and once, wherever the line is cut', async () => {
    const file = bundleOf(dir, 1);
    const bytes = readFileSync(file);
    const sha256 = createHash('sha256').update(bytes).digest('hex');
    const own = new AndroidStore({
      packageName: ID,
      account: readServiceAccount(store.accounts[0] as string),
      address,
      access: {},
    });
    for (let round = 0; round < 50; round += 1) {
      await own.look(async (edit) => {
        // The first cut is somewhere in the session's bytes, some are cut again on their way.
        cuts = Array.from({ length: 1 + (round % 3) }, () => randomInt(600, bytes.length));
        const sent = await edit.uploadPackage(file, 'aab');
        cuts = [];
        expect(sent).toEqual({ build: 1, sha256 });
        if (round % 10 > 0) return;
        const { packages } = await edit.state();
        expect(packages).toEqual([{ build: 1, sha256 }]);
      });
    }
    expect(made).toBeGreaterThanOrEqual(50);
  }, 240_000);
});
