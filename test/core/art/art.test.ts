import { existsSync, mkdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import sharp from 'sharp';
import { beforeAll, describe, expect, it } from 'vitest';
import { type ArtInputs, parseBackground } from '../../../src/core/art/icon-set.js';
import { readLogo } from '../../../src/core/art/logo.js';
import { type ArtReport, drawPlan } from '../../../src/core/art/make.js';
import { type ArtRow, type ArtTarget, artPlan } from '../../../src/core/art/plan.js';
import { readIco, writeIco } from '../../../src/core/formats/ico/ico.js';
import { holdsAgainst, refused } from '../../support/errors.js';
import { mutations } from '../../support/hostile.js';
import { DEMO_SITE } from '../../support/hull.js';
import { temporaryFolder } from '../../support/temporary.js';

const SAND = { r: 244, g: 241, b: 234, a: 255 };
const SEA = { r: 11, g: 79, b: 108, a: 255 };
const NIGHT = { r: 16, g: 20, b: 24, a: 255 };
const svg = (inner: string, box = '0 0 100 100') =>
  new TextEncoder().encode(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="${box}">${inner}</svg>`);
const picture = (bytes: Uint8Array, file = '/nowhere/logo.svg') => ({ bytes, location: { file } });
const inputs = (bytes: Uint8Array, more: Partial<ArtInputs> = {}): ArtInputs => ({
  logo: picture(bytes),
  others: {},
  background: { is: 'color', color: SAND },
  darkGround: NIGHT,
  themeColor: SEA,
  padding: {},
  ...more,
});

const LOGOS: Readonly<Record<string, Uint8Array>> = {
  filled: readFileSync(join(DEMO_SITE, 'icons/icon.svg')),
  'white, wide': svg('<path d="M10 30h80M30 10v40" stroke="#fff" stroke-width="8"/>', '0 0 100 60'),
  'tall, in a corner': svg('<path d="M0 0h20v90z" fill="#c8431c"/>'),
};

async function make(
  dir: string,
  from: ArtInputs,
  more: Partial<Parameters<typeof drawPlan>[0]> = {},
): Promise<ArtReport> {
  const folders: Record<ArtTarget, string> = {
    web: join(dir, 'web'),
    android: join(dir, 'android'),
    apple: join(dir, 'apple'),
  };
  return drawPlan({ dir, folders, inputs: from, plan: artPlan(), mode: 'write', only: 'android', ...more });
}

interface Pixels {
  readonly width: number;
  readonly height: number;
  readonly channels: number;
  at(x: number, y: number): readonly [r: number, g: number, b: number, a: number];
}

async function pixels(bytes: Uint8Array): Promise<Pixels> {
  const { channels } = await sharp(bytes).metadata();
  const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
  return {
    width: info.width,
    height: info.height,
    channels: channels ?? 0,
    at: (x, y) => {
      const i = (y * info.width + x) * 4;
      return [data[i] ?? 0, data[i + 1] ?? 0, data[i + 2] ?? 0, data[i + 3] ?? 0];
    },
  };
}

/** The farthest pixel from the centre that a test holds for, as a part of half the side. */
function reach(
  { width, height, at }: Pixels,
  test: (pixel: readonly [number, number, number, number]) => boolean,
): number {
  let farthest = 0;
  for (let y = 0; y < height; y += 1) {
    for (let x = 0; x < width; x += 1) {
      if (test(at(x, y)))
        farthest = Math.max(farthest, Math.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2));
    }
  }
  return farthest / (Math.min(width, height) / 2);
}

function checkGround(row: ArtRow, image: Pixels): void {
  const corners = [image.at(0, 0), image.at(image.width - 1, 0), image.at(0, image.height - 1)];
  const see = reach(image, ([, , , a]) => a < 255) > 0;
  if (row.background === 'opaque') {
    expect(see, 'has see-through pixels').toBe(false);
    expect(image.channels, 'has an alpha channel').toBe(3);
  }
  if (row.background === 'shape') {
    expect(corners.map(([, , , a]) => a)).toEqual([0, 0, 0]);
    const ink = row.ink === 'black' ? 0 : 255;
    expect(
      reach(
        image,
        ([r, g, b, a]) => a > 8 && (Math.abs(r - ink) > 2 || Math.abs(g - ink) > 2 || Math.abs(b - ink) > 2),
      ),
    ).toBe(0);
  }
}

/** All images of one logo, made once: start-up images are many and large. */
const whole = temporaryFolder();
let wholeReport: ArtReport;

beforeAll(async () => {
  wholeReport = await makeAll(whole, inputs(LOGOS.filled as Uint8Array));
});

function makeAll(dir: string, from: ArtInputs, mode: 'write' | 'check' = 'write'): Promise<ArtReport> {
  const folders: Record<ArtTarget, string> = {
    web: join(dir, 'web'),
    android: join(dir, 'android'),
    apple: join(dir, 'apple'),
  };
  return drawPlan({ dir, folders, inputs: from, plan: artPlan(), mode });
}

describe('every image of the plan', () => {
  const check = async (dir: string, results: ArtReport['results'], bytes: Uint8Array) => {
    // Start-up images are many and alike: those of two devices stand for all.
    const tried = results.filter(
      ({ row }) => row.purpose !== 'startup' || [390, 1032].includes(row.device?.width ?? 0),
    );
    for (const { row, file } of tried) {
      const content = new Uint8Array(readFileSync(join(dir, file)));
      if (row.format === 'svg') expect(content).toEqual(new Uint8Array(bytes));
      if (row.format === 'svg' || row.format === 'ico') continue;
      const image = await pixels(content);
      expect([image.width, image.height], file).toEqual([row.width, row.height]);
      expect((await sharp(content).metadata()).format).toBe(row.format);
      checkGround(row, image);
    }
  };

  it('has its size and ground, from a picture that fills its square', async () => {
    const { results } = wholeReport;
    expect(results.map(({ row }) => row.path)).toEqual(artPlan().map(({ path }) => path));
    await check(whole, results, LOGOS.filled as Uint8Array);
  });

  it.each(['white, wide', 'tall, in a corner'])(
    'has its size and ground, from a logo that is %s',
    async (name) => {
      for (const only of ['android', 'apple'] as const) {
        const dir = temporaryFolder();
        const { results } = await make(dir, inputs(LOGOS[name] as Uint8Array), { only });
        await check(dir, results, LOGOS[name] as Uint8Array);
      }
    },
  );

  it('keeps what is drawn inside its safe circle, with nothing but the ground outside', async () => {
    for (const name of ['white, wide', 'tall, in a corner']) {
      const dir = temporaryFolder();
      const { results } = await make(dir, inputs(LOGOS[name] as Uint8Array));
      for (const { row, file } of results.filter(
        ({ row: { safe, purpose } }) => safe < 1 && purpose !== 'round',
      )) {
        const image = await pixels(readFileSync(join(dir, file)));
        const [r, g, b, a] = image.at(0, 0);
        const isDrawn = (pixel: readonly [number, number, number, number]) =>
          Math.abs(pixel[3] - a) > 12 ||
          (pixel[3] > 0 &&
            Math.max(Math.abs(pixel[0] - r), Math.abs(pixel[1] - g), Math.abs(pixel[2] - b)) > 12);
        const part = reach(image, isDrawn);
        expect(part, `${name}: ${file}`).toBeLessThanOrEqual(row.safe + 2 / row.width);
        expect(part, `${name}: ${file}`).toBeGreaterThan(row.safe * 0.6);
      }
    }
  });

  it('is asked for by a document, at a path of its own', () => {
    const plan = artPlan();
    expect(new Set(plan.map(({ target, path }) => `${target}/${path}`)).size).toBe(plan.length);
    for (const { asks } of plan) expect(asks.length).toBeGreaterThan(10);
    const startup = plan.filter(({ purpose }) => purpose === 'startup');
    for (const { device, orientation, width, height } of startup) {
      const [short, long] = [
        (device?.width ?? 0) * (device?.ratio ?? 0),
        (device?.height ?? 0) * (device?.ratio ?? 0),
      ];
      expect([width, height]).toEqual(orientation === 'portrait' ? [short, long] : [long, short]);
    }
  });
});

describe('what a picture cannot show', () => {
  const notesOf = async (logo: Uint8Array, more: Partial<ArtInputs> = {}) =>
    (await make(temporaryFolder(), inputs(logo, more))).notes.join('\n');
  const disc = svg(
    '<circle cx="50" cy="50" r="50" fill="#0b4f6c"/><path d="M20 60h60l-10 15H30z" fill="#fff"/>',
  );

  it('is a drawing inside a plain shape, in one colour', async () => {
    expect(await notesOf(disc)).toMatch(/one-colour icon is lost: its drawing is inside a plain shape/);
    const own = { bytes: svg('<path d="M20 60h60l-10 15H30z"/>'), location: { file: 'mark.svg' } };
    expect(await notesOf(disc, { others: { monochrome: own } })).not.toMatch(/one-colour/);
    for (const logo of Object.values(LOGOS)) expect(await notesOf(logo)).not.toMatch(/one-colour/);
    const blank = svg('<path d="M-9-9h120v120H-9z" fill="#0b4f6c"/>');
    expect(await notesOf(blank)).toMatch(/one-colour icon is lost: nothing stands out/);
  });

  it('is a white picture on the white start of the app', async () => {
    const start = { light: { r: 255, g: 255, b: 255, a: 255 }, dark: undefined };
    const white = { bytes: LOGOS['white, wide'] as Uint8Array, location: { file: 'splash.svg' } };
    expect(await notesOf(disc, { others: { splash: white }, start })).toMatch(
      /cannot be seen on #ffffff while the app starts/,
    );
    expect(await notesOf(disc, { start })).not.toMatch(/while the app starts/);
    expect(await notesOf(disc, { start: { ...start, dark: { r: 11, g: 79, b: 100, a: 255 } } })).toMatch(
      /cannot be seen on #0b4f64 while the app starts/,
    );
  });
});

describe('grounds', () => {
  it('on which the logo would vanish are changed, and the contrast is told', async () => {
    const dir = temporaryFolder();
    const { notes } = await make(dir, inputs(LOGOS['white, wide'] as Uint8Array));
    expect(notes.join()).toMatch(
      /cannot be seen on #f4f1ea \(contrast 1\.1\d to 1\): #\w+ is used behind it instead \(\d+\.\d to 1\)/,
    );
    const store = await pixels(readFileSync(join(dir, 'android/store/icon-512.png')));
    expect(store.at(0, 0)[0]).toBeLessThan(60);
  });

  it('may be gradients and pictures', async () => {
    const gradient = parseBackground(
      'linear-gradient(#0e6285, rgb(11, 79, 108))',
      {},
      () => new Uint8Array(),
    );
    const dir = temporaryFolder();
    await make(dir, inputs(LOGOS['tall, in a corner'] as Uint8Array, { background: gradient }));
    const image = await pixels(readFileSync(join(dir, 'android/store/icon-512.png')));
    expect(image.at(5, 0)).toEqual([14, 98, 133, 255]);
    expect(image.at(5, 511)).toEqual([11, 79, 108, 255]);
    const red = await sharp({ create: { width: 50, height: 9, channels: 3, background: '#c00' } })
      .png()
      .toBuffer();
    await make(
      dir,
      inputs(LOGOS['tall, in a corner'] as Uint8Array, { background: { is: 'picture', bytes: red } }),
    );
    expect((await pixels(readFileSync(join(dir, 'android/store/icon-512.png')))).at(5, 5)).toEqual([
      204, 0, 0, 255,
    ]);
    for (const text of ['nonsense', '#0008', 'linear-gradient(#000, nonsense)']) {
      await refused('config.bad-value', () => parseBackground(text, {}, () => new Uint8Array()));
    }
  });
});

describe('pictures that others made', () => {
  it('are kept: edited ones, and those in the way', async () => {
    const dir = temporaryFolder();
    const from = inputs(LOGOS.filled as Uint8Array);
    mkdirSync(join(dir, 'android/store'), { recursive: true });
    writeFileSync(join(dir, 'android/store/icon-512.png'), 'mine');
    const first = await make(dir, from);
    const stateOf = (report: ArtReport, path: string) =>
      report.results.find(({ row }) => row.path === path)?.state;
    expect(stateOf(first, 'store/icon-512.png')).toBe('in-the-way');
    expect(stateOf(first, 'store/feature-1024x500.png')).toBe('made');
    writeFileSync(join(dir, 'android/store/feature-1024x500.png'), 'touched up');
    const second = await make(dir, inputs(LOGOS['white, wide'] as Uint8Array));
    expect(stateOf(second, 'store/feature-1024x500.png')).toBe('edited');
    expect(readFileSync(join(dir, 'android/store/icon-512.png'), 'utf8')).toBe('mine');
    expect(readFileSync(join(dir, 'android/store/feature-1024x500.png'), 'utf8')).toBe('touched up');
    expect(stateOf(second, 'res/mipmap-mdpi/icon.webp')).toBe('made');
  });

  it('and those up to date, are not written again', async () => {
    const from = inputs(LOGOS.filled as Uint8Array);
    const file = join(whole, 'android/res/mipmap-mdpi/icon.webp');
    const { mtimeMs } = statSync(file);
    const again = await makeAll(whole, from);
    expect(new Set(again.results.map(({ state }) => state))).toEqual(new Set(['unchanged']));
    expect(statSync(file).mtimeMs).toBe(mtimeMs);
    rmSync(file);
    const checked = await makeAll(whole, from, 'check');
    const off = checked.results.filter(({ state }) => state !== 'unchanged');
    expect(off.map(({ row, state }) => [row.path, state])).toEqual([
      ['res/mipmap-mdpi/icon.webp', 'missing'],
    ]);
    expect(existsSync(file)).toBe(false);
    const dir = temporaryFolder();
    await make(dir, from);
    const stale = await make(dir, inputs(LOGOS['white, wide'] as Uint8Array), {
      plan: artPlan(),
      mode: 'check',
    });
    expect(stale.results.some(({ state }) => state === 'stale')).toBe(true);
  });

  it('are not made from themselves', async () => {
    const dir = temporaryFolder();
    const from = {
      ...inputs(LOGOS.filled as Uint8Array),
      logo: picture(LOGOS.filled as Uint8Array, join(dir, 'android/store/icon-512.png')),
    };
    await refused('art.source-is-output', () => make(dir, from));
  });
});

describe('what a picture is judged by', () => {
  const notesOf = async (bytes: Uint8Array) => (await readLogo(picture(bytes))).notes.join('\n');

  it('scripts, what lies outside, entities and fonts', async () => {
    const symbol = '<rect x="20" y="20" width="60" height="60"/>';
    const scripted = await readLogo(picture(svg(`<script>alert(1)</script>${symbol}`)));
    expect([scripted.notes.join(), scripted.isSelfContained]).toEqual([
      expect.stringContaining('script'),
      false,
    ]);
    expect(await notesOf(svg(`<image href="https://pier-cam.saltmarsh.example/a.png"/>${symbol}`))).toContain(
      'never fetched',
    );
    expect(await notesOf(svg(`${symbol}<text x="30" y="50">Ferry</text>`))).toContain(
      'fonts of this machine',
    );
    const entity = new TextEncoder().encode(
      `<!DOCTYPE svg [<!ENTITY a "x">]><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect width="5" height="5"/></svg>`,
    );
    expect(await notesOf(entity)).toContain('entities');
    expect(await notesOf(svg(symbol))).toBe('');
  });

  it('its shape and its lines', async () => {
    expect(await notesOf(svg('<rect x="0" y="45" width="100" height="12"/>'))).toContain('far from square');
    expect(
      await notesOf(svg('<circle cx="50" cy="50" r="45" fill="none" stroke="#000" stroke-width="1"/>')),
    ).toContain('too fine');
  });

  it('its pixels', async () => {
    const of = (width: number, height: number) =>
      sharp({ create: { width, height, channels: 4, background: { r: 200, g: 40, b: 40, alpha: 1 } } });
    expect(await notesOf(await of(400, 400).png().toBuffer())).toContain('400×400');
    expect(await notesOf(await of(1200, 1200).toColourspace('cmyk').jpeg().toBuffer())).toContain('CMYK');
    expect(await notesOf(await of(1100, 1100).toColourspace('rgb16').png().toBuffer())).toBe('');
    await refused('art.icon-too-small', async () => readLogo(picture(await of(1, 1).png().toBuffer())));
    await refused('art.icon-unreadable', () => readLogo(picture(new TextEncoder().encode('no picture'))));
    await refused('art.icon-too-large', async () => readLogo(picture(await of(9000, 9000).png().toBuffer())));
  });
});

describe('icon files', () => {
  it('hold a PNG of each size, which another reader opens', async () => {
    const pictures = readIco(readFileSync(join(whole, 'web/favicon.ico')));
    expect(pictures.map(({ side }) => side)).toEqual([16, 32, 48]);
    for (const { side, png } of pictures) expect((await pixels(png)).width).toBe(side);
  });

  it('give back what was written, and hold against damage', async () => {
    const png = (await sharp({ create: { width: 4, height: 4, channels: 4, background: 'red' } })
      .png()
      .toBuffer()) as Uint8Array;
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 256 }), { maxLength: 6 }), (sides) => {
        const pictures = sides.map((side) => ({ side, png: new Uint8Array(png) }));
        expect(readIco(writeIco(pictures))).toEqual(pictures);
      }),
    );
    await fc.assert(
      fc.asyncProperty(
        mutations(writeIco([{ side: 4, png }])),
        async (bad) => void (await holdsAgainst(() => readIco(bad))),
      ),
      { numRuns: 200 },
    );
  });
});
