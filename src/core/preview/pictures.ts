import type { IconSet } from '../art/draw.js';
import { cachedRow } from '../art/icon-set.js';
import { type ArtRow, type ArtTarget, artPlan, BUNDLE_FOLDER } from '../art/plan.js';
import type { Rgba } from '../project/color.js';
import { ANDROID_MASKS, APPLE_MASK, type Mask, maskSvg } from './masks.js';

/** The made images that the preview shows, as data addresses. */
export interface PreviewPictures {
  /** Layers of Android's adaptive icon, 108 dp. */
  readonly foreground: string;
  readonly monochrome: string;
  readonly splash: string;
  /** The logo at the start of the Apple app, 160 pt. */
  readonly launch: string;
  readonly appleIcon: string;
  readonly appleDark: string;
  readonly appleTinted: string;
  readonly storeIcon: string;
  readonly feature: string;
}

/** How much of what is drawn a mask cuts off, 0 to 1. */
export interface MaskLoss {
  readonly icon: 'android' | 'apple';
  readonly mask: string;
  readonly share: number;
}

const planned = (target: ArtTarget, path: string): ArtRow => {
  const row = artPlan().find((one) => one.target === target && one.path === path);
  if (!row) throw new Error(`the plan has no ${path}`);
  return row;
};

const FOREGROUND = 'res/mipmap-xxxhdpi/icon_foreground.webp';

/**
 * A picture as a data address, no larger than a square of `side` px. Rejects where it is not an image.
 *
 * @param quality of WebP, 0 to 100
 */
export async function webpAddress(bytes: Uint8Array, side: number, quality: number): Promise<string> {
  const { default: sharp } = await import('sharp');
  const small = await sharp(bytes, { limitInputPixels: 64_000_000 })
    .resize(side, side, { fit: 'inside', withoutEnlargement: true })
    .webp({ quality })
    .toBuffer();
  return `data:image/webp;base64,${small.toString('base64')}`;
}

/** Draws, or takes from the cache, what the preview shows. Throws `art.*`. */
export async function previewPictures(kit: IconSet, cacheDir: string | undefined): Promise<PreviewPictures> {
  const embed = async (target: ArtTarget, path: string, side: number): Promise<string> =>
    webpAddress(await cachedRow(planned(target, path), kit, cacheDir), side, 90);
  const [foreground, monochrome, splash, launch, appleIcon, appleDark, appleTinted, storeIcon, feature] =
    await Promise.all([
      embed('android', FOREGROUND, 324),
      embed('android', 'res/mipmap-xxxhdpi/icon_monochrome.webp', 324),
      embed('android', 'res/drawable-xxhdpi/splash_icon.webp', 480),
      embed('apple', `${BUNDLE_FOLDER}Launch@3x.png`, 320),
      embed('apple', 'icon-1024.png', 240),
      embed('apple', 'icon-1024-dark.png', 240),
      embed('apple', 'icon-1024-tinted.png', 240),
      embed('android', 'store/icon-512.png', 192),
      embed('android', 'store/feature-1024x500.png', 720),
    ]);
  return { foreground, monochrome, splash, launch, appleIcon, appleDark, appleTinted, storeIcon, feature };
}

/** Side in px that losses are measured on. */
const SIDE = 216;
/** Launchers show the middle 72 dp of a layer of 108. */
const SHOWN = 72 / 108;
/** Difference from the ground's colour, of 255, from which on a pixel counts as drawn. */
const DRAWN = 32;

/** How much a picture shows beside its ground: of what is see-through its alpha, else the distance from the ground. */
async function inkOf(bytes: Uint8Array, side: number, ground: Rgba | undefined): Promise<Buffer> {
  const { default: sharp } = await import('sharp');
  const data = await sharp(bytes).resize(side, side).ensureAlpha().raw().toBuffer();
  const ink = Buffer.alloc(side * side);
  for (let i = 0; i < ink.length; i += 1) {
    const at = i * 4;
    const far = ground
      ? Math.max(
          Math.abs((data[at] as number) - ground.r),
          Math.abs((data[at + 1] as number) - ground.g),
          Math.abs((data[at + 2] as number) - ground.b),
        )
      : 255;
    ink[i] = far < DRAWN ? 0 : (data[at + 3] as number);
  }
  return ink;
}

/** Share of the ink that is not seen through a mask laid on the middle of a picture. */
async function lossOf(ink: Buffer, side: number, mask: Mask, shown: number): Promise<number> {
  const { default: sharp } = await import('sharp');
  const inner = Math.round(side * shown);
  const edge = Math.floor((side - inner) / 2);
  const seen = await sharp(Buffer.from(maskSvg(mask, inner)))
    .extend({
      top: edge,
      left: edge,
      bottom: side - inner - edge,
      right: side - inner - edge,
      background: '#0000',
    })
    .extractChannel('alpha')
    .raw()
    .toBuffer();
  let [all, lost] = [0, 0];
  for (let i = 0; i < ink.length; i += 1) {
    all += ink[i] as number;
    lost += ((ink[i] as number) * (255 - (seen[i] as number))) / 255;
  }
  return all === 0 ? 0 : lost / all;
}

/** What each mask cuts off the icon. A mask whose loss nobody sees (under half a percent) loses nothing. */
export async function maskLosses(kit: IconSet, cacheDir: string | undefined): Promise<MaskLoss[]> {
  const { logos } = kit;
  const drawn = async (row: ArtRow, fills: boolean, edge: Rgba) =>
    inkOf(await cachedRow(row, kit, cacheDir), SIDE, fills ? edge : undefined);
  const front = logos.foreground.area;
  const android = await drawn(planned('android', FOREGROUND), front.fills, front.edge);
  const losses: MaskLoss[] = [];
  for (const mask of ANDROID_MASKS)
    losses.push({ icon: 'android', mask: mask.name, share: await lossOf(android, SIDE, mask, SHOWN) });
  const { area } = logos.logo;
  if (area.fills) {
    const apple = await drawn(planned('apple', 'icon-1024.png'), true, area.edge);
    losses.push({ icon: 'apple', mask: APPLE_MASK.name, share: await lossOf(apple, SIDE, APPLE_MASK, 1) });
  }
  return losses.map((loss) => (loss.share < 0.005 ? { ...loss, share: 0 } : loss));
}
