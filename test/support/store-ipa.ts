import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { FileSource } from '../../src/core/formats/bytes/source.js';
import { readPlistDict } from '../../src/core/formats/plist/reader.js';
import { writeXmlPlist } from '../../src/core/formats/plist/xml-writer.js';
import { readEntry, readZip } from '../../src/core/formats/zip/reader.js';
import { writeZip } from '../../src/core/formats/zip/writer.js';
import { resignIpa } from '../../src/core/platforms/apple/package/resign.js';
import { readProfile } from '../../src/core/platforms/apple/signing/profile.js';
import type { ProfileRequest } from '../../src/drydock/apple-team.js';
import { TEAM, testTeam } from './apple.js';
import { packTestIpa } from './ipa.js';
import { temporaryFolder, writeFiles } from './temporary.js';

export interface StoreIpa {
  readonly version?: string;
  readonly build?: number;
  /** As the vendor's tools name the SDK, or `none`. */
  readonly sdk?: string;
  readonly kind?: ProfileRequest['kind'];
  /** Bytes of pages that do not compress, to make it large. */
  readonly padding?: Uint8Array;
}

const SITE = { 'site/index.html': '<!doctype html><html lang="en"><title>Ferry</title>' };
export const STORE_CONFIG = (version: string, build: number) => ({
  app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', short_name: 'Ferry', version, build },
  web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
});

/**
 * A package as the vendor's tools would export it for the store: the names of their SDK and a catalog of icons are put into one of ours,
 * which a test team signs again with a profile for the store. Only readers of packages are tested with it.
 */
export async function writeStoreIpa(
  file: string,
  { version = '1.0.0', build = 1, sdk = 'iphoneos26.1', kind = 'store', padding }: StoreIpa = {},
): Promise<string> {
  const team = await testTeam();
  const dir = temporaryFolder();
  writeFiles(dir, { ...SITE, 'hull.json': JSON.stringify(STORE_CONFIG(version, build)) });
  if (padding) writeFileSync(join(dir, 'site/map.bin'), padding);
  const { file: packed } = await packTestIpa(dir);
  const source = await FileSource.open(packed);
  const { entries } = await readZip(source);
  const all = new Map<string, Uint8Array>();
  for (const entry of entries) all.set(entry.path, new Uint8Array(await readEntry(source, entry)));
  await source.close();
  const [plist = ''] = [...all.keys()].filter((path) => /^Payload\/[^/]+\.app\/Info\.plist$/.test(path));
  const info = readPlistDict(all.get(plist) as Uint8Array);
  all.set(plist, writeXmlPlist({ ...info, ...(sdk === 'none' ? {} : { DTSDKName: sdk }) }));
  all.set(join(dirname(plist), 'Assets.car'), Buffer.from('BOMStore'));
  const unsigned = join(dir, 'archive.ipa');
  writeFileSync(
    unsigned,
    await writeZip(
      [...all].map(([path, content]) => ({ path, content, method: 'deflate' as const, alignment: 1 })),
    ),
  );
  const profileBytes = await team.profileBytes({ kind, ...(kind === 'store' ? { devices: [] } : {}) });
  mkdirSync(dirname(file), { recursive: true });
  const signed = await resignIpa({
    file: unsigned,
    out: file,
    profileBytes,
    profile: readProfile(profileBytes, team.root),
    root: team.root,
    signer: { identity: team.developer, team: TEAM, time: new Date('2026-01-02T03:04:05Z') },
    judge: () => [],
  });
  if (signed.is !== 'signed') throw new Error(JSON.stringify(signed.findings));
  return signed.file;
}
