// What it takes to send a package to a stand-in store of its own.
import { spawn } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';

const LISTING = `---
name: Bench
summary: A made-up app
---

# Description

A made-up app.
`;

/** What a store asks besides the package, so that nothing but the package is sent by the measured runs. */
export async function writeListing(dir) {
  const pictures = join(dir, 'listing/pictures');
  mkdirSync(join(pictures, 'phone'), { recursive: true });
  writeFileSync(join(dir, 'listing/en.md'), LISTING);
  const picture = (width, height) =>
    sharp({ create: { width, height, channels: 3, background: '#0b4f6c' } })
      .png()
      .toBuffer();
  writeFileSync(join(pictures, 'phone/01.png'), await picture(320, 640));
  writeFileSync(join(pictures, 'phone/02.png'), await picture(320, 640));
  writeFileSync(join(pictures, 'icon.png'), await picture(512, 512));
  writeFileSync(join(pictures, 'feature.png'), await picture(1024, 500));
}

/** Starts a stand-in of its own state. @returns its address, and what ends it */
export async function startStandIn(hull, dir, state) {
  const store = spawn(process.execPath, [hull, 'drydock', 'store', '--json', '--state', state], { cwd: dir });
  const { address, accounts } = await new Promise((resolve, reject) => {
    let text = '';
    store.stdout.on('data', (piece) => {
      text += piece;
      if (/\n}\s*$/.test(text)) resolve(JSON.parse(text));
    });
    store.once('exit', () => reject(new Error(text)));
  });
  const ended = new Promise((resolve) => store.once('exit', resolve));
  return {
    address,
    account: join(dir, accounts[0]),
    stop: () => {
      store.kill('SIGINT');
      return ended;
    },
  };
}
