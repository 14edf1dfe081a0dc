import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { HullError, type Location } from '../errors.js';
import { contrast, parseColor, type Rgba, toHex } from '../project/color.js';
import { debug } from '../util/debug.js';
import { keepInCache } from '../util/files.js';
import { type BackgroundPaint, drawRow, type IconSet } from './draw.js';
import { judgeShape, judgeStart, type StartGround } from './judge.js';
import { chooseGround, type Logo, type PictureSource, readLogo, VANISHES } from './logo.js';
import type { ArtRow, ArtSource } from './plan.js';

/** What all images are made from, as it was given. */
export interface ArtInputs {
  readonly logo: PictureSource;
  /** Pictures of their own for some purposes. */
  readonly others: Partial<Readonly<Record<ArtSource, PictureSource>>>;
  /** Behind what is drawn, where a row has a ground. */
  readonly background: BackgroundPaint;
  readonly darkGround: Rgba;
  /** Behind the picture while the app starts; without it that is not judged. */
  readonly start?: StartGround;
  /** Taken where the logo cannot be seen on the ground. */
  readonly themeColor: Rgba;
  readonly padding: Readonly<Record<string, number>>;
  /** A mark over launcher icons: that of a package for developers. */
  readonly mark?: 'debug';
}

/** Raised when what is drawn changes, so that cached pictures of before are not taken. */
const DRAWING = 'art/5';
/** Drawn images are kept here, below the project, told by the hash of everything that they are made from. */
export const ART_CACHE = '.hull/cache/art';
const WHITE: Rgba = { r: 255, g: 255, b: 255, a: 255 };
const INK: Rgba = { r: 20, g: 26, b: 30, a: 255 };
const SOURCES: readonly ArtSource[] = ['logo', 'foreground', 'maskable', 'monochrome', 'dark', 'splash'];

const sha256 = (...parts: (string | Uint8Array)[]) => {
  const hash = createHash('sha256');
  for (const part of parts) hash.update(part);
  return hash.digest('hex');
};

const sourceHashes = new WeakMap<Uint8Array, string>();
function hashOf({ bytes }: PictureSource): string {
  const known = sourceHashes.get(bytes) ?? sha256(bytes);
  sourceHashes.set(bytes, known);
  return known;
}

function paintKey(paint: BackgroundPaint): string {
  if (paint.is === 'picture') return sha256(paint.bytes);
  return paint.is === 'color' ? toHex(paint.color) : `${toHex(paint.from)}-${toHex(paint.to)}`;
}

/** A key of everything that can change any image: the same key means that nothing has to be drawn. */
export function inputsKey(inputs: ArtInputs, rows: readonly ArtRow[]): string {
  const pictures = SOURCES.map((name) =>
    name === 'logo' ? hashOf(inputs.logo) : inputs.others[name] ? hashOf(inputs.others[name]) : '',
  );
  const settings = [
    paintKey(inputs.background),
    toHex(inputs.darkGround),
    // Notes depend on it, and are kept with the images.
    ...(inputs.start ? [toHex(inputs.start.light), inputs.start.dark ? toHex(inputs.start.dark) : ''] : []),
    toHex(inputs.themeColor),
    JSON.stringify(inputs.padding),
    inputs.mark ?? '',
  ];
  return sha256(DRAWING, ...pictures, ...settings, JSON.stringify(rows));
}

/** A ground from `look.art.background`: a colour, a straight gradient of two, or the path of a picture. */
export function parseBackground(
  text: string,
  location: Location,
  readPicture: (path: string) => Uint8Array,
): BackgroundPaint {
  const gradient = /^linear-gradient\(\s*(.+?)\s*,\s*([^,()]+(?:\([^)]*\))?)\s*\)$/i.exec(text);
  if (gradient) {
    const [from, to] = [parseColor(gradient[1] ?? ''), parseColor(gradient[2] ?? '')];
    if (from && to && from.a === 255 && to.a === 255) return { is: 'gradient', from, to };
    throw new HullError('config.bad-value', `"${text}" is not a gradient of two opaque colours.`, {
      location,
      fix: 'Write it as linear-gradient(#0e6285, #0b4f6c), from top to bottom.',
    });
  }
  const color = parseColor(text);
  if (color?.a === 255) return { is: 'color', color };
  if (color || !/\.(svg|png|webp|jpe?g)$/i.test(text)) {
    throw new HullError('config.bad-value', `"${text}" is not an opaque color, a gradient or an image.`, {
      location,
      fix: 'Write it as #0b4f6c, as linear-gradient(#0e6285, #0b4f6c), or as the path of a picture.',
    });
  }
  return { is: 'picture', bytes: readPicture(text) };
}

export interface PreparedIcons {
  readonly icons: IconSet;
  /** What users should know, once each. */
  readonly notes: readonly string[];
  /** The note of these that is about the start of the app. */
  readonly unseenAtStart: string | undefined;
  /** Whether the logo may be served as favicon.svg. */
  readonly hasDrawing: boolean;
  /** The colour that is behind the logo, where the ground is one colour. */
  readonly background: Rgba;
}

