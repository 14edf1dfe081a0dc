import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { resolveApp } from '../../../../src/core/app/app.js';
import { bytesSource, FileSource } from '../../../../src/core/formats/bytes/source.js';
import { readPlistDict } from '../../../../src/core/formats/plist/reader.js';
import type { PlistDict } from '../../../../src/core/formats/plist/types.js';
import { readEntry, readZip } from '../../../../src/core/formats/zip/reader.js';
import type { Entry } from '../../../../src/core/formats/zip/types.js';
import { writeZip } from '../../../../src/core/formats/zip/writer.js';
import { type ApplePlatform, infoPlist } from '../../../../src/core/platforms/apple/app/info-plist.js';
import { readAppleOptions } from '../../../../src/core/platforms/apple/app/options.js';
import { inspectIpa } from '../../../../src/core/platforms/apple/inspect/inspect.js';
import { bundleFolder } from '../../../../src/core/platforms/apple/package/entries.js';
import type { IpaReport } from '../../../../src/core/platforms/apple/package/pack.js';
import { verifyBundle } from '../../../../src/core/platforms/apple/signing/verify-bundle.js';
import { readProject } from '../../../../src/core/project/project.js';
import { TEAM, type TestTeam, testTeam } from '../../../support/apple.js';
import { holdsAgainst, refused } from '../../../support/errors.js';
import { PNG, packTestIpa } from '../../../support/ipa.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

const CONFIG = {
  app: {
    id: 'example.saltmarsh.ferry',
    name: 'Saltmarsh Ferry',
    short_name: 'Ferry',
    language: 'en',
    version: '1.4.0',
    build: 7,
    translations: { nb: { name: 'Saltmyr ferje', short_name: 'Ferje <&>' } },
  },
  web: {
    folder: 'site',
    url: 'https://ferry.saltmarsh.example/',
    insecure: { 'http://pier-cam.saltmarsh.example': 'The camera has no TLS.' },
  },
  look: { theme_color: '#0b4f6c', background_color: '#f4f1ea', orientation: 'portrait' },
  permissions: {
    geolocation: 'Shows the pier nearest to you.',
    bluetooth: 'Finds the ticket reader near you.',
  },
  links: [{ host: 'ferry.saltmarsh.example' }],
  shortcuts: [{ name: 'Timetable', url: '/timetable.html' }],
  apple: { scheme: 'saltmarsh-ferry' },
};
const SITE = {
  'site/index.html': '<!doctype html><title>Ferry</title>',
  'site/timetable.html': '<!doctype html><title>Timetable</title>',
  'site/js/app.js': 'export {};\n'.repeat(100),
  'site/Shell': 'a page’s own file of this name',
};
let team: TestTeam;
let profile: Uint8Array;
let dir: string;

async function pack(platform: ApplePlatform = 'device', config: object = {}): Promise<IpaReport> {
  writeFiles(dir, { 'hull.json': JSON.stringify({ ...CONFIG, ...config }) });
  return packTestIpa(dir, { platform, profile });
}

async function contents(file: string): Promise<Map<string, Uint8Array>> {
  const source = await FileSource.open(file);
  const { entries } = await readZip(source);
  const all = new Map<string, Uint8Array>();
  for (const entry of entries) all.set(entry.path, new Uint8Array(await readEntry(source, entry)));
  await source.close();
  return all;
}

/** A package of other contents, in memory. */
const archive = async (files: ReadonlyMap<string, Uint8Array>) => {
  const entries: Entry[] = [...files].map(([path, content]) => ({
    path,
    content,
    method: 'store',
    alignment: 1,
  }));
  const source = bytesSource(await writeZip(entries));
  return { source, entries: (await readZip(source)).entries };
};

const FOLDER = 'Payload/Ferry.app/';

beforeAll(async () => {
  team = await testTeam();
  profile = await team.profileBytes();
  dir = temporaryFolder();
  writeFiles(dir, SITE);
});

