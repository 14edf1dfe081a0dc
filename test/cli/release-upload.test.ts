import { createHash, randomBytes, randomInt } from 'node:crypto';
import { readFileSync, statSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readServiceAccount } from '../../src/core/store/android/account.js';
import { AndroidStore } from '../../src/core/store/android/store.js';
import { readStoreKey } from '../../src/core/store/apple/account.js';
import { AppleStore } from '../../src/core/store/apple/store.js';
import { startStore } from '../../src/drydock/store/store.js';
import { testTeam } from '../support/apple.js';
import { ID } from '../support/ready-project.js';
import { bundleOf, type RunningStore, releasableProject, startStandIn } from '../support/store.js';
import { writeStoreIpa } from '../support/store-ipa.js';
import { temporaryFolder } from '../support/temporary.js';

let dir: string;
let store: RunningStore;
let proxy: Server;
let address: string;
/** After how many bytes from the client the line is cut, one after the other; then it holds. */
let cuts: number[] = [];
let made = 0;

/** A line to a server that is cut as `cuts` say; each has connections of its own. */
async function lineTo(port: number): Promise<{ readonly proxy: Server; readonly address: string }> {
  const proxy = createServer((client) => {
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
  return { proxy, address: `http://127.0.0.1:${(proxy.address() as AddressInfo).port}` };
}

beforeAll(async () => {
  dir = await releasableProject();
  store = await startStandIn(dir);
  ({ proxy, address } = await lineTo(Number(new URL(store.address).port)));
}, 60_000);
afterAll(async () => {
  proxy.close();
  await store.stop();
});

describe('an upload over a line that is cut', () => {
  it('arrives whole, and once, wherever the line is cut', async () => {
    const file = bundleOf(dir, 1);
    const bytes = readFileSync(file);
    const digest = createHash('sha256').update(bytes).digest('hex');
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
        const sent = await edit.uploadPackage({
          file,
          kind: 'aab',
          size: bytes.length,
          build: 1,
          version: '1.0.0',
        });
        cuts = [];
        expect(sent).toEqual({ build: 1, digest });
        if (round % 10 > 0) return;
        const { packages } = await edit.state();
        expect(packages).toEqual([{ build: 1, digest }]);
      });
    }
    expect(made).toBeGreaterThanOrEqual(50);
  }, 240_000);

  it('arrives whole at Apple’s store, in parts of which only those that were cut come again', async () => {
    const file = await writeStoreIpa(join(temporaryFolder(), 'ferry.ipa'), { padding: randomBytes(600_000) });
    const { size } = statSync(file);
    const { root } = await testTeam();
    const own = await startStore({
      ...{
        port: 0,
        folder: temporaryFolder(),
        apps: [],
        appleApps: [ID],
        appleRoot: root,
        review: undefined,
      },
      onEvent: () => undefined,
    });
    const line = await lineTo(own.port);
    try {
      for (let build = 1; build <= 6; build += 1) {
        const key = readStoreKey(own.apple.files[0] as string, own.apple.issuer, {});
        const client = new AppleStore({
          bundleId: ID,
          version: '1.0.0',
          privacy: undefined,
          key,
          address: line.address,
          access: {},
        });
        const upload = client.change((edit) => {
          cuts = Array.from({ length: 3 }, () => randomInt(5_000, 60_000));
          return edit.uploadPackage({ file, kind: 'ipa', size, build, version: '1.0.0' });
        });
        // All bytes have come: the store reads which build it is, and only the first is the one that was announced.
        if (build === 1) expect((await upload).digest).toMatch(/^[0-9a-f]{32}$/);
        else await expect(upload).rejects.toThrow(/was announced/);
        cuts = [];
      }
    } finally {
      line.proxy.close();
      await own.close();
    }
  }, 120_000);
});
