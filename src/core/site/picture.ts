import { createHash } from 'node:crypto';

/** A decoded picture, with a small copy of its pixels to measure on. */
export interface Picture {
  /** `png`, `svg`, `jpeg`, `webp`, `ico`, …; `undefined` where it is not an image. */
  readonly format: string | undefined;
  /** px; of a drawing, its own size. */
  readonly width: number;
  readonly height: number;
  /** Bytes of the file. */
  readonly size: number;
  /** RGBA of the picture scaled to fit `SAMPLE` px, `undefined` where it cannot be decoded. */
  readonly sample?: { readonly width: number; readonly height: number; readonly data: Uint8Array };
  readonly fault?: string;
}

/** Side of the copy that is measured, in px. */
export const SAMPLE = 128;
const MAX_PIXELS = 64 * 1024 * 1024;
const MAX_BYTES = 32 * 1024 * 1024;

/** Sizes in an icon file's directory (ICO: 6 bytes of header, then 16 bytes an image; 0 stands for 256). */
function readIco(bytes: Uint8Array): { width: number; height: number } | undefined {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 22 || view.getUint32(0, true) !== 0x00010000) return undefined;
  let width = 0;
  let height = 0;
  const count = Math.min(view.getUint16(4, true), 64);
  for (let i = 0; i < count && 6 + 16 * i + 2 <= bytes.length; i += 1) {
    width = Math.max(width, bytes[6 + 16 * i] || 256);
    height = Math.max(height, bytes[7 + 16 * i] || 256);
  }
  return { width, height };
}

const decoded = new Map<string, Promise<Picture>>();
const MAX_KEPT = 256;

/** Decodes a picture. One that is none, or too large to decode safely, has a `fault`. */
export function readPicture(bytes: Uint8Array): Promise<Picture> {
  const key = createHash('sha256').update(bytes).digest('base64');
  const known = decoded.get(key);
  if (known) return known;
  if (decoded.size > MAX_KEPT) decoded.clear();
  const picture = decode(bytes);
  decoded.set(key, picture);
  return picture;
}

async function decode(bytes: Uint8Array): Promise<Picture> {
  const none = { format: undefined, width: 0, height: 0, size: bytes.length };
  if (bytes.length > MAX_BYTES) return { ...none, fault: 'The file is larger than 32 MiB' };
  const ico = readIco(bytes);
  if (ico) return { ...none, format: 'ico', ...ico };
  const { default: sharp } = await import('sharp');
  try {
    const image = sharp(bytes, { limitInputPixels: MAX_PIXELS, animated: false });
    const { format, width = 0, height = 0 } = await image.metadata();
    const { data, info } = await image
      .resize(SAMPLE, SAMPLE, { fit: 'inside', withoutEnlargement: format !== 'svg' })
      .toColourspace('srgb')
      .ensureAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
    const sample = { width: info.width, height: info.height, data: new Uint8Array(data) };
    return { format, width, height, size: bytes.length, sample };
  } catch (error) {
    const [line] = (error instanceof Error ? error.message : String(error)).split('\n');
    return { ...none, fault: line ?? 'unknown' };
  }
}

/** Share of pixels, 0 to 1, that are not opaque. */
export function transparentShare({ sample }: Picture): number {
  if (sample === undefined) return 0;
  let count = 0;
  for (let i = 3; i < sample.data.length; i += 4) if ((sample.data[i] as number) < 250) count += 1;
  return count / (sample.data.length / 4);
}

/** Deviation from the background, in steps of 255, from which on a pixel counts as drawn. */
const DRAWN = 36;

/** A plane through the colours of some pixels: `a + b·x + c·y`, by least squares. */
function fitPlane(points: readonly { x: number; y: number; v: number }[]): (x: number, y: number) => number {
  const n = points.length;
  let [sx, sy, sv, sxx, syy, sxy, sxv, syv] = [0, 0, 0, 0, 0, 0, 0, 0];
  for (const { x, y, v } of points) {
    sx += x;
    sy += y;
    sv += v;
    sxx += x * x;
    syy += y * y;
    sxy += x * y;
    sxv += x * v;
    syv += y * v;
  }
  const [mx, my, mv] = [sx / n, sy / n, sv / n];
  const [cxx, cyy, cxy, cxv, cyv] = [
    sxx - n * mx * mx,
    syy - n * my * my,
    sxy - n * mx * my,
    sxv - n * mx * mv,
    syv - n * my * mv,
  ];
  const determinant = cxx * cyy - cxy * cxy;
  const b = determinant === 0 ? 0 : (cxv * cyy - cyv * cxy) / determinant;
  const c = determinant === 0 ? 0 : (cyv * cxx - cxv * cxy) / determinant;
  return (x, y) => mv + b * (x - mx) + c * (y - my);
}

/**
 * Share, 0 to 1, of what is drawn that lies outside the safe zone of a maskable icon: a circle around the centre whose
 * radius is 40 % of the side (W3C Web Application Manifest, "icon masks"). The background is taken from the picture's
 * edge, as an even colour or a gradient.
 */
export function shareOutsideSafeZone({ sample }: Picture): number {
  if (sample === undefined) return 0;
  const { width, height, data } = sample;
  const rim = Math.max(1, Math.round(Math.min(width, height) * 0.03));
  const edge: { x: number; y: number; i: number }[] = [];
  for (let y = 0; y < height; y += 1) {
    for (let x = 0; x < width; x += 1) {
      if (x < rim || y < rim || x >= width - rim || y >= height - rim)
        edge.push({ x, y, i: (y * width + x) * 4 });
    }
  }
  const planes = [0, 1, 2, 3].map((channel) => {
    const points = edge.map(({ x, y, i }) => ({ x, y, v: data[i + channel] as number }));
    const sorted = points.map(({ v }) => v).sort((a, b) => a - b);
    const middle = sorted[sorted.length >> 1] ?? 0;
    const near = points.filter(({ v }) => Math.abs(v - middle) < 2 * DRAWN);
    return fitPlane(near.length > 8 ? near : points);
  });
  let inside = 0;
  let outside = 0;
  const radius = 0.4 * Math.min(width, height) + 1;
  for (let y = 0; y < height; y += 1) {
    for (let x = 0; x < width; x += 1) {
      const i = (y * width + x) * 4;
      const drawn = planes.some(
        (plane, channel) => Math.abs((data[i + channel] as number) - plane(x, y)) > DRAWN,
      );
      if (!drawn) continue;
      if (Math.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2) > radius) outside += 1;
      else inside += 1;
    }
  }
  return inside + outside === 0 ? 0 : outside / (inside + outside);
}

/** The mean colour of a picture's opaque pixels, and how much of it is opaque. */
export function meanColor({ sample }: Picture): { r: number; g: number; b: number; a: number } | undefined {
  if (sample === undefined) return undefined;
  const sum = [0, 0, 0];
  let weight = 0;
  for (let i = 0; i < sample.data.length; i += 4) {
    const alpha = (sample.data[i + 3] as number) / 255;
    weight += alpha;
    for (let k = 0; k < 3; k += 1) sum[k] = (sum[k] as number) + (sample.data[i + k] as number) * alpha;
  }
  if (weight === 0) return undefined;
  const [r, g, b] = sum.map((value) => Math.round(value / weight)) as [number, number, number];
  return { r, g, b, a: 255 };
}