describe('a package for devices', () => {
  it('is signed, sealed and described', async () => {
    const report = await pack();
    expect(report.file).toBe(join(dir, 'out', 'example.saltmarsh.ferry-1.4.0-7.ipa'));
    expect(report.parts.shell + report.parts.art + report.parts.web + report.parts.signature).toBe(
      report.size,
    );
    const facts = await inspectIpa(report.file, team.root);
    expect(facts).toMatchObject({
      id: 'example.saltmarsh.ferry',
      name: 'Ferry',
      version: '1.4.0',
      build: '7',
      minVersion: '15.0',
      platforms: ['iPhoneOS'],
      devices: ['phone', 'tablet'],
      languages: ['en', 'nb'],
      sdk: undefined,
      permissions: [{ key: 'NSLocationWhenInUseUsageDescription', reason: 'Shows the pier nearest to you.' }],
      domains: ['applinks:ferry.saltmarsh.example'],
      schemes: ['saltmarsh-ferry'],
      transport: { arbitrary: false, hosts: ['pier-cam.saltmarsh.example'] },
      hasCatalog: false,
      signature: { verifies: true, verdict: 'verified', team: TEAM, faults: [] },
      profile: { kind: 'development', fault: undefined },
    });
    expect(facts.slices).toMatchObject([{ cpu: 'arm64', cdhash: report.cdhashes[0], encrypted: false }]);
    expect(facts.entitlements.every(({ allowed }) => allowed === true)).toBe(true);
    expect(facts.findings.map(({ code }) => code).sort()).toEqual([
      'ipa.debuggable',
      'ipa.no-catalog',
      'ipa.no-sdk',
    ]);
    const files = await contents(report.file);
    expect(
      Buffer.from(files.get(`${FOLDER}nb.lproj/InfoPlist.strings`) as Uint8Array)
        .subarray(0, 8)
        .toString(),
    ).toBe('bplist00');
    expect(
      readPlistDict(files.get(`${FOLDER}nb.lproj/InfoPlist.strings`) as Uint8Array).CFBundleDisplayName,
    ).toBe('Ferje <&>');
    const settings = JSON.parse(Buffer.from(files.get(`${FOLDER}hull/shell.json`) as Uint8Array).toString());
    expect(settings).toMatchObject({
      pageScheme: 'hull',
      packed: { origin: 'https://ferry.saltmarsh.example', base: '/' },
      permissions: { geolocation: { reason: 'Shows the pier nearest to you.' } },
      states: { bluetooth: 'denied', camera: 'denied', 'screen-wake-lock': 'granted' },
    });
    expect(settings.states.geolocation).toBe(undefined);
    expect(settings.script).toContain('hullServices');
    expect(settings.script).not.toContain('createObjectURL');
  });

  it('is the same each time, and only its program may be run', async () => {
    const hash = async () => {
      const { file, sha256 } = await pack();
      expect(createHash('sha256').update(readFileSync(file)).digest('hex')).toBe(sha256);
      return sha256;
    };
    expect(await hash()).toBe(await hash());
    const source = await FileSource.open((await pack()).file);
    const { entries } = await readZip(source);
    await source.close();
    const programs = entries.filter(({ mode = 0 }) => (mode & 0o111) !== 0).map(({ path }) => path);
    expect(programs).toEqual([`${FOLDER}Shell`]);
    expect(entries.every(({ mode }) => (mode ?? 0) >> 12 === 0o10)).toBe(true);
    expect(entries.at(-1)?.path).toBe(`${FOLDER}Shell`);
  });

  it('does not verify once a single byte is changed, anywhere', async () => {
    const files = await contents((await pack()).file);
    const paths = [...files.keys()];
    const whole = await archive(files);
    expect((await verifyBundle(whole.source, whole.entries, FOLDER, team.root)).faults).toEqual([]);
    let seed = 7;
    const random = (below: number) => {
      seed = (seed * 1103515245 + 12345) % 2147483648;
      return seed % below;
    };
    const accepted: string[] = [];
    for (let run = 0; run < 1000; run += 1) {
      const path = paths[random(paths.length)] as string;
      const bytes = new Uint8Array(files.get(path) as Uint8Array);
      const at = random(bytes.length);
      bytes[at] = (bytes[at] as number) ^ (1 << random(8));
      const changed = await archive(new Map(files).set(path, bytes));
      const end = await holdsAgainst(async () => {
        const { faults } = await verifyBundle(changed.source, changed.entries, FOLDER, team.root);
        if (faults.length === 0) accepted.push(`${path} at ${at}`);
      });
      expect(end).toBeDefined();
    }
    // What PkgInfo and Info.plist say is sealed elsewhere, or by nobody: old systems' PkgInfo is left out of the rules.
    const program = files.get(`${FOLDER}Shell`) as Uint8Array;
    const unsealed = accepted.filter((one) => {
      const [path, at] = one.split(' at ') as [string, string];
      if (path === `${FOLDER}PkgInfo`) return false;
      // Behind the signature is room that was kept for one that is longer.
      return !(path === `${FOLDER}Shell` && program.subarray(Number(at)).every((byte) => byte === 0));
    });
    expect(unsealed).toEqual([]);
  }, 120_000);

  it('does not verify where files were added, removed or exchanged', async () => {
    const files = await contents((await pack()).file);
    const faultsOf = async (changed: Map<string, Uint8Array>) => {
      const made = await archive(changed);
      return (await verifyBundle(made.source, made.entries, FOLDER, team.root)).faults;
    };
    expect(await faultsOf(new Map(files).set(`${FOLDER}hull/site/extra.js`, PNG))).toEqual([
      'hull/site/extra.js was added after signing.',
    ]);
    const removed = new Map(files);
    removed.delete(`${FOLDER}hull/site/index.html`);
    expect(await faultsOf(removed)).toEqual(['hull/site/index.html was removed after signing.']);
    // Names of a language may be left out: the system removes languages that nobody speaks.
    const fewer = new Map(files);
    fewer.delete(`${FOLDER}nb.lproj/InfoPlist.strings`);
    expect(await faultsOf(fewer)).toEqual([]);
    const simulator = readFileSync('shell/apple/dist/device-arm64');
    expect(await faultsOf(new Map(files).set(`${FOLDER}Shell`, simulator))).toEqual([
      'The program for arm64 is not signed.',
    ]);
    const { authority } = await testTeam();
    const other = await authority.developer({ team: TEAM, name: 'Other' });
    expect(other.certificates.length).toBe(3);
    expect(await faultsOf(new Map(files))).toEqual([]);
    const trusted = await archive(files);
    expect((await verifyBundle(trusted.source, trusted.entries, FOLDER, '00'.repeat(32))).faults).toEqual([
      'The signature leads to a root that devices do not trust.',
    ]);
  });

  it('that is hostile ends in an error', async () => {
    const files = await contents((await pack()).file);
    const out = join(dir, 'hostile.ipa');
    const write = async (entries: readonly Entry[]) => {
      writeFiles(dir, { 'hostile.ipa': await writeZip(entries) });
      return inspectIpa(out, team.root);
    };
    const plain = [...files].map(
      ([path, content]) => ({ path, content, method: 'store', alignment: 1 }) as Entry,
    );
    await refused('ipa.malformed', () =>
      write([...plain, { ...(plain[0] as Entry), path: `${FOLDER}link`, mode: 0o120777 }]),
    );
    await refused('package.unknown', () =>
      write([...plain, { ...(plain[0] as Entry), path: 'Payload/Other.app/Info.plist' }]),
    );
    await refused('ipa.malformed', () =>
      write(plain.filter(({ path }) => !path.endsWith('Ferry.app/Shell'))),
    );
    const nested = Array.from({ length: 9 }, (_, depth) => {
      const folder = `${FOLDER}${'PlugIns/a.appex/'.repeat(depth + 1)}`;
      return [
        { ...(plain[0] as Entry), path: `${folder}Info.plist` },
        {
          ...(plain[0] as Entry),
          path: `${folder}Shell`,
          content: files.get(`${FOLDER}Shell`) as Uint8Array,
        },
      ];
    }).flat();
    await refused('ipa.malformed', () => write([...plain, ...nested]));
  });
});

