import { afterEach, describe, expect, it, vi } from 'vitest';
import { Fetcher, isPrivateAddress } from '../../../src/core/net/fetcher.js';
import { refused } from '../../support/errors.js';
import { host } from '../../support/host.js';

/** Names that lead to one address when they are checked, and to another when they are asked. */

const answers = new Map<string, string[]>();
vi.mock('node:dns', async (original) => ({
  ...(await original<typeof import('node:dns')>()),
  lookup: (
    name: string,
    _options: object,
    callback: (error: Error | null, all: { address: string; family: number }[]) => void,
  ) => {
    const list = answers.get(name) ?? [];
    const address = (list.length > 1 ? list.shift() : list[0]) ?? '192.0.2.1';
    callback(null, [{ address, family: address.includes(':') ? 6 : 4 }]);
  },
}));

afterEach(() => answers.clear());

describe('addresses of this machine and network', () => {
  it('are known in the forms that lead through IPv6', () => {
    for (const address of [
      '64:ff9b::7f00:1',
      '64:ff9b:1::a00:1',
      '2002:7f00:1::1',
      '2002:c0a8:1::',
      '2001:0:4136:e378::',
      '::ffff:127.0.0.1',
      '::ffff:7f00:1',
      '::1',
      '::',
      'fe80::1',
      'fd00::1',
      '0.0.0.0',
      '127.9.9.9',
      '169.254.1.1',
      '100.64.0.1',
    ]) {
      expect(isPrivateAddress(address), address).toBe(true);
    }
    for (const address of [
      '93.184.216.34',
      '2606:4700::1111',
      '2001:4860:4860::8888',
      '::ffff:93.184.216.34',
    ]) {
      expect(isPrivateAddress(address), address).toBe(false);
    }
  });

  it('are not reached by a name that was public at first, although the user named it', async () => {
    const { port } = new URL(await host((_request, response) => response.end('secret')));
    const url = new URL(`http://ferry.example:${port}/`);
    answers.set('ferry.example', ['192.0.2.1', '127.0.0.1']);
    const fetcher = new Fetcher({ named: ['ferry.example'], timeout: 500 });
    // The first address is one for documentation, where nothing answers.
    await expect(fetcher.fetch(url, 1000)).rejects.toThrow();
    await refused('net.private-address', () => fetcher.fetch(url, 1000));
    fetcher.close();
  });

  it('are reached by a name that the user named and that was private from the start', async () => {
    const { port } = new URL(await host((_request, response) => response.end('staging')));
    answers.set('staging.example', ['127.0.0.1']);
    const fetcher = new Fetcher({ named: ['staging.example'] });
    const answer = await fetcher.fetch(new URL(`http://staging.example:${port}/`), 1000);
    expect(Buffer.from(answer.bytes).toString()).toBe('staging');
    await refused('net.private-address', () => fetcher.fetch(new URL(`http://127.0.0.1:${port}/`), 1000));
    fetcher.close();
  });
});
