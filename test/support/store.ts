import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import sharp from 'sharp';
import { HULL, type Ran, run, startHull } from './hull.js';
import { ID, readyProject } from './ready-project.js';

/** A stand-in store of the built program. */
export interface RunningStore {
  readonly address: string;
  /** Keys of accounts: one that releases, one that may only look, one of another developer. */
  readonly accounts: readonly string[];
  /** What it has told so far. */
  notes(): string;
  stop(): Promise<void>;
}

/** Starts `hull drydock store` for a project, and waits until it answers. */
export async function startStandIn(cwd: string, ...options: readonly string[]): Promise<RunningStore> {
  const { document, notes, stop } = await startHull<{ address: string; accounts: string[] }>(
    cwd,
    ...['drydock', 'store', ...options],
  );
  return {
    address: document.address,
    accounts: document.accounts.map((file) => join(cwd, file)),
    notes,
    stop,
  };
}

const LISTING = `---
name: Saltmarsh Ferry
summary: Sailings, tickets and delays between the islands.
---

# Description

Every sailing of the Saltmarsh ferries.

# What’s new

Tickets open offline.
`;

async function writePicture(file: string, width: number, height: number): Promise<void> {
  mkdirSync(dirname(file), { recursive: true });
  const background = { r: 11, g: width % 255, b: 108 };
  writeFileSync(
    file,
    await sharp({ create: { width, height, channels: 3, background } })
      .png()
      .toBuffer(),
  );
}

/** A project with a bundle, a whole listing, and what else stores ask for. */
export async function releasableProject(): Promise<string> {
  const dir = await readyProject({ 'listing/en.md': LISTING });
  const config = join(dir, 'hull.json');
  const release =
    '"release": { "privacy": "https://ferry.saltmarsh.example/privacy.html", "contact": { "email": "crew@ferry.saltmarsh.example" } }';
  writeFileSync(config, readFileSync(config, 'utf8').replace(/"app":/, `${release},\n  "app":`));
  const pictures = join(dir, 'listing/pictures');
  await writePicture(join(pictures, 'icon.png'), 512, 512);
  await writePicture(join(pictures, 'feature.png'), 1024, 500);
  await writePicture(join(pictures, 'phone/01.png'), 540, 1080);
  await writePicture(join(pictures, 'phone/02.png'), 541, 1080);
  await packBuild(dir, 1);
  return dir;
}

export const bundleOf = (dir: string, build: number) => join(dir, 'out', `${ID}-1.0.0-${build}.aab`);

export async function packBuild(dir: string, build: number): Promise<string> {
  const config = join(dir, 'hull.json');
  writeFileSync(config, readFileSync(config, 'utf8').replace(/"build": \d+/, `"build": ${build}`));
  const packed = await release(dir, ['pack', 'aab', '--quiet']);
  if (packed.code !== 0) throw new Error(packed.err);
  return bundleOf(dir, build);
}

/** Runs `hull` in a project, without the environment's own account. */
export const release = (
  dir: string,
  args: readonly string[],
  env: Record<string, string> = {},
): Promise<Ran> =>
  run(process.execPath, [HULL, ...args], {
    cwd: dir,
    env: {
      HULL_KEY_PASSWORD: 'only-for-these-tests',
      HULL_STORE_ACCOUNT: undefined,
      HULL_STORE_API: undefined,
      ...env,
    },
  });
