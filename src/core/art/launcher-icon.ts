import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Sharp } from 'sharp';
import { HullError, type Place } from '../errors.js';
import { temporaryBeside } from '../files.js';
import { bytesSource } from '../formats/bytes/source.js';
import { readEntry, readZip } from '../formats/zip/reader.js';
import { writeZip } from '../formats/zip/writer.js';
import { parseColor, type Rgba, toHex } from '../project/color.js';

/** Android's screen densities: pixels for one dp, as dots per inch over 160. */
export const DENSITIES = [
  { name: 'mdpi', dpi: 160 },
  { name: 'hdpi', dpi: 240 },
  { name: 'xhdpi', dpi: 320 },
  { name: 'xxhdpi', dpi: 480 },
  { name: 'xxxhdpi', dpi: 640 },
] as const;

/** Sizes in dp (Android developer documentation, "Adaptive icons"). */
const LEGACY_DP = 48;
const LAYER_DP = 108;
/** The circle that every launcher mask leaves visible. */
const SAFE_DIAMETER_DP = 66;
/** A logo is drawn a little inside that circle, so that it does not touch the mask. */
const LOGO_DIAMETER_DP = 60;
/** The safe circle of a maskable picture, as a part of its side (W3C Manifest, "icon masks"). */
const MASKABLE_SAFE = 0.8;

/** Side in px of the picture that all sizes are made from. */
const MASTER = 1024;
/** Smallest side in px of a pixel picture: that of the largest launcher icon. */
const MIN_SIDE = 192;
const MAX_PIXELS = 64_000_000;
/** Raised when what is drawn changes, so that cached pictures of before are not taken. */
const DRAWING = 'launcher-icon/1';

export interface LauncherIcon {
  /** Launcher icons before API 26, by density name: PNG. */
  readonly legacy: ReadonlyMap<string, Uint8Array>;
  /** Foreground layers of the adaptive icon, by density name: PNG. */
  readonly foreground: ReadonlyMap<string, Uint8Array>;
  /** Colour of the adaptive icon's background layer. */
  readonly background: Rgba;
}

export interface IconSource {
  readonly bytes: Uint8Array;
  readonly place: Place;
}

type SharpModule = typeof import('sharp').default;

function unreadable(source: IconSource, why: string, cause?: unknown): HullError {
  return new HullError('art.icon-unreadable', `The icon is not a picture that can be read: ${why}.`, {
    place: source.place,
    remedy: 'Give an SVG, or a square PNG of at least 512 px.',
    cause,
  });
}

/** The source drawn into a transparent square of {@link MASTER} px. */
async function drawMaster(sharp: SharpModule, source: IconSource): Promise<{ data: Buffer; side: number }> {
  const options = { limitInputPixels: MAX_PIXELS, failOn: 'error' as const };
  try {
    const facts = await sharp(source.bytes, options).metadata();
    const side = Math.max(facts.width ?? 0, facts.height ?? 0);
    if (side === 0) throw unreadable(source, 'it has no size');
    const isDrawing = facts.format === 'svg';
    if (!isDrawing && side < MIN_SIDE) {
      throw new HullError(
        'art.icon-too-small',
        `The icon is ${facts.width}×${facts.height} px; it would be blurred.`,
        {
          place: source.place,
          remedy: `Give an SVG, or a PNG of at least ${MIN_SIDE} px, better 512.`,
        },
      );
    }
    // A drawing is rasterised at the size it is wanted in; librsvg's density is relative to 72.
    const density = isDrawing
      ? Math.min(2400, Math.max(1, ((facts.density ?? 72) * MASTER) / side))
      : undefined;
    const { data } = await sharp(source.bytes, { ...options, ...(density === undefined ? {} : { density }) })
      .autoOrient()
      .toColourspace('srgb')
      .resize(MASTER, MASTER, { fit: 'contain', background: { r: 0, g: 0, b: 0, alpha: 0 } })
      .ensureAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
    return { data, side };
  } catch (error) {
    if (error instanceof HullError) throw error;
    const why = error instanceof Error ? error.message : String(error);
    if (/pixel limit|dimensions/i.test(why)) {
      throw new HullError('art.icon-too-large', 'The icon has more than 64 million pixels.', {
        place: source.place,
        remedy: 'Scale it down to 1024 px.',
        cause: error,
      });
    }
    throw unreadable(source, why.split('\n')[0] ?? why, error);
  }
}

