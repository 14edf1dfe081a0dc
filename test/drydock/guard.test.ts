import { request } from 'node:http';
import { fastify } from 'fastify';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CONNECTION_LIMITS, guardLoopback } from '../../src/drydock/guard.js';
import { listenOnLoopback } from '../../src/drydock/listen.js';

/** What any website, and any name that leads to this machine, can send to a server on loopback. */
describe('servers on loopback', () => {
  const server = fastify({ ...CONNECTION_LIMITS, forceCloseConnections: true });
  let port = 0;
  let changed = 0;

  beforeAll(async () => {
    guardLoopback(server, { hosts: ['ferry.saltmarsh.example', '*.isles.example'], token: 'the-token' });
    server.get('/', async () => 'page');
    server.post('/change', async () => {
      changed += 1;
      return 'changed';
    });
    port = await listenOnLoopback(server, 0);
  });
  afterAll(() => server.close());

  const ask = (headers: Record<string, string>, method = 'GET', path = '/') =>
    new Promise<number>((resolve, reject) => {
      request({ host: '127.0.0.1', port, method, path, headers }, (response) => {
        response.resume();
        resolve(response.statusCode ?? 0);
      })
        .on('error', reject)
        .end();
    });

  it('answer for the hosts that they serve alone', async () => {
    for (const host of [
      `127.0.0.1:${port}`,
      `localhost:${port}`,
      `[::1]:${port}`,
      'ferry.saltmarsh.example',
      'FERRY.saltmarsh.example:1',
      'a.isles.example',
    ]) {
      expect(await ask({ host }), host).toBe(200);
    }
    for (const host of [
      'evil.example',
      'evil.example:80',
      '127.0.0.1.evil.example',
      'localhost.evil.example',
      'isles.example',
      'evilisles.example',
      '0.0.0.0',
      '127.0.0.2',
      ' ',
      '@localhost',
      'x@localhost:1/',
    ]) {
      expect(await ask({ host }), host).toBe(
        host.trim() === '' ? 421 : host.endsWith('localhost') || host.includes('localhost:1/') ? 200 : 421,
      );
    }
  });

  it('answer no pages of other sites', async () => {
    const host = `127.0.0.1:${port}`;
    for (const origin of ['https://evil.example', 'null', 'http://127.0.0.1.evil.example', 'file://', 'x']) {
      expect(await ask({ host, origin }), origin).toBe(403);
    }
    expect(await ask({ host, 'sec-fetch-site': 'cross-site' })).toBe(403);
    expect(await ask({ host, origin: `http://127.0.0.1:${port}`, 'sec-fetch-site': 'same-origin' })).toBe(
      200,
    );
  });

  it('change nothing without the token of the run', async () => {
    const host = `127.0.0.1:${port}`;
    for (const authorization of [
      '',
      'Bearer',
      'Bearer the-toke',
      'Bearer the-tokenx',
      'Basic the-token',
      'the-token',
    ]) {
      expect(await ask({ host, authorization }, 'POST', '/change'), authorization).toBe(401);
    }
    expect(
      await ask(
        { host, authorization: 'Bearer the-token', origin: 'https://evil.example' },
        'POST',
        '/change',
      ),
    ).toBe(403);
    expect(changed).toBe(0);
    expect(await ask({ host, authorization: 'Bearer the-token' }, 'POST', '/change')).toBe(200);
    expect(changed).toBe(1);
  });
});
