import type { Metadata } from 'sharp';
import { HullError, type Location } from '../errors.js';
import { contrast, type Rgba } from '../project/color.js';
import { Kept } from '../util/kept.js';

/** Side in px of the square that all sizes are drawn from. */
export const MASTER = 1024;
/** Smallest side in px of a pixel picture: that of the largest launcher icon. */
const MIN_SIDE = 192;
const MAX_PIXELS = 64_000_000;
const MAX_BYTES = 32 * 1024 * 1024;
/** Side of the largest image that is drawn from a pixel picture. */
const WANTED_SIDE = 1024;

export interface PictureSource {
  readonly bytes: Uint8Array;
  readonly location: Location;
}

/** What is drawn in a picture, in master px. */
export interface DrawnArea {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
  /** Centre of the drawn box, and the radius of the circle around it that holds all of it. */
  readonly x: number;
  readonly y: number;
  readonly radius: number;
  /** Whether the picture fills its square to the edges, as a maskable one does. */
  readonly fills: boolean;
  /** Mean colour along the edges, where it fills. */
  readonly edge: Rgba;
  /** Mean colour of what is drawn. */
  readonly mean: Rgba;
}

/** A picture, decoded once: RGBA of {@link MASTER} px square, see-through where it is not square. */
export interface Logo {
  readonly data: Buffer;
  readonly area: DrawnArea;
  readonly isDrawing: boolean;
  readonly bytes: Uint8Array;
  readonly location: Location;
  /** What users should know of the picture. */
  readonly notes: readonly string[];
  /** Whether a drawing may be served as it is: it holds no scripts and asks for nothing. */
  readonly isSelfContained: boolean;
}

type SharpModule = typeof import('sharp').default;

function unreadable(source: PictureSource, why: string, cause?: unknown): HullError {
  return new HullError('art.icon-unreadable', `This is not a picture that can be read: ${why}.`, {
    location: source.location,
    fix: 'Give an SVG, or a square PNG of at least 512 px.',
    cause,
  });
}

