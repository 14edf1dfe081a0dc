import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { drawPlan } from '../../../src/core/art/make.js';
import { artPlan } from '../../../src/core/art/plan.js';
import { hull, ROOT, run } from '../../support/hull.js';
import { temporaryFolder } from '../../support/temporary.js';

/** Drawings that others made, from an openly licensed icon package: wide, tall, hairline, off centre, white on nothing. */

const ICONS = join(ROOT, 'node_modules/lucide-static/icons');
const NAMES = [
  'minus',
  'ellipsis',
  'ellipsis-vertical',
  'dot',
  'slash',
  'signature',
  'sailboat',
  'anchor',
  'waves',
  'arrow-up-down',
  'feather',
  'map-pinned',
];
const WAYS = {
  'black, hairline': (text: string) => text.replace('stroke-width="2"', 'stroke-width="0.5"'),
  white: (text: string) => text.replace('stroke="currentColor"', 'stroke="#fff"'),
} as const;

/** Of all images these are looked at; drawing the others would take five times as long. */
const LOOKED_AT = [
  'res/mipmap-xxxhdpi/icon.webp',
  'res/mipmap-xxxhdpi/icon_round.webp',
  'res/mipmap-xxxhdpi/icon_foreground.webp',
  'res/mipmap-xxxhdpi/icon_monochrome.webp',
  'res/drawable-xxxhdpi/splash_icon.webp',
  'res/drawable-xxxhdpi/notification.png',
  'store/icon-512.png',
  'store/feature-1024x500.png',
];
const SAND = { r: 244, g: 241, b: 234, a: 255 };

async function icons(dir: string, drawing: string) {
  const report = await drawPlan({
    dir,
    folders: { web: join(dir, 'web'), android: join(dir, 'android'), apple: join(dir, 'apple') },
    inputs: {
      logo: { bytes: new TextEncoder().encode(drawing), location: { file: 'logo.svg' } },
      others: {},
      background: { is: 'color', color: SAND },
      darkGround: { r: 16, g: 20, b: 24, a: 255 },
      themeColor: { r: 11, g: 79, b: 108, a: 255 },
      padding: {},
    },
    only: 'android',
    plan: artPlan().filter(({ path }) => LOOKED_AT.includes(path)),
    mode: 'write',
  });
  const read = (path: string) => readFileSync(join(dir, 'android', path));
  return { report, read };
}

describe('logos that are awkward', () => {
  it.each(Object.keys(WAYS) as (keyof typeof WAYS)[])(
    'are centred, seen, and inside every mask: %s',
    async (way) => {
      const sheet: Buffer[] = [];
      for (const name of NAMES) {
        const text = WAYS[way](readFileSync(join(ICONS, `${name}.svg`), 'utf8'));
        const { read, report } = await icons(temporaryFolder(), text);
        const front = sharp(read('res/mipmap-xxxhdpi/icon_foreground.webp'));
        const { data, info } = await front.ensureAlpha().raw().toBuffer({ resolveWithObject: true });
        let [left, right, top, bottom, far] = [info.width, -1, info.height, -1, 0];
        for (let y = 0; y < info.height; y += 1) {
          for (let x = 0; x < info.width; x += 1) {
            if ((data[(y * info.width + x) * 4 + 3] as number) < 24) continue;
            [left, right] = [Math.min(left, x), Math.max(right, x)];
            [top, bottom] = [Math.min(top, y), Math.max(bottom, y)];
            far = Math.max(far, Math.hypot(x + 0.5 - info.width / 2, y + 0.5 - info.height / 2));
          }
        }
        expect(Math.abs((left + right + 1) / 2 - info.width / 2), `${name}: centre`).toBeLessThanOrEqual(1.5);
        expect(Math.abs((top + bottom + 1) / 2 - info.height / 2), `${name}: centre`).toBeLessThanOrEqual(
          1.5,
        );
        expect(far, `${name}: safe circle`).toBeLessThanOrEqual(((66 / 108) * info.width) / 2 + 1);
        expect(far, `${name}: too small`).toBeGreaterThan((((66 / 108) * info.width) / 2) * 0.8);
        // On the ground that was chosen it can be seen: the store icon has two colours that stand apart.
        const store = await sharp(read('store/icon-512.png')).greyscale().stats();
        const { min, max } = store.channels[0] as { min: number; max: number };
        expect(max - min, `${name}: contrast`).toBeGreaterThan(120);
        if (way === 'white')
          expect(report.notes.join('\n'), name).toContain('The logo cannot be seen on #f4f1ea');
        sheet.push(await sharp(read('store/icon-512.png')).resize(128).png().toBuffer());
        sheet.push(await sharp(read('res/mipmap-xxxhdpi/icon_round.webp')).resize(128).png().toBuffer());
      }
      const into = process.env.HULL_LOOK;
      if (into === undefined) return;
      // Where somebody wants to look at them.
      await sharp({ create: { width: 128 * 12, height: 128 * 2, channels: 4, background: '#c9d6da' } })
        .composite(
          sheet.map((input, index) => ({ input, left: Math.floor(index / 2) * 128, top: (index % 2) * 128 })),
        )
        .png()
        .toFile(join(into, `${way.replace(/\W+/g, '-')}.png`));
    },
  );

  it('that are hairlines are told to fade', async () => {
    const text = readFileSync(join(ICONS, 'waves.svg'), 'utf8').replace(
      'stroke-width="2"',
      'stroke-width="0.25"',
    );
    const { report } = await icons(temporaryFolder(), text);
    expect(report.notes.join('\n')).toContain('too fine for the smallest icons');
  });
});