describe('a package for simulators', () => {
  it('has both slices, and is signed by nobody', async () => {
    const report = await pack('simulator');
    expect(report.file).toMatch(/-simulator\.zip$/);
    const files = await contents(report.file);
    expect([...files.keys()].every((path) => path.startsWith('Ferry.app/'))).toBe(true);
    const info = readPlistDict(files.get('Ferry.app/Info.plist') as Uint8Array);
    expect(info.CFBundleSupportedPlatforms).toEqual(['iPhoneSimulator']);
    const made = await archive(files);
    const found = await verifyBundle(made.source, made.entries, 'Ferry.app/', team.root);
    expect(found.faults).toEqual([]);
    expect(found.slices.map(({ cpu, signed }) => [cpu, signed])).toEqual([
      ['arm64', 'by nobody'],
      ['x86_64', 'by nobody'],
    ]);
  });
});

describe('Info.plist', () => {
  const infoOf = async (config: object, apple: object = {}): Promise<PlistDict> => {
    writeFiles(dir, {
      'hull.json': JSON.stringify({ ...CONFIG, ...config, apple: { ...CONFIG.apple, ...apple } }),
    });
    const project = readProject(dir);
    return infoPlist(await resolveApp(project), readAppleOptions(project), 'device');
  };

  it('turns as the app says, and on a tablet all ways or alone', async () => {
    const portrait = await infoOf({});
    expect(portrait.UISupportedInterfaceOrientations).toEqual(['UIInterfaceOrientationPortrait']);
    expect(portrait['UISupportedInterfaceOrientations~ipad']).toEqual([
      'UIInterfaceOrientationPortrait',
      'UIInterfaceOrientationPortraitUpsideDown',
    ]);
    expect(portrait.UIRequiresFullScreen).toBe(true);
    const any = await infoOf({ look: { ...CONFIG.look, orientation: 'any' } });
    expect(any['UISupportedInterfaceOrientations~ipad']).toHaveLength(4);
    expect(any.UIRequiresFullScreen).toBe(undefined);
    const phone = await infoOf({}, { devices: ['phone'] });
    expect(phone.UIDeviceFamily).toEqual([1]);
    expect(phone['UISupportedInterfaceOrientations~ipad']).toBe(undefined);
  });

  it('never names an SDK', async () => {
    expect(Object.keys(await infoOf({})).filter((key) => /^DT|^BuildMachine/.test(key))).toEqual([]);
  });

  it('opens plain http to the hosts that are named, and no other', async () => {
    expect((await infoOf({})).NSAppTransportSecurity).toEqual({
      NSExceptionDomains: {
        'pier-cam.saltmarsh.example': {
          NSExceptionAllowsInsecureHTTPLoads: true,
          NSIncludesSubdomains: false,
        },
      },
    });
    const local = await infoOf({
      web: { folder: 'site', insecure: { '192.168.0.7': 'The bridge camera has no TLS.' } },
    });
    expect(local.NSAppTransportSecurity).toEqual({ NSAllowsLocalNetworking: true });
  });

  it('refuses what the platform would', async () => {
    await refused('config.bad-value', () => infoOf({}, { min_version: '12.0' }));
    await refused('config.bad-value', () => infoOf({}, { scheme: 'https' }));
    await refused('config.bad-value', () => infoOf({}, { app_bound_domains: ['saltmarsh.example'] }));
    await refused('app.bad-id', () => infoOf({}, { id: 'example.saltmarsh_ferry' }));
  });
});

describe('the folder of the app', () => {
  it('has a name that every file system takes', () => {
    expect(bundleFolder({ shortName: 'Ferry' })).toBe('Ferry.app');
    expect(bundleFolder({ shortName: 'Fähre/../x' })).toBe('Fahrex.app');
    expect(bundleFolder({ shortName: '渡し船' })).toBe('App.app');
  });
});
