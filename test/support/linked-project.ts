import { spawn } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { afterAll, beforeAll, expect } from 'vitest';
import { DEMO_SITE, HULL, hull, PASSWORD } from './hull.js';
import { temporaryFolder, writeFiles } from './temporary.js';

/** A project whose links open in the app, for the tests of domains. Importing it makes one key for the importing file. */

export const HOST = 'ferry.saltmarsh.example';
export const WELL_KNOWN = 'site/.well-known';
const CONFIG = {
  app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
  web: { folder: 'site', url: `https://${HOST}/` },
  look: { icon: 'site/icons/icon.svg' },
  links: [
    { host: HOST, paths: ['/*', '!/admin/*'], credentials: true },
    {
      host: 'tickets.saltmarsh.example',
      paths: [{ path: '/show', query: { code: '*' }, comment: 'a ticket from a mail' }],
    },
  ],
  apple: { team: 'A1B2C3D4E5', min_version: '12.0', clip: 'example.saltmarsh.ferry.Clip' },
  keys: { release: { file: 'keys/release.p12' } },
};

let keystore: string;
const made = temporaryFolder();

beforeAll(async () => {
  writeFiles(made, {
    'hull.json': JSON.stringify({ ...CONFIG, keys: {} }),
    'site/index.html': '<!doctype html>',
  });
  const ran = await hull(['keys', 'new', '--yes'], { cwd: made });
  expect(ran.code, ran.err).toBe(0);
  keystore = join(made, 'keys/release.p12');
});

/** A project on the demo site, with a key. */
export function project(config: object = {}): string {
  const dir = temporaryFolder();
  cpSync(DEMO_SITE, join(dir, 'site'), { recursive: true });
  mkdirSync(join(dir, 'keys'));
  cpSync(keystore, join(dir, 'keys/release.p12'));
  writeFileSync(join(dir, 'hull.json'), JSON.stringify({ ...CONFIG, ...config }, undefined, 2));
  return dir;
}

export const json = (file: string) => JSON.parse(readFileSync(file, 'utf8'));

interface Running {
  readonly out: () => string;
  readonly err: () => string;
  stop(): Promise<number | null>;
}
const running: Running[] = [];
afterAll(async () => {
  await Promise.all(running.map((one) => one.stop()));
});

/** Starts a command that runs until it is stopped; waits for its JSON. */
export async function start(
  args: string[],
  cwd: string,
): Promise<Running & { readonly facts: Record<string, unknown> }> {
  const env = { ...process.env, HULL_KEY_PASSWORD: PASSWORD, NO_COLOR: '1' };
  const child = spawn(process.execPath, [HULL, ...args, '--json'], { cwd, env });
  let [out, err] = ['', ''];
  child.stdout.on('data', (chunk: Buffer) => {
    out += chunk;
  });
  child.stderr.on('data', (chunk: Buffer) => {
    err += chunk;
  });
  const ended = new Promise<number | null>((resolve) => {
    child.on('close', resolve);
  });
  const one: Running = {
    out: () => out,
    err: () => err,
    stop: () => {
      child.kill('SIGTERM');
      return ended;
    },
  };
  running.push(one);
  for (let i = 0; i < 200 && !out.trimEnd().endsWith('}'); i += 1) await wait(50);
  return { ...one, facts: JSON.parse(out) };
}

/** Asks a server on loopback for a path as it is written, which a URL parser would clean. */
export function get(port: number, path: string): Promise<{ status: number; type: string; body: string }> {
  return new Promise((resolve, reject) => {
    request({ host: '127.0.0.1', port, path }, (message) => {
      let body = '';
      message.on('data', (chunk: Buffer) => {
        body += chunk;
      });
      message.on('end', () =>
        resolve({ status: message.statusCode ?? 0, type: message.headers['content-type'] ?? '', body }),
      );
    })
      .on('error', reject)
      .end();
  });
}
