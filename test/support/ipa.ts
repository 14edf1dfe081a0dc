import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { resolveApp } from '../../src/core/app/app.js';
import type { PlistDict } from '../../src/core/formats/plist/types.js';
import type { KeystoreEntry } from '../../src/core/keys/pkcs12.js';
import { entitlementsOf } from '../../src/core/platforms/apple/app/entitlements.js';
import type { ApplePlatform } from '../../src/core/platforms/apple/app/info-plist.js';
import { readAppleOptions } from '../../src/core/platforms/apple/app/options.js';
import { type IpaReport, packIpa } from '../../src/core/platforms/apple/package/pack.js';
import { readProject } from '../../src/core/project/project.js';
import { TEAM, testTeam } from './apple.js';

export const PNG = new Uint8Array(
  Buffer.from(
    'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAIAAACQd1PeAAAADElEQVR4nGNgYPgPAAEDAQAIicLsAAAAAElFTkSuQmCC',
    'base64',
  ),
);

export interface TestIpa {
  readonly platform?: ApplePlatform;
  /** By default one of the test team for development. */
  readonly profile?: Uint8Array;
  /** Who signs; by default the test team's developer. */
  readonly developer?: KeystoreEntry;
  /** The team that the program names. */
  readonly team?: string;
  /** More entitlements. */
  readonly entitlements?: PlistDict;
}

/** Packs the project of a folder, with the shell as it is committed and one icon. */
export async function packTestIpa(
  dir: string,
  { platform = 'device', profile, developer, team: id = TEAM, entitlements = {} }: TestIpa = {},
): Promise<IpaReport> {
  const team = await testTeam();
  const project = readProject(dir);
  const app = await resolveApp(project);
  const options = readAppleOptions(project);
  const isDevice = platform === 'device';
  const slices = isDevice ? ['device-arm64'] : ['simulator-arm64', 'simulator-x86_64'];
  return packIpa({
    app,
    options,
    platform,
    slices: slices.map((name) => readFileSync(`shell/apple/dist/${name}`)),
    pictures: new Map([['AppIcon60x60@2x.png', PNG]]),
    signing: Promise.resolve({
      signer: isDevice
        ? { identity: developer ?? team.developer, team: id, time: new Date('2026-01-02T03:04:05Z') }
        : undefined,
      entitlements: isDevice
        ? { ...entitlementsOf(app, options, { team: id, prefix: id, kind: 'development' }), ...entitlements }
        : undefined,
    }),
    profile: isDevice ? (profile ?? (await team.profileBytes())) : undefined,
    root: team.root,
    outDir: join(dir, 'out'),
  });
}