/** What a drawing (SVG) holds that is not drawn, or not drawn the same everywhere. */
function judgeDrawing(text: string): { readonly notes: string[]; readonly isSelfContained: boolean } {
  const notes: string[] = [];
  const script = /<script\b|\son\w+\s*=|javascript:/i.test(text);
  if (script)
    notes.push('The drawing holds a script; it is not run, and the drawing is not used as favicon.svg.');
  const outside =
    /(?:href|src)\s*=\s*["'](?!#|data:)([^"']+)/i.exec(text) ??
    /url\(\s*["']?(?!#|data:)([^)"']+)/i.exec(text);
  if (outside)
    notes.push(
      `The drawing asks for ${outside[1]?.slice(0, 80)}; it is never fetched, and that part is missing.`,
    );
  if (/<!ENTITY/i.test(text)) notes.push('The drawing declares entities; write out what they stand for.');
  if (/<text\b/i.test(text))
    notes.push('The drawing holds text: it is drawn with the fonts of this machine. Turn it into paths.');
  return { notes, isSelfContained: !script && !outside && !/<!ENTITY|<foreignObject/i.test(text) };
}

function judgePixels(facts: Pick<Metadata, 'width' | 'height' | 'space' | 'pages'>): string[] {
  const { width = 0, height = 0 } = facts;
  const notes: string[] = [];
  const side = Math.max(width, height);
  if (side < WANTED_SIDE)
    notes.push(
      `The picture is ${width}×${height} px; images of up to ${WANTED_SIDE} px are made from it, and are blurred.`,
    );
  if ((facts.pages ?? 1) > 1) notes.push('The picture moves; its first frame is taken.');
  if (facts.space === 'cmyk')
    notes.push('The picture has printing colours (CMYK); on screens they look different.');
  return notes;
}

/** Decodes a picture and measures what is drawn in it. Throws `art.icon-*`. */
export async function readLogo(source: PictureSource): Promise<Logo> {
  const { default: sharp } = await import('sharp');
  if (source.bytes.length > MAX_BYTES) {
    throw new HullError('art.icon-too-large', 'The file is larger than 32 MiB.', {
      location: source.location,
      fix: 'Scale the picture down to 1024 px.',
    });
  }
  try {
    const options = { limitInputPixels: MAX_PIXELS, failOn: 'error' as const };
    const facts = await sharp(source.bytes, options).metadata();
    const { width = 0, height = 0 } = facts;
    const side = Math.max(width, height);
    if (side === 0) throw unreadable(source, 'it has no size');
    const isDrawing = facts.format === 'svg';
    if (!isDrawing && side < MIN_SIDE) {
      throw new HullError(
        'art.icon-too-small',
        `The picture is ${width}×${height} px; it would be blurred.`,
        {
          location: source.location,
          fix: `Give an SVG, or a PNG of at least ${MIN_SIDE} px, better 1024.`,
        },
      );
    }
    const data = await drawMaster(sharp, source, isDrawing, facts.density, side);
    const judged = isDrawing
      ? judgeDrawing(Buffer.from(source.bytes).toString('utf8'))
      : { notes: judgePixels(facts), isSelfContained: false };
    const area = measure(data, source);
    const notes = [...judged.notes];
    const ratio = (area.right - area.left + 1) / (area.bottom - area.top + 1);
    if (ratio > 1.6 || ratio < 1 / 1.6)
      notes.push(
        'What is drawn is far from square: in round icons it is small. A symbol without the name suits better.',
      );
    if (!area.fills && (await isFine(sharp, data, area)))
      notes.push('The lines are too fine for the smallest icons (24 to 48 px): they fade.');
    return {
      data,
      area,
      isDrawing,
      bytes: source.bytes,
      location: source.location,
      notes,
      isSelfContained: judged.isSelfContained,
    };
  } catch (error) {
    if (error instanceof HullError) throw error;
    const why = error instanceof Error ? error.message : String(error);
    if (/pixel limit|dimensions/i.test(why)) {
      throw new HullError('art.icon-too-large', 'The picture has more than 64 million pixels.', {
        location: source.location,
        fix: 'Scale it down to 1024 px.',
        cause: error,
      });
    }
    throw unreadable(source, why.split('\n')[0] ?? why, error);
  }
}

async function drawMaster(
  sharp: SharpModule,
  source: PictureSource,
  isDrawing: boolean,
  density: number | undefined,
  side: number,
): Promise<Buffer> {
  // A drawing is rasterised at the size it is wanted in; librsvg's density is relative to 72.
  const wanted = isDrawing ? Math.min(2400, Math.max(1, ((density ?? 72) * MASTER) / side)) : undefined;
  return sharp(source.bytes, {
    limitInputPixels: MAX_PIXELS,
    failOn: 'error',
    ...(wanted === undefined ? {} : { density: wanted }),
  })
    .autoOrient()
    .toColourspace('srgb')
    .resize(MASTER, MASTER, { fit: 'contain', background: { r: 0, g: 0, b: 0, alpha: 0 } })
    .ensureAlpha()
    .raw()
    .toBuffer();
}

const OPAQUE = 250;
const VISIBLE = 8;
/** The part of the edge that must be opaque: rounded corners are still a filled picture. */
const EDGE_FILLED = 0.5;

/**
 * The same bytes, a pixel a number: pixels that are alike are found in less time than channels are read. Red is the lowest byte, alpha
 * the highest, as on every machine that Node.js runs on; signed, since the engine has these in registers without a check.
 */
export function pixelNumbers(data: Uint8Array): Int32Array {
  const isAligned = data.byteOffset % 4 === 0;
  const bytes = isAligned ? data : new Uint8Array(data);
  return new Int32Array(bytes.buffer, bytes.byteOffset, data.length / 4);
}

/** What is drawn in rows of pixels: the first and the last of the latest row, -1 where there is none; and sums over all rows, by alpha. */
const SUM = { first: 0, last: 1, r: 2, g: 3, b: 4, weight: 5 } as const;

/** Rows are added one by one: what is called often is compiled soon. A drawing’s pixels are mostly like the one before. */
function addRow(sums: Float64Array, pixels: Int32Array, start: number): void {
  const end = start + MASTER;
  let first = -1;
  let last = -1;
  let r = 0;
  let g = 0;
  let b = 0;
  let weight = 0;
  for (let at = start; at < end; at += 1) {
    const pixel = pixels[at] as number;
    const from = at;
    while (at + 1 < end && pixels[at + 1] === pixel) at += 1;
    const alpha = pixel >>> 24;
    if (alpha < VISIBLE) continue;
    const share = alpha * (at - from + 1);
    r += (pixel & 0xff) * share;
    g += ((pixel >>> 8) & 0xff) * share;
    b += ((pixel >>> 16) & 0xff) * share;
    weight += share;
    if (first < 0) first = from - start;
    last = at - start;
  }
  sums[SUM.first] = first;
  sums[SUM.last] = last;
  sums[SUM.r] = (sums[SUM.r] as number) + r;
  sums[SUM.g] = (sums[SUM.g] as number) + g;
  sums[SUM.b] = (sums[SUM.b] as number) + b;
  sums[SUM.weight] = (sums[SUM.weight] as number) + weight;
}

function measure(data: Buffer, source: PictureSource): DrawnArea {
  const pixels = pixelNumbers(data);
  const ends: (readonly [first: number, last: number, y: number])[] = [];
  let left = MASTER;
  let right = -1;
  const sums = new Float64Array(6);
  const sum = (of: keyof typeof SUM) => sums[SUM[of]] as number;
  for (let y = 0; y < MASTER; y += 1) {
    addRow(sums, pixels, y * MASTER);
    if (sum('first') < 0) continue;
    ends.push([sum('first'), sum('last'), y]);
    left = Math.min(left, sum('first'));
    right = Math.max(right, sum('last'));
  }
  if (right < 0) throw unreadable(source, 'nothing is drawn in it');
  const [top, bottom] = [ends[0]?.[2] ?? 0, ends.at(-1)?.[2] ?? 0];
  const x = (left + right) / 2;
  const y = (top + bottom) / 2;
  // The farthest visible pixel of a row is its first or its last.
  const radius = ends.reduce(
    (most, [first, last, row]) =>
      Math.max(most, Math.hypot(first - x, row - y), Math.hypot(last - x, row - y)),
    1,
  );
  const mean = (of: 'r' | 'g' | 'b') => Math.round(sum(of) / Math.max(1, sum('weight')));
  return {
    left,
    top,
    right,
    bottom,
    x,
    y,
    radius,
    ...edgeOf(data),
    mean: { r: mean('r'), g: mean('g'), b: mean('b'), a: 255 },
  };
}

function edgeOf(data: Buffer): Pick<DrawnArea, 'fills' | 'edge'> {
  let opaque = 0;
  const sum = [0, 0, 0];
  const last = MASTER - 1;
  for (let i = 0; i < MASTER; i += 1) {
    for (const [x, y] of [
      [i, 0],
      [i, last],
      [0, i],
      [last, i],
    ] as const) {
      const at = (y * MASTER + x) * 4;
      if ((data[at + 3] as number) < OPAQUE) continue;
      opaque += 1;
      for (let k = 0; k < 3; k += 1) sum[k] = (sum[k] as number) + (data[at + k] as number);
    }
  }
  const [r, g, b] = sum.map((total) => Math.round(total / Math.max(1, opaque))) as [number, number, number];
  return { fills: opaque / (MASTER * 4) >= EDGE_FILLED, edge: { r, g, b, a: 255 } };
}

/** px of a small icon's drawn area, for judging lines. */
const SMALL = 20;

/** Whether most of what is drawn fades where it is small: its pixels are no longer half covered. */
async function isFine(
  sharp: SharpModule,
  data: Buffer,
  { left, top, right, bottom }: DrawnArea,
): Promise<boolean> {
  const small = await sharp(data, { raw: { width: MASTER, height: MASTER, channels: 4 } })
    .extract({ left, top, width: right - left + 1, height: bottom - top + 1 })
    .resize(SMALL, SMALL, { fit: 'inside' })
    .raw()
    .toBuffer();
  let [faint, all] = [0, 0];
  for (let i = 3; i < small.length; i += 4) {
    const a = small[i] as number;
    all += a;
    if (a < 110) faint += a;
  }
  return all > 0 && faint / all > 0.6;
}

/** Contrast below which a logo vanishes on a ground. */
export const VANISHES = 1.5;

/** Contrast that graphics need (WCAG 2.2, 1.4.11). */
const CLEAR = 3;

/** A ground that a logo can be seen on: the one that is wished, else the first of the others that suits. */
export function chooseGround(
  logo: Logo,
  wished: Rgba,
  others: readonly Rgba[],
): { readonly color: Rgba; readonly ratio: number; readonly wishedRatio: number } {
  const ratio = (color: Rgba) => contrast(logo.area.mean, color);
  const wishedRatio = ratio(wished);
  if (logo.area.fills || wishedRatio >= VANISHES) return { color: wished, ratio: wishedRatio, wishedRatio };
  // The first that is clear enough, since it is one of the app's own colours; else the clearest.
  const best =
    others.find((color) => ratio(color) >= CLEAR) ??
    [...others].sort((a, b) => ratio(b) - ratio(a))[0] ??
    wished;
  return { color: best, ratio: ratio(best), wishedRatio };
}

/** Distance from the edge's colour, in steps of 255, from which on a filled picture's pixel counts as drawn. */
const SHAPE_FROM = 24;
const SHAPE_FULL = 72;

/** Shapes by logo and colour: a shape is judged, and drawn in many sizes. */
const shapes = new Kept<Buffer, number, Buffer>();

/** The shape alone, in one colour: the alpha of a logo, or what stands out from the ground of a filled picture. */
export function shapeOf({ data, area }: Pick<Logo, 'data' | 'area'>, ink: Rgba): Buffer {
  const color = ink.r + ink.g * 0x100 + ink.b * 0x1_0000;
  return shapes.get(data, color, () => drawShape(data, area, color));
}

/** @param color red in the lowest byte, then green, then blue, as in {@link pixelNumbers} */
function drawShape(data: Buffer, area: DrawnArea, color: number): Buffer {
  const from = pixelNumbers(data);
  const to = new Int32Array(from.length);
  // Piece by piece: what is called often is compiled soon.
  for (let at = 0; at < from.length; at += MASTER)
    shapePiece(from.subarray(at, at + MASTER), to.subarray(at, at + MASTER), area, color);
  return Buffer.from(to.buffer);
}

function shapePiece(from: Int32Array, to: Int32Array, area: DrawnArea, color: number): void {
  let before = from[0] as number;
  let made = (shapeAlpha(before, area) << 24) | color;
  for (let at = 0; at < from.length; at += 1) {
    const pixel = from[at] as number;
    if (pixel !== before) made = (shapeAlpha(pixel, area) << 24) | color;
    before = pixel;
    to[at] = made;
  }
}

function shapeAlpha(pixel: number, { edge, fills }: DrawnArea): number {
  const alpha = pixel >>> 24;
  if (!fills) return alpha;
  const far = farthest(pixel, edge);
  const share = Math.min(1, Math.max(0, (far - SHAPE_FROM) / (SHAPE_FULL - SHAPE_FROM)));
  return Math.round(alpha * share);
}

/** The greatest difference of a pixel’s red, green and blue from those of a colour. */
export const farthest = (pixel: number, { r, g, b }: Rgba): number =>
  Math.max(
    Math.abs((pixel & 0xff) - r),
    Math.abs(((pixel >>> 8) & 0xff) - g),
    Math.abs(((pixel >>> 16) & 0xff) - b),
  );

/** A logo whose pixels are its shape only, measured again. */
export function asShape(logo: Logo, ink: Rgba): Logo {
  const data = shapeOf(logo, ink);
  // Its alpha is as it was: so is what is drawn.
  if (!logo.area.fills) return { ...logo, data, area: { ...logo.area, mean: { ...ink, a: 255 } } };
  try {
    return { ...logo, data, area: { ...measure(data, logo), fills: false } };
  } catch {
    return { ...logo, data: logo.data }; // nothing stands out: the whole square is the shape
  }
}