describe('golden pictures', () => {
  it('are drawn as they were, to within what no eye sees', async () => {
    const dir = temporaryFolder();
    const logo = readFileSync(join(ROOT, 'demo/site/icons/icon.svg'), 'utf8');
    const white = WAYS.white(readFileSync(join(ICONS, 'sailboat.svg'), 'utf8'));
    const tiles: Buffer[] = [];
    for (const drawing of [logo, white]) {
      const { read } = await icons(dir, drawing);
      for (const path of LOOKED_AT) {
        tiles.push(
          await sharp(read(path)).resize(96, 96, { fit: 'contain', background: '#0000' }).png().toBuffer(),
        );
      }
      for (const name of ['icon.webp'])
        expect(existsSync(join(dir, 'android/res/mipmap-xxxhdpi', name))).toBe(true);
    }
    const sheet = await sharp({
      create: { width: 96 * 8, height: 96 * 2, channels: 3, background: '#7a8a90' },
    })
      .composite(
        tiles.map((input, index) => ({ input, left: (index % 8) * 96, top: Math.floor(index / 8) * 96 })),
      )
      .png({ palette: false, compressionLevel: 9 })
      .toBuffer();
    const golden = join(ROOT, 'test/fixtures/art-sheet.png');
    if (process.env.HULL_UPDATE_GOLDEN === '1') writeFileSync(golden, sheet);
    const [now, then] = await Promise.all(
      [sheet, readFileSync(golden)].map((bytes) => sharp(bytes).removeAlpha().raw().toBuffer()),
    );
    if (!now || !then) throw new Error('no pixels');
    expect(now.length).toBe(then.length);
    let [sum, worst] = [0, 0];
    for (let i = 0; i < now.length; i += 1) {
      const off = Math.abs((now[i] as number) - (then[i] as number));
      sum += off;
      worst = Math.max(worst, off);
    }
    expect(sum / now.length).toBeLessThan(0.5);
    expect(worst).toBeLessThan(48);
  });
});

describe('a disk that fills up', () => {
  it('leaves whole pictures only, and the next run makes the rest', async () => {
    const dir = temporaryFolder();
    writeFileSync(
      join(dir, 'hull.json'),
      JSON.stringify({
        app: { id: 'example.saltmarsh.ferry', name: 'Ferry', version: '1.0.0', build: 1 },
        web: { url: 'https://ferry.saltmarsh.example/' },
        look: { icon: 'logo.svg' },
      }),
    );
    writeFileSync(join(dir, 'logo.svg'), readFileSync(join(ROOT, 'demo/site/icons/icon.svg')));
    const HULL = join(ROOT, 'dist/cli/hull.cjs');
    // No file may become longer than 6 KB: the same to a program as a disk with no room left.
    const stopped = await run('sh', ['-c', `ulimit -f 12; exec node '${HULL}' art --only android`], {
      cwd: dir,
    });
    expect([stopped.code, stopped.err]).toEqual([3, expect.stringContaining('disk.full')]);
    const found = await run('sh', ['-c', 'find art -type f'], { cwd: dir });
    const files = found.out.trim().split('\n').filter(Boolean);
    expect(files.length).toBeGreaterThan(0);
    for (const file of files) {
      expect(file).not.toMatch(/\.part$/);
      await expect(sharp(join(dir, file)).raw().toBuffer(), file).resolves.toBeInstanceOf(Buffer);
    }
    const again = await hull(['art', '--only', 'android'], { cwd: dir });
    expect([again.code, again.err]).toEqual([0, '']);
    expect((await hull(['art', '--only', 'android', '--check'], { cwd: dir })).code).toBe(0);
  });
});
