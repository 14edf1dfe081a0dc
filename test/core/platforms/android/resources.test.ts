import { describe, expect, it } from 'vitest';
import { resolveApp } from '../../../../src/core/app/app.js';
import { ATTRIBUTE_IDS } from '../../../../src/core/platforms/android/app/attributes.js';
import { describeResources, idOf } from '../../../../src/core/platforms/android/app/resources.js';
import { readProject } from '../../../../src/core/project/project.js';
import { temporaryFolder, writeFiles } from '../../../support/temporary.js';

/** What a package tells the platform of colours and of backups. */

async function resourcesOf(look: object) {
  const dir = temporaryFolder();
  const app = { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 };
  writeFiles(dir, {
    'hull.json': JSON.stringify({ app, web: { folder: 'site' }, look }),
    'site/index.html': 'x',
  });
  const icon = { background: { r: 0, g: 0, b: 0, a: 255 }, pictures: new Map() };
  return describeResources(await resolveApp(readProject(dir)), icon as never, 'webview');
}

describe('the navigation bar', () => {
  const styleAt = async (look: object, sdk: number, night = false) => {
    const { table } = await resourcesOf(look);
    const style = table.packages[0]?.types.find(({ name }) => name === 'style')?.entries[0];
    const fitting = (style?.values ?? []).filter(
      ({ config }) => (config.sdk ?? 0) <= sdk && (config.night ?? false) === night,
    );
    const { value } = fitting.at(-1) ?? {};
    if (value?.type !== 'bag') throw new Error('no style');
    const keys = value.items.map(({ key }) => key);
    expect(new Set(keys).size, 'each once').toBe(keys.length);
    return value.items.find(({ key }) => key === ATTRIBUTE_IDS.navigationBarColor)?.value;
  };
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

describe('backups', () => {
  it('leave out every part of the storage by its name', async () => {
    const { trees } = await resourcesOf({});
    const text = JSON.stringify(trees);
    for (const domain of ['root', 'file', 'database', 'sharedpref', 'external', 'device_sharedpref'])
      expect(text.split(`"${domain}"`).length - 1, domain).toBe(2);
  });
});
