import { describe, expect, it } from 'vitest';
import { resolveApp } from '../../../../src/core/app/app.js';
import type { LauncherIcon } from '../../../../src/core/art/launcher-icon.js';
import { readResourceTable } from '../../../../src/core/formats/arsc/reader.js';
import {
  ATTRIBUTE_IDS,
  type AttributeName,
  PLATFORM_STYLES,
} from '../../../../src/core/platforms/android/app/attributes.js';
import { describeManifest } from '../../../../src/core/platforms/android/app/manifest.js';
import {
  type PackageOptions,
  readAndroidOptions,
} from '../../../../src/core/platforms/android/app/options.js';
import {
  buildResources,
  describeResources,
  idOf,
} from '../../../../src/core/platforms/android/app/resources.js';
import { readProject } from '../../../../src/core/project/project.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

/** What a package tells the platform of colours, of backups and of the network. */

async function madeOf(look: object, debuggable: PackageOptions['debuggable'] = false, web: object = {}) {
  const dir = temporaryFolder();
  const named = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 };
  writeFiles(dir, {
    'hull.json': JSON.stringify({ app: named, web: { folder: 'site', ...web }, look }),
    'site/index.html': 'x',
  });
  const project = readProject(dir);
  const app = await resolveApp(project);
  const icon = {
    background: { r: 0, g: 0, b: 0, a: 255 },
    pictures: new Map([['res/mipmap-mdpi/icon.webp', new Uint8Array([1])]]),
  } as unknown as LauncherIcon;
  const options = { debuggable, android: readAndroidOptions(project) };
  return {
    ...describeResources(app, icon, options),
    manifest: JSON.stringify(describeManifest(app, options)),
    built: buildResources(app, icon, options),
  };
}

const styleAt = async (
  look: object,
  sdk: number,
  night = false,
  attribute: AttributeName = 'navigationBarColor',
) => {
  const { table } = await madeOf(look);
  const styles = table.packages[0]?.types.find(({ name }) => name === 'style')?.entries ?? [];
  // As the platform picks: what is made for the night before what is made for a level, the latest of these.
  const pick = (name: string) => {
    const { values = [] } = styles.find((entry) => entry.name === name) ?? {};
    const fitting = values.filter(
      ({ config }) => (config.sdk ?? 0) <= sdk && (night || config.night === undefined),
    );
    const rank = ({ config }: (typeof fitting)[number]) => (config.night ? 1000 : 0) + (config.sdk ?? 0);
    const { value } = fitting.sort((a, b) => rank(b) - rank(a))[0] ?? {};
    if (value?.type !== 'bag') throw new Error(`no style ${name}`);
    return value;
  };
  const theme = pick('App');
  expect(theme.parent).toBe(idOf('style', 'Base'));
  const [light, dark] = [
    PLATFORM_STYLES['Theme.Material.Light.NoActionBar'],
    PLATFORM_STYLES['Theme.Material.NoActionBar'],
  ];
  expect(pick('Base').parent).toBe(night ? dark : light);
  const all = new Map([...pick('Base').items, ...theme.items].map(({ key, value }) => [key, value]));
  return all.get(ATTRIBUTE_IDS[attribute]);
};

describe('the navigation bar', () => {
  const own = { type: 'reference', id: idOf('color', 'background') };

  it('is black before API 27 where a light colour would hide its white symbols', async () => {
    const light = { background_color: '#f4f1ea' };
    expect(await styleAt(light, 24)).toEqual({ type: 'color', argb: 0xff000000 });
    expect(await styleAt(light, 26)).toEqual({ type: 'color', argb: 0xff000000 });
    expect(await styleAt(light, 27)).toEqual(own);
    expect(await styleAt(light, 34)).toEqual(own);
    expect(await styleAt({ background_color: '#0b4f6c' }, 24)).toEqual(own);
    expect(await styleAt({ ...light, dark: { background_color: '#0d1a20' } }, 24, true)).toEqual(own);
  });
});

describe('the theme', () => {
  it('is that of its level, by day and by night', async () => {
    const flag = (value: boolean) => ({ type: 'boolean', value });
    const look = { background_color: '#f4f1ea', dark: { background_color: '#0d1a20' } };
    const of = (own: object, sdk: number, night: boolean) =>
      styleAt(own, sdk, night, 'windowLightNavigationBar');
    expect(await of(look, 26, false)).toBeUndefined();
    for (const sdk of [27, 30, 31, 36]) {
      expect(await of(look, sdk, false)).toEqual(flag(true));
      expect(await of(look, sdk, true)).toEqual(flag(false));
      expect(await of({ background_color: '#0b4f6c' }, sdk, true)).toEqual(flag(false));
    }
    const splash = { type: 'reference', id: idOf('color', 'background') };
    for (const night of [false, true]) {
      expect(await styleAt(look, 30, night, 'windowSplashScreenBackground')).toBeUndefined();
      expect(await styleAt(look, 31, night, 'windowSplashScreenBackground')).toEqual(splash);
    }
  });
});

describe('backups', () => {
  it('leave out every part of the storage by its name', async () => {
    const { trees, manifest } = await madeOf({});
    const text = JSON.stringify(trees);
    for (const domain of ['root', 'file', 'database', 'sharedpref', 'external', 'device_sharedpref'])
      expect(text.split(`"${domain}"`).length - 1, domain).toBe(1);
    expect(manifest).toContain(
      '"name":"fullBackupContent","resourceId":16844011,"value":{"type":"boolean","value":false}',
    );
  });
});

describe('rules about the network', () => {
  const insecure = { insecure: { 'http://pier-cam.saltmarsh.example': 'the pier camera has no TLS' } };

  it('are in packages that need more than the platform’s own', async () => {
    for (const [debuggable, web, has] of [
      [false, {}, false],
      [false, insecure, true],
      [true, {}, true],
      ['either-way', {}, true],
    ] as const) {
      const { trees, manifest } = await madeOf({}, debuggable, web);
      expect(trees.some(({ path }) => path === 'res/xml/network.xml')).toBe(has);
      expect(manifest.includes('networkSecurityConfig')).toBe(has);
      expect(manifest).toContain('usesCleartextTraffic');
    }
  });
});

describe('files of resources', () => {
  it('have short paths in a package, each once, and the table has the same', async () => {
    const { built, trees } = await madeOf({});
    const paths = built.files.map(({ path }) => path);
    expect(new Set(paths).size).toBe(trees.length + 1);
    const { packages } = readResourceTable(built.table);
    const named = packages
      .flatMap(({ types }) => types.filter(({ name }) => ['mipmap', 'drawable', 'xml'].includes(name)))
      .flatMap(({ entries }) => entries.flatMap(({ values }) => values))
      .flatMap(({ value }) => (value.type === 'string' ? [value.text] : []));
    // The splash icon is not among this package's pictures.
    expect(named.filter((path) => !paths.includes(path))).toHaveLength(1);
    expect(paths.filter((path) => !named.includes(path))).toEqual([]);
    for (const path of paths) expect(path).toMatch(/^res\/[0-9a-z]\.(xml|webp)$/);
    // One file more moves no other.
    const more = await madeOf({}, true);
    const grown = more.built.files.map(({ path }) => path);
    expect(grown.length).toBe(paths.length + 1);
    expect(grown).toEqual(expect.arrayContaining(paths));
  });
});