interface Drawn {
  /** Whether the picture fills its square to the edges, as a maskable one does. */
  readonly fills: boolean;
  /** Mean colour along the edges, where it fills. */
  readonly edge: Rgba;
  /** Centre of the drawn area and the radius of the circle around it that holds all of it, in master px. */
  readonly x: number;
  readonly y: number;
  readonly radius: number;
}

const OPAQUE = 250;
const VISIBLE = 8;
/** The part of the edge that must be opaque: rounded corners are still a filled picture. */
const EDGE_FILLED = 0.5;

function measure(data: Buffer, source: IconSource): Drawn {
  const alpha = (x: number, y: number) => data[(y * MASTER + x) * 4 + 3] as number;
  let left = MASTER;
  let top = MASTER;
  let right = -1;
  let bottom = -1;
  for (let y = 0; y < MASTER; y += 1) {
    for (let x = 0; x < MASTER; x += 1) {
      if (alpha(x, y) < VISIBLE) continue;
      if (x < left) left = x;
      if (x > right) right = x;
      if (y < top) top = y;
      bottom = y;
    }
  }
  if (right < 0) throw unreadable(source, 'nothing is drawn in it');
  const x = (left + right) / 2;
  const y = (top + bottom) / 2;
  // The farthest visible pixel of a row is its first or its last.
  let radius = 0;
  for (let py = top; py <= bottom; py += 1) {
    let first = left;
    while (first <= right && alpha(first, py) < VISIBLE) first += 1;
    if (first > right) continue;
    let last = right;
    while (alpha(last, py) < VISIBLE) last -= 1;
    radius = Math.max(radius, Math.hypot(first - x, py - y), Math.hypot(last - x, py - y));
  }
  let opaque = 0;
  const sum = { r: 0, g: 0, b: 0 };
  const last = MASTER - 1;
  for (let i = 0; i < MASTER; i += 1) {
    for (const [px, py] of [
      [i, 0],
      [i, last],
      [0, i],
      [last, i],
    ] as const) {
      if (alpha(px, py) < OPAQUE) continue;
      const at = (py * MASTER + px) * 4;
      opaque += 1;
      sum.r += data[at] as number;
      sum.g += data[at + 1] as number;
      sum.b += data[at + 2] as number;
    }
  }
  const mean = (total: number) => Math.round(total / Math.max(1, opaque));
  return {
    fills: opaque / (MASTER * 4) >= EDGE_FILLED,
    edge: { r: mean(sum.r), g: mean(sum.g), b: mean(sum.b), a: 255 },
    x,
    y,
    radius: Math.max(1, radius),
  };
}

/** The master scaled by `scale` with its point (x, y) at the centre of a transparent square of `side` px. */
async function place(
  master: () => Sharp,
  centre: { readonly x: number; readonly y: number },
  scale: number,
  side: number,
): Promise<Uint8Array> {
  const size = Math.max(1, Math.round(MASTER * scale));
  const left = Math.round(side / 2 - centre.x * scale);
  const top = Math.round(side / 2 - centre.y * scale);
  const cutLeft = Math.max(0, -left);
  const cutTop = Math.max(0, -top);
  const width = Math.min(size - cutLeft, side - Math.max(0, left));
  const height = Math.min(size - cutTop, side - Math.max(0, top));
  return master()
    .resize(size, size)
    .extract({ left: cutLeft, top: cutTop, width, height })
    .extend({
      left: Math.max(0, left),
      top: Math.max(0, top),
      right: side - width - Math.max(0, left),
      bottom: side - height - Math.max(0, top),
      background: { r: 0, g: 0, b: 0, alpha: 0 },
    })
    .png({ compressionLevel: 9 })
    .toBuffer();
}

