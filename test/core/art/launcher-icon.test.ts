import { readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { DENSITIES } from '../../../src/core/art/devices.js';
import type { ArtInputs } from '../../../src/core/art/icon-set.js';
import { launcherIcon } from '../../../src/core/art/launcher-icon.js';
import { refused } from '../../support/errors.js';
import { temporaryFolder } from '../../support/temporary.js';

const SAND = { r: 244, g: 241, b: 234, a: 255 };
const svg = (inner: string, size = 100) =>
  new TextEncoder().encode(
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${size} ${size}">${inner}</svg>`,
  );
const source = (bytes: Uint8Array) => ({ bytes, location: { file: 'icon.svg' } });
const inputs = (bytes: Uint8Array): ArtInputs => ({
  logo: source(bytes),
  others: {},
  background: { is: 'color', color: SAND },
  darkGround: { r: 16, g: 20, b: 24, a: 255 },
  themeColor: SAND,
  padding: {},
});
async function draw(bytes: Uint8Array, cache?: string) {
  const { pictures, background } = await launcherIcon(inputs(bytes), cache);
  const named = (name: string) =>
    new Map(
      DENSITIES.map((density) => [
        density.name as string,
        pictures.get(`res/mipmap-${density.name}/${name}.webp`),
      ]),
    );
  return {
    legacy: named('icon'),
    foreground: named('icon_foreground'),
    round: named('icon_round'),
    monochrome: named('icon_monochrome'),
    background,
  };
}

async function pixels(png: Uint8Array | undefined) {
  const { data, info } = await sharp(png).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
  return {
    side: info.width,
    height: info.height,
    at: (x: number, y: number) => [...data.subarray((y * info.width + x) * 4, (y * info.width + x) * 4 + 4)],
  };
}

/** The farthest visible pixel from the middle, as a part of the side. */
async function reach(png: Uint8Array | undefined): Promise<number> {
  const { side, at } = await pixels(png);
  let farthest = 0;
  for (let y = 0; y < side; y += 1) {
    for (let x = 0; x < side; x += 1) {
      if ((at(x, y)[3] as number) > 16)
        farthest = Math.max(farthest, Math.hypot(x + 0.5 - side / 2, y + 0.5 - side / 2));
    }
  }
  return farthest / side;
}

describe('the launcher icon', () => {
  it('comes in every density, in the sizes of the platform', async () => {
    const icon = await draw(svg('<circle cx="50" cy="50" r="40"/>'));
    for (const { name, dpi } of DENSITIES) {
      const legacy = await pixels(icon.legacy.get(name));
      expect([legacy.side, legacy.height]).toEqual([(48 * dpi) / 160, (48 * dpi) / 160]);
      const layer = await pixels(icon.foreground.get(name));
      expect([layer.side, layer.height]).toEqual([(108 * dpi) / 160, (108 * dpi) / 160]);
    }
  });

  it.each([
    ['wide', '<rect x="0" y="40" width="100" height="20"/>'],
    ['tall', '<rect x="45" y="0" width="10" height="100"/>'],
    ['in a corner', '<path d="M0 0h30v30z"/>'],
    ['hairline', '<path d="M5 50H95" stroke="#000" stroke-width="1"/>'],
  ])('of a logo that is %s stays inside the circle that no mask cuts', async (_name, inner) => {
    const icon = await draw(svg(inner));
    const part = await reach(icon.foreground.get('xxxhdpi'));
    expect(part).toBeLessThanOrEqual(33 / 108 + 0.004);
    expect(part).toBeGreaterThan(0.2);
    expect(icon.background).toEqual(SAND);
  });

  it('of a picture that fills its square covers what every mask shows, with its edge colour behind', async () => {
    const icon = await draw(
      svg('<rect width="100" height="100" fill="#0b4f6c"/><circle cx="50" cy="50" r="20" fill="#fff"/>'),
    );
    const { side, at } = await pixels(icon.foreground.get('xxxhdpi'));
    const edge = Math.ceil(((108 - 72) / 2 / 108) * side) + 1;
    for (const [x, y] of [
      [edge, edge],
      [side - edge - 1, edge],
      [edge, side - edge - 1],
    ] as const)
      expect(at(x, y)).toEqual([11, 79, 108, 255]);
    expect(icon.background).toEqual({ r: 11, g: 79, b: 108, a: 255 });
  });

  it('is drawn once and then taken from the cache, byte for byte, unless that is damaged', async () => {
    const cache = temporaryFolder();
    const bytes = svg('<circle cx="50" cy="50" r="30" fill="red"/>');
    const first = await draw(bytes, cache);
    const names = readdirSync(cache);
    expect(names.filter((name) => name.endsWith('.zip'))).toHaveLength(1);
    const second = await draw(bytes, cache);
    expect(second.legacy.get('mdpi')).toEqual(first.legacy.get('mdpi'));
    expect(second.background).toEqual(first.background);
    for (const name of names) writeFileSync(join(cache, name), 'damaged');
    const third = await draw(bytes, cache);
    expect(
      Buffer.compare(
        third.foreground.get('hdpi') ?? Buffer.from(''),
        first.foreground.get('hdpi') ?? Buffer.from('x'),
      ),
    ).toBe(0);
  });

  it('is refused where the source is no picture, too small, empty or a bomb', async () => {
    const text = new TextEncoder().encode('not a picture');
    const error = await refused('art.icon-unreadable', () => draw(text));
    expect(error.location?.file).toBe('icon.svg');
    const tiny = await sharp({ create: { width: 8, height: 8, channels: 4, background: 'red' } })
      .png()
      .toBuffer();
    const small = await refused('art.icon-too-small', () => draw(tiny));
    expect(small.message).toContain('8×8');
    await refused('art.icon-unreadable', () => draw(svg('')));
    await refused('art.icon-unreadable', () => draw(svg('<rect').slice(0, 60)));
    const huge = await sharp({ create: { width: 9000, height: 9000, channels: 3, background: 'red' } })
      .png()
      .toBuffer();
    await refused('art.icon-too-large', () => draw(huge));
  });

  it('never reads a file that a drawing points to', async () => {
    const dir = temporaryFolder();
    const secret = join(dir, 'secret.png');
    writeFileSync(
      secret,
      await sharp({ create: { width: 64, height: 64, channels: 3, background: 'lime' } })
        .png()
        .toBuffer(),
    );
    const icon = await draw(
      svg(
        `<rect width="100" height="100" fill="#000"/><image href="file://${secret}" width="100" height="100"/>`,
      ),
    );
    const { side, at } = await pixels(icon.foreground.get('mdpi'));
    expect(at(side / 2, side / 2)).toEqual([0, 0, 0, 255]);
  });
});