/** Pictures that are kept decoded. */
const MOST_DECODED = 3;
/** Those that were used last, by their hash, the newest last: many brands share a picture, and what is scaled from it. */
const decoded = new Map<string, Promise<Logo>>();

function decodedLogo(source: PictureSource): Promise<Logo> {
  const key = hashOf(source);
  const logo = decoded.get(key) ?? readLogo(source);
  decoded.delete(key);
  decoded.set(key, logo);
  logo.catch(() => decoded.delete(key));
  const [oldest] = decoded.keys();
  if (decoded.size > MOST_DECODED && oldest !== undefined) decoded.delete(oldest);
  return logo;
}

/** Decodes the pictures, judges them, and chooses grounds on which they can be seen. Throws `art.*`. */
export async function prepareIconSet(inputs: ArtInputs): Promise<PreparedIcons> {
  const notes: string[] = [];
  const logo = await decodedLogo(inputs.logo);
  notes.push(...logo.notes);
  const logos = Object.fromEntries(SOURCES.map((name) => [name, logo])) as Record<ArtSource, Logo>;
  for (const name of SOURCES) {
    const other = name === 'logo' ? undefined : inputs.others[name];
    if (!other) continue;
    logos[name] = await decodedLogo(other);
    notes.push(...logos[name].notes.map((note) => `${name}: ${note}`));
  }
  let paint = inputs.background;
  if (paint.is === 'color') {
    const wished = paint.color;
    const chosen = chooseGround(logo, wished, [inputs.themeColor, WHITE, INK]);
    if (chosen.color !== wished) {
      notes.push(
        `The logo cannot be seen on ${toHex(wished)} (contrast ${chosen.wishedRatio.toFixed(2)} to 1): ${toHex(chosen.color)} is used behind it instead (${chosen.ratio.toFixed(1)} to 1). look.art.background sets another.`,
      );
    }
    paint = { is: 'color', color: logo.area.fills ? wished : chosen.color };
  }
  const lost = judgeShape(logos.monochrome);
  if (lost !== undefined) {
    notes.push(
      `The one-colour icon is lost: ${lost}. Give look.art.monochrome a picture whose shape alone is the drawing.`,
    );
  }
  const unseen = inputs.start && judgeStart(logos.splash, inputs.start);
  if (unseen !== undefined) notes.push(unseen);
  const needsBackground = !logo.area.fills && contrast(logo.area.mean, WHITE) < VANISHES;
  const dark = chooseGround(logos.dark, inputs.darkGround, [
    paint.is === 'color' ? paint.color : WHITE,
    WHITE,
  ]);
  const background = logo.area.fills
    ? logo.area.edge
    : paint.is === 'color'
      ? paint.color
      : paint.is === 'gradient'
        ? paint.to
        : WHITE;
  return {
    icons: {
      logos,
      background: { light: paint, dark: { is: 'color', color: dark.color } },
      padding: inputs.padding,
      needsBackground,
      ...(inputs.mark ? { mark: inputs.mark } : {}),
    },
    notes,
    unseenAtStart: unseen,
    hasDrawing: logo.isDrawing && logo.isSelfContained,
    background,
  };
}

function rowKey(row: ArtRow, { logos, background, padding, needsBackground, mark }: IconSet): string {
  const { asks: _asks, device: _device, path: _path, ...spec } = row;
  const hasGround = row.background === 'opaque' || row.purpose === 'round' || needsBackground;
  const share = padding[row.purpose] ?? 0;
  return sha256(
    DRAWING,
    JSON.stringify(spec),
    hashOf(logos[row.source]),
    hasGround ? paintKey(background[row.scheme]) : '',
    String(share),
    ...(mark ? [mark] : []),
  );
}

/** An image from the cache, or drawn and put there. A cache that cannot be used costs time, nothing else. */
export async function cachedRow(
  row: ArtRow,
  icons: IconSet,
  cacheDir: string | undefined,
): Promise<Uint8Array> {
  const file = cacheDir === undefined ? undefined : join(cacheDir, `${rowKey(row, icons)}.${row.format}`);
  if (file !== undefined) {
    const kept = fromCache(file);
    if (kept) return kept;
  }
  debug('drawing %s: not in the cache', row.path);
  const bytes = await drawRow(row, icons);
  if (file !== undefined) {
    keepInCache(file, Buffer.concat([createHash('sha256').update(bytes).digest(), bytes]));
  }
  return bytes;
}

/** Bytes of a hash in front of each cached picture, so that a damaged one is drawn again. */
const CHECK = 32;

function fromCache(file: string): Uint8Array | undefined {
  try {
    const kept = readFileSync(file);
    const bytes = new Uint8Array(kept.subarray(CHECK));
    return createHash('sha256').update(bytes).digest().equals(kept.subarray(0, CHECK)) ? bytes : undefined;
  } catch {
    return undefined;
  }
}
