import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll } from 'vitest';

const running: (() => Promise<void>)[] = [];

afterAll(async () => {
  await Promise.all(running.map((stop) => stop()));
});

/** A web host on loopback for the tests of one file; gives its address with a slash at the end. */
export async function host(listener: RequestListener): Promise<string> {
  const server = createServer(listener);
  await new Promise<void>((resolve) => {
    server.listen(0, '127.0.0.1', resolve);
  });
  running.push(
    () =>
      new Promise((resolve) => {
        server.closeAllConnections();
        server.close(() => resolve());
      }),
  );
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
}