async function draw(source: IconSource, fallbackBackground: Rgba): Promise<LauncherIcon> {
  const { default: sharp } = await import('sharp');
  const { data } = await drawMaster(sharp, source);
  const drawn = measure(data, source);
  const master = () => sharp(data, { raw: { width: MASTER, height: MASTER, channels: 4 } });
  const middle = { x: MASTER / 2, y: MASTER / 2 };
  const sideDp = drawn.fills
    ? SAFE_DIAMETER_DP / MASKABLE_SAFE
    : (LOGO_DIAMETER_DP / 2 / drawn.radius) * MASTER;
  const layers = await Promise.all(
    DENSITIES.map(async ({ name, dpi }) => {
      const px = dpi / 160;
      const [legacy, foreground] = await Promise.all([
        place(master, middle, (LEGACY_DP * px) / MASTER, LEGACY_DP * px),
        place(master, drawn.fills ? middle : drawn, (sideDp * px) / MASTER, LAYER_DP * px),
      ]);
      return { name, legacy, foreground };
    }),
  );
  return {
    legacy: new Map(layers.map((layer) => [layer.name, layer.legacy])),
    foreground: new Map(layers.map((layer) => [layer.name, layer.foreground])),
    background: drawn.fills ? drawn.edge : fallbackBackground,
  };
}

const BACKGROUND_ENTRY = 'background';

async function fromCache(file: string): Promise<LauncherIcon | undefined> {
  try {
    const archive = bytesSource(readFileSync(file));
    const { entries } = await readZip(archive);
    const layers = { legacy: new Map<string, Uint8Array>(), foreground: new Map<string, Uint8Array>() };
    let background: Rgba | undefined;
    for (const entry of entries) {
      const bytes = await readEntry(archive, entry);
      const [kind, name] = entry.path.split('/');
      if (kind === BACKGROUND_ENTRY) background = parseColor(Buffer.from(bytes).toString());
      else if (name !== undefined && (kind === 'legacy' || kind === 'foreground'))
        layers[kind].set(name, bytes);
    }
    const complete = layers.legacy.size === DENSITIES.length && layers.foreground.size === DENSITIES.length;
    return complete && background !== undefined ? { ...layers, background } : undefined;
  } catch {
    // No cached picture, or a damaged one: it is drawn again.
    return undefined;
  }
}

async function toCache(file: string, dir: string, icon: LauncherIcon): Promise<void> {
  const entries = (['legacy', 'foreground'] as const).flatMap((kind) =>
    [...icon[kind]].map(([name, content]) => ({ path: `${kind}/${name}`, content })),
  );
  const background = new TextEncoder().encode(toHex(icon.background));
  const archive = await writeZip(
    [...entries, { path: BACKGROUND_ENTRY, content: background }].map((entry) => ({
      ...entry,
      method: 'store',
      alignment: 1,
    })),
  );
  try {
    mkdirSync(dir, { recursive: true });
    const temporary = temporaryBeside(file);
    writeFileSync(temporary, archive);
    renameSync(temporary, file);
  } catch {
    // A cache that cannot be written costs time, nothing else.
  }
}

/**
 * The launcher icon in all densities, and the layers of its adaptive form: a picture that fills its square becomes a
 * full layer with its own edge colour behind it; a logo is fitted into the circle that no mask cuts.
 *
 * @param background colour behind a logo that does not fill its square
 * @param cacheDir folder for drawn icons, told by the hash of what they are drawn from; none where undefined
 * @throws HullError `art.icon-unreadable`, `art.icon-too-small`, `art.icon-too-large`
 */
export async function launcherIcon(
  source: IconSource,
  background: Rgba,
  cacheDir: string | undefined,
): Promise<LauncherIcon> {
  const hash = createHash('sha256')
    .update(`${DRAWING} ${toHex(background)}\n`)
    .update(source.bytes)
    .digest('hex');
  const file = cacheDir === undefined ? undefined : join(cacheDir, `${hash}.zip`);
  const cached = file === undefined ? undefined : await fromCache(file);
  if (cached !== undefined) return cached;
  const icon = await draw(source, background);
  if (file !== undefined && cacheDir !== undefined) await toCache(file, cacheDir, icon);
  return icon;
}
