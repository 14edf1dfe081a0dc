import type { OverlayOptions, Sharp } from 'sharp';
import { writeIco } from '../formats/ico/ico.js';
import { type Rgba, toHex } from '../project/color.js';
import { Kept } from '../util/kept.js';
import { halve } from './half.js';
import { asShape, type Logo, MASTER } from './logo.js';
import type { ArtRow, ArtSource } from './plan.js';
import { roundColors } from './round-colors.js';

/** A ground: one colour, a straight gradient, or a picture that covers it. */
export type BackgroundPaint =
  | { readonly is: 'color'; readonly color: Rgba }
  | { readonly is: 'gradient'; readonly from: Rgba; readonly to: Rgba }
  | { readonly is: 'picture'; readonly bytes: Uint8Array };

/** Everything that rows are drawn from. */
export interface IconSet {
  readonly logos: Readonly<Record<ArtSource, Logo>>;
  readonly background: { readonly light: BackgroundPaint; readonly dark: BackgroundPaint };
  /** Shares of the shorter side, 0 to 0.45, by purpose: space added around what is drawn. */
  readonly padding: Readonly<Record<string, number>>;
  /** Whether the logo vanishes on light screens, so that icons without a ground are given one. */
  readonly needsBackground: boolean;
  /** A mark over launcher icons. */
  readonly mark?: 'debug';
}

const CLEAR = { r: 0, g: 0, b: 0, alpha: 0 };
const BLACK: Rgba = { r: 0, g: 0, b: 0, a: 255 };
const WHITE: Rgba = { r: 255, g: 255, b: 255, a: 255 };
const ICO_SIDES = [16, 32, 48];
const ROUNDED = 0.22;
/** Icons that have no ground of their own, and what of the plate a logo takes where they are given one. */
const BARE = new Set(['any', 'legacy', 'favicon']);
const ON_PLATE = 0.78;
type SharpModule = typeof import('sharp').default;

async function backgroundOf(
  sharp: SharpModule,
  paint: BackgroundPaint,
  width: number,
  height: number,
): Promise<Sharp> {
  if (paint.is === 'color') {
    const { r, g, b } = paint.color;
    return sharp({ create: { width, height, channels: 4, background: { r, g, b, alpha: 1 } } });
  }
  if (paint.is === 'picture') {
    const cover = sharp(paint.bytes, { limitInputPixels: 64_000_000 })
      .resize(width, height, { fit: 'cover' })
      .flatten({ background: '#ffffff' })
      .toColourspace('srgb');
    return imageOf(sharp, await pixelsOf(cover));
  }
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><linearGradient id="g" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="${toHex(paint.from)}"/><stop offset="1" stop-color="${toHex(paint.to)}"/></linearGradient><rect width="100%" height="100%" fill="url(#g)"/></svg>`;
  return sharp(Buffer.from(svg)).ensureAlpha();
}

/** A picture on its way to another step: RGBA, rows from the top. */
interface Pixels {
  readonly data: Buffer;
  readonly width: number;
  readonly height: number;
}

const rawOf = ({ width, height }: Pixels) => ({ width, height, channels: 4 }) as const;
const imageOf = (sharp: SharpModule, pixels: Pixels): Sharp => sharp(pixels.data, { raw: rawOf(pixels) });
const overlayOf = (pixels: Pixels): OverlayOptions => ({ input: pixels.data, raw: rawOf(pixels) });

async function pixelsOf(image: Sharp): Promise<Pixels> {
  const { data, info } = await image.ensureAlpha().raw().toBuffer({ resolveWithObject: true });
  return { data, width: info.width, height: info.height };
}

/** An image is scaled from one that is at least so much larger: most of the time is in reading what it is scaled from. */
const LARGER = 1.75;
/** Halves of logos, and halves of these, by their sides in px. */
const halves = new Kept<Logo, number, Buffer>();

function halfOf(logo: Logo, side: number): Buffer {
  if (side === MASTER) return logo.data;
  return halves.get(logo, side, () => halve(halfOf(logo, side * 2), side * 2));
}

/** What an image is scaled from where the whole logo takes so many px in it. */
function masterFor(logo: Logo, px: number): Pixels {
  let side = MASTER;
  while (side / 2 >= px * LARGER) side /= 2;
  return { data: halfOf(logo, side), width: side, height: side };
}

/** Scaled logos and shapes of one kit: many rows differ in nothing but what is around them. */
const scaled = new Kept<Logo, string, Promise<Pixels>>();
const shapes = new Kept<Logo, 'black' | 'white', Logo>();

function fitted(sharp: SharpModule, logo: Logo, row: ArtRow, side: number, padding: number): Promise<Pixels> {
  const key = JSON.stringify([row.fit, row.purpose, side, padding]);
  return scaled.get(logo, key, () => fitLogo(sharp, logo, row, side, padding));
}

const shapeIn = (logo: Logo, ink: 'black' | 'white'): Logo =>
  shapes.get(logo, ink, () => asShape(logo, ink === 'black' ? BLACK : WHITE));

/** A logo scaled into a square of `side` px by its fit, and cut where a filled picture is to be cut. */
async function fitLogo(
  sharp: SharpModule,
  logo: Logo,
  { fit, purpose }: ArtRow,
  side: number,
  padding: number,
): Promise<Pixels> {
  const { area } = logo;
  const room = 1 - 2 * padding;
  if (area.fills) {
    // A picture that fills its square is taken whole; where no shape is cut it reaches the edges.
    const whole = fit.cut === 'none' && purpose !== 'foreground' && purpose !== 'monochrome';
    const part = whole
      ? 1
      : fit.by === 'circle' && fit.cut === 'none'
        ? fit.share / 0.8 / 0.91
        : fit.cut === 'circle'
          ? 1
          : fit.share;
    const px = Math.max(1, Math.round(side * Math.min(1, part) * room));
    const cut =
      purpose === 'round' || fit.cut === 'circle' ? px / 2 : fit.cut === 'rounded' ? px * ROUNDED : 0;
    const square = async (size: number) => pixelsOf(imageOf(sharp, masterFor(logo, size)).resize(size, size));
    if (purpose === 'splash') return splashCut(sharp, px, square);
    const scaled = await square(px);
    return cut === 0 ? scaled : cutTo(sharp, scaled, cut);
  }
  const box = { left: area.left, top: area.top, right: area.right + 1, bottom: area.bottom + 1 };
  const scale =
    (fit.by === 'circle'
      ? (fit.share * side) / 2 / area.radius
      : (fit.share * side) / Math.max(box.right - box.left, box.bottom - box.top)) * room;
  const master = masterFor(logo, MASTER * scale);
  // Whole pixels of what it is scaled from, with all that is drawn in them.
  const step = MASTER / master.width;
  const [left, top] = [Math.floor(box.left / step), Math.floor(box.top / step)];
  const [wide, high] = [Math.ceil(box.right / step) - left, Math.ceil(box.bottom / step) - top];
  // These may reach a little farther than what is drawn, and never out of the square.
  const [width, height] = [wide, high].map((px) =>
    Math.min(side, Math.max(1, Math.round(px * step * scale))),
  );
  return pixelsOf(
    imageOf(sharp, master)
      .extract({ left, top, width: wide, height: high })
      .resize(width, height, { fit: 'fill' }),
  );
}

/** A filled picture on a splash screen of `px`: in the circle that is shown. @param square the picture in a size */
async function splashCut(
  sharp: SharpModule,
  px: number,
  square: (size: number) => Promise<Pixels>,
): Promise<Pixels> {
  const shown = Math.round((px * 192) / 288);
  const round = await cutTo(sharp, await square(shown), shown / 2);
  const before = Math.floor((px - shown) / 2);
  const after = px - shown - before;
  return pixelsOf(
    imageOf(sharp, round).extend({
      top: before,
      left: before,
      bottom: after,
      right: after,
      background: CLEAR,
    }),
  );
}

function cutTo(sharp: SharpModule, square: Pixels, radius: number): Promise<Pixels> {
  const px = square.width;
  const mask = Buffer.from(
    `<svg xmlns="http://www.w3.org/2000/svg" width="${px}" height="${px}"><rect width="${px}" height="${px}" rx="${radius}"/></svg>`,
  );
  return pixelsOf(imageOf(sharp, square).composite([{ input: mask, blend: 'dest-in' }]));
}

/** The file's bytes; what is drawn on a ground has no alpha channel left. */
async function encode(sharp: SharpModule, image: Sharp, row: ArtRow): Promise<Uint8Array> {
  const isOpaque = row.background === 'opaque';
  if (row.format !== 'webp') {
    const whole = isOpaque ? image.removeAlpha() : image;
    return whole.png({ compressionLevel: 9, adaptiveFiltering: false }).toBuffer();
  }
  // Shapes are drawn by their alpha alone, and stay as they are.
  if (row.background === 'shape') return image.webp({ lossless: true, effort: 4 }).toBuffer();
  const pixels = await pixelsOf(image);
  const rounded = sharp(roundColors(pixels.data, pixels.width), { raw: rawOf(pixels) });
  return (isOpaque ? rounded.removeAlpha() : rounded).webp({ lossless: true, effort: 2 }).toBuffer();
}

/** Launcher icons that are marked, and the share of their side that the mark's square has: what every mask shows. */
const MARKED: Readonly<Record<string, number>> = { legacy: 0.84, round: 0.62, foreground: 0.4 };

/** A striped band across the lower part of an icon. */
function debugBand(side: number, share: number): Buffer {
  const width = Math.round(side * share);
  const height = Math.max(3, Math.round(width * 0.2));
  const left = (side - width) / 2;
  const top = side / 2 + width / 2 - height;
  const step = height;
  const stripes = Array.from({ length: Math.ceil(width / step) + 2 }, (_, index) => {
    const x = left + index * step - step;
    return index % 2 === 0
      ? `<path d="M${x} ${top + height}l${height}-${height}h${step}l-${height} ${height}z" fill="#14181b"/>`
      : '';
  });
  return Buffer.from(
    `<svg xmlns="http://www.w3.org/2000/svg" width="${side}" height="${side}"><clipPath id="c"><rect x="${left}" y="${top}" width="${width}" height="${height}"/></clipPath><g clip-path="url(#c)"><rect width="${side}" height="${side}" fill="#ffd23f"/>${stripes.join('')}</g></svg>`,
  );
}

/** Draws one image. Deterministic: the same kit and row give the same bytes with the same version of sharp. */
export async function drawRow(row: ArtRow, icons: IconSet): Promise<Uint8Array> {
  const share = icons.mark === undefined ? undefined : MARKED[row.purpose];
  if (share === undefined) return drawUnmarked(row, icons);
  const { default: sharp } = await import('sharp');
  const plain = await drawUnmarked(row, icons);
  return encode(sharp, sharp(plain).composite([{ input: debugBand(row.width, share) }]), row);
}

async function drawUnmarked(row: ArtRow, icons: IconSet): Promise<Uint8Array> {
  const { default: sharp } = await import('sharp');
  const given = icons.logos[row.source];
  if (row.format === 'svg') return given.bytes;
  const padding = Math.min(0.45, Math.max(0, icons.padding[row.purpose] ?? 0));
  if (row.format === 'ico') {
    const pictures = await Promise.all(
      ICO_SIDES.map(async (side) => ({
        side,
        png: await drawRow({ ...row, width: side, height: side, format: 'png' }, icons),
      })),
    );
    return writeIco(pictures);
  }
  const isShape = row.background === 'shape' || row.ink !== undefined;
  const logo = isShape ? shapeIn(given, row.ink ?? 'white') : given;
  const { width, height } = row;
  const side = Math.min(width, height);
  if (icons.needsBackground && BARE.has(row.purpose) && !logo.area.fills) {
    const square = await pixelsOf(await backgroundOf(sharp, icons.background.light, side, side));
    const plate = await cutTo(sharp, square, side * ROUNDED);
    const small = { ...row, fit: { ...row.fit, share: row.fit.share * ON_PLATE } };
    const drawn = await fitted(sharp, logo, small, side, padding);
    const at = { left: Math.round((side - drawn.width) / 2), top: Math.round((side - drawn.height) / 2) };
    return encode(sharp, imageOf(sharp, plate).composite([{ ...overlayOf(drawn), ...at }]), row);
  }
  const drawn = await fitted(sharp, logo, row, side, padding);
  const { width: w, height: h } = drawn;
  const [left, top] = [Math.round((width - w) / 2), Math.round((height - h) / 2)];
  const overlay: OverlayOptions = { ...overlayOf(drawn), left, top };
  const around = { left, top, right: width - left - w, bottom: height - top - h };
  const paint =
    row.purpose === 'tinted' ? ({ is: 'color', color: BLACK } as const) : icons.background[row.scheme];
  if (row.purpose === 'round' && !logo.area.fills) {
    const disc = await pixelsOf(await backgroundOf(sharp, paint, side, side));
    const background = await cutTo(sharp, disc, side * 0.46 + side * 0.04);
    return encode(sharp, imageOf(sharp, background).composite([overlay]), row);
  }
  // Laying one picture on another takes longer than all the rest; a single colour can be put around it instead.
  if (row.background !== 'opaque')
    return encode(sharp, imageOf(sharp, drawn).extend({ ...around, background: CLEAR }), row);
  const behind: BackgroundPaint =
    logo.area.fills && row.purpose !== 'tinted' && w < side
      ? { is: 'color', color: edgeGround(row, logo, paint) }
      : paint;
  if (behind.is === 'color') {
    const background = toHex(behind.color);
    return encode(
      sharp,
      imageOf(sharp, drawn)
        .flatten({ background })
        .extend({ ...around, background }),
      row,
    );
  }
  const base = await backgroundOf(sharp, behind, width, height);
  return encode(sharp, base.composite([overlay]), row);
}

/** Around a filled picture that is drawn smaller: its own edge's colour in icons, the ground in wide images. */
function edgeGround(row: ArtRow, logo: Logo, paint: BackgroundPaint): Rgba {
  if (row.fit.cut !== 'none' && paint.is === 'color') return paint.color;
  return logo.area.edge;
}
