import { DENSITIES, type DeviceClass, STARTUP_DEVICES } from './devices.js';

export type ArtTarget = 'web' | 'android' | 'apple';
export type ArtScheme = 'light' | 'dark';

/** What may show behind what is drawn. */
export type Background =
  /** Nothing: the picture has see-through parts. */
  | 'transparent'
  /** The background, to every edge: no see-through pixel. */
  | 'opaque'
  /** Only the alpha channel counts; what is drawn is of one colour. */
  | 'shape';

/** How the logo is fitted: by the circle that holds it, or by its drawn box, into a part of the shorter side. */
export interface Fit {
  readonly by: 'circle' | 'box';
  /** 0 to 1 of the shorter side. */
  readonly share: number;
  /** How a picture that fills its square is cut: not at all, to a circle, or to a rounded square. */
  readonly cut: 'none' | 'circle' | 'rounded';
}

/** Which of the given pictures a row is made from; where that one is not given, the logo. */
export type ArtSource = 'logo' | 'foreground' | 'maskable' | 'monochrome' | 'dark' | 'splash';

/** One image of the plan. */
export interface ArtRow {
  /** Below the target's folder, with `/` between names. */
  readonly path: string;
  readonly target: ArtTarget;
  readonly purpose: string;
  /** px */
  readonly width: number;
  readonly height: number;
  readonly format: 'png' | 'webp' | 'svg' | 'ico';
  readonly background: Background;
  readonly fit: Fit;
  /** The circle that is never cut, as a part of the side; 1 where nothing is cut. */
  readonly safe: number;
  readonly source: ArtSource;
  readonly scheme: ArtScheme;
  readonly density?: string;
  readonly device?: DeviceClass;
  readonly orientation?: 'portrait' | 'landscape';
  /** Colour of a shape. */
  readonly ink?: 'black' | 'white';
  /** The standard or platform document that asks for it. */
  readonly asks: string;
}

const MANIFEST = 'W3C Web Application Manifest, "icons member"';
const MASKS = 'W3C Web Application Manifest, "icon masks"';
const ADAPTIVE = 'Android, adaptive icons: layers of 108 dp, a circle of 66 dp never cut';
const SPLASH = 'Android 12 splash screens: 288 dp, a circle of 192 dp';
const CLIPS = 'Apple web clips';

const box = (share: number, cut: Fit['cut'] = 'none'): Fit => ({ by: 'box', share, cut });
const circle = (share: number, cut: Fit['cut'] = 'none'): Fit => ({ by: 'circle', share, cut });
/** A logo is drawn a little inside the circle that holds it, so that it does not touch its edge. */
const INSIDE = 0.91;

type Part = Partial<ArtRow> & Pick<ArtRow, 'path' | 'purpose' | 'width' | 'fit' | 'asks'>;

function row(target: ArtTarget, part: Part): ArtRow {
  return {
    target,
    height: part.width,
    format: 'png',
    background: 'transparent',
    safe: 1,
    source: 'logo',
    scheme: 'light',
    ...part,
  };
}

function webRows(): ArtRow[] {
  const web = (part: Part) => row('web', part);
  const icons = [192, 512].flatMap((side) => [
    web({ path: `icon-${side}.png`, purpose: 'any', width: side, fit: box(0.94), asks: MANIFEST }),
    web({
      path: `maskable-${side}.png`,
      purpose: 'maskable',
      width: side,
      fit: circle(0.8 * INSIDE),
      background: 'opaque',
      safe: 0.8,
      source: 'maskable',
      asks: MASKS,
    }),
  ]);
  return [
    web({
      path: 'favicon.svg',
      purpose: 'favicon',
      width: 0,
      format: 'svg',
      fit: box(1),
      asks: 'HTML Standard, link type "icon"',
    }),
    web({
      path: 'favicon.ico',
      purpose: 'favicon',
      width: 48,
      format: 'ico',
      fit: box(1),
      asks: 'HTML Standard, link type "icon": /favicon.ico',
    }),
    ...icons,
    web({
      path: 'monochrome-512.png',
      purpose: 'monochrome',
      width: 512,
      fit: circle(0.8 * INSIDE),
      background: 'shape',
      ink: 'black',
      safe: 0.8,
      source: 'monochrome',
      asks: 'W3C Web Application Manifest, "purpose member": monochrome',
    }),
    web({
      path: 'touch-180.png',
      purpose: 'touch',
      width: 180,
      fit: box(0.72),
      background: 'opaque',
      asks: `${CLIPS}: apple-touch-icon`,
    }),
    web({
      path: 'link-preview.png',
      purpose: 'link-preview',
      width: 1200,
      height: 630,
      fit: box(0.56, 'rounded'),
      background: 'opaque',
      asks: 'Open Graph protocol, og:image',
    }),
    ...STARTUP_DEVICES.flatMap((device) =>
      (['portrait', 'landscape'] as const).flatMap((orientation) =>
        (['light', 'dark'] as const).map((scheme) => startupRow(device, orientation, scheme)),
      ),
    ),
  ];
}

function startupRow(device: DeviceClass, orientation: 'portrait' | 'landscape', scheme: ArtScheme): ArtRow {
  const [short, long] = [device.width * device.ratio, device.height * device.ratio];
  const [width, height] = orientation === 'portrait' ? [short, long] : [long, short];
  return row('web', {
    path: `start/${width}x${height}-${device.ratio}x${scheme === 'dark' ? '-dark' : ''}.png`,
    purpose: 'startup',
    width,
    height,
    fit: box(device.kind === 'phone' ? 0.34 : 0.24, 'rounded'),
    background: 'opaque',
    source: scheme === 'dark' ? 'dark' : 'splash',
    scheme,
    device,
    orientation,
    asks: `${CLIPS}: apple-touch-startup-image`,
  });
}

/** The images of a launcher icon that go into every Android package. */
export function launcherRows(): ArtRow[] {
  return DENSITIES.flatMap(({ name: density, dpi }) => {
    const px = dpi / 160;
    const at = (part: Omit<Part, 'path'> & { readonly name: string }) => {
      const { name, ...rest } = part;
      return row('android', { format: 'webp', density, path: `res/mipmap-${density}/${name}.webp`, ...rest });
    };
    return [
      at({
        name: 'icon',
        purpose: 'legacy',
        width: 48 * px,
        fit: box(0.92, 'rounded'),
        asks: 'Android, launcher icons: 48 dp',
      }),
      at({
        name: 'icon_round',
        purpose: 'round',
        width: 48 * px,
        fit: circle(0.62, 'circle'),
        background: 'transparent',
        safe: 0.92,
        asks: 'Android, roundIcon (API 25)',
      }),
      at({
        name: 'icon_foreground',
        purpose: 'foreground',
        width: 108 * px,
        fit: circle((66 / 108) * INSIDE),
        safe: 66 / 108,
        source: 'foreground',
        asks: ADAPTIVE,
      }),
      at({
        name: 'icon_monochrome',
        purpose: 'monochrome',
        width: 108 * px,
        fit: circle((66 / 108) * INSIDE),
        background: 'shape',
        ink: 'white',
        safe: 66 / 108,
        source: 'monochrome',
        asks: 'Android, themed icons (API 33)',
      }),
    ];
  });
}

/** What goes into every Android package: launcher icons, and the splash icon in one density, which others scale. */
export function packedRows(): ArtRow[] {
  return [...launcherRows(), splashRow('xxhdpi', 480)];
}

function splashRow(density: string, dpi: number): ArtRow {
  return row('android', {
    path: `res/drawable-${density}/splash_icon.webp`,
    purpose: 'splash',
    width: (288 * dpi) / 160,
    format: 'webp',
    density,
    fit: circle((192 / 288) * INSIDE, 'circle'),
    safe: 192 / 288,
    source: 'splash',
    asks: SPLASH,
  });
}

function androidRows(): ArtRow[] {
  const android = (part: Part) => row('android', part);
  const drawables = DENSITIES.flatMap(({ name: density, dpi }) => {
    const px = dpi / 160;
    return [
      splashRow(density, dpi),
      android({
        path: `res/drawable-${density}/notification.png`,
        purpose: 'notification',
        width: 24 * px,
        density,
        fit: box(20 / 24),
        background: 'shape',
        ink: 'white',
        source: 'monochrome',
        asks: 'Android, notification icons: alpha only, 24 dp',
      }),
    ];
  });
  return [
    ...launcherRows(),
    ...drawables,
    android({
      path: 'store/icon-512.png',
      purpose: 'store-icon',
      width: 512,
      fit: box(0.72),
      background: 'opaque',
      asks: 'Store listing: 512 px, PNG of at most 1 MB',
    }),
    android({
      path: 'store/feature-1024x500.png',
      purpose: 'feature',
      width: 1024,
      height: 500,
      fit: box(0.56, 'rounded'),
      background: 'opaque',
      asks: 'Store listing: feature graphic, no alpha',
    }),
  ];
}

/** Files that a bundle without an asset catalog names (Information Property List, CFBundleIcons). */
const APPLE_BUNDLE: readonly (readonly [name: string, side: number])[] = [
  ['AppIcon20x20@2x', 40],
  ['AppIcon20x20@3x', 60],
  ['AppIcon29x29@2x', 58],
  ['AppIcon29x29@3x', 87],
  ['AppIcon40x40@2x', 80],
  ['AppIcon40x40@3x', 120],
  ['AppIcon60x60@2x', 120],
  ['AppIcon60x60@3x', 180],
  ['AppIcon76x76@2x~ipad', 152],
  ['AppIcon83.5x83.5@2x~ipad', 167],
];

function appleRows(): ArtRow[] {
  const apple = (part: Part) => row('apple', { background: 'opaque', ...part });
  const one = 'Apple, app icons: one of 1024 px, opaque, with dark and tinted variants';
  return [
    apple({ path: 'icon-1024.png', purpose: 'icon', width: 1024, fit: box(0.72), asks: one }),
    apple({
      path: 'icon-1024-dark.png',
      purpose: 'icon',
      width: 1024,
      fit: box(0.72),
      source: 'dark',
      scheme: 'dark',
      asks: one,
    }),
    apple({
      path: 'icon-1024-tinted.png',
      purpose: 'tinted',
      width: 1024,
      fit: box(0.72),
      ink: 'white',
      source: 'monochrome',
      asks: one,
    }),
    ...appleBundleRows(),
  ];
}

/** Folder of the pictures that a bundle without an asset catalog has at its root. */
export const BUNDLE_FOLDER = 'bundle/';

/** The icons and start pictures that a source project's catalog has. */
export function appleCatalogRows(): ArtRow[] {
  const wanted = /^icon-1024|^bundle\/Launch/;
  return appleRows().filter(({ path }) => wanted.test(path));
}

/** The icons and start pictures that go into every Apple bundle. */
export function appleBundleRows(): ArtRow[] {
  const apple = (part: Part) => row('apple', { background: 'opaque', ...part });
  return [
    ...APPLE_BUNDLE.map(([name, side]) =>
      apple({
        path: `${BUNDLE_FOLDER}${name}.png`,
        purpose: 'icon',
        width: side,
        fit: box(0.72),
        asks: 'Information Property List, CFBundleIcons',
      }),
    ),
    ...[1, 2, 3].map((scale) =>
      apple({
        path: `${BUNDLE_FOLDER}Launch${scale === 1 ? '' : `@${scale}x`}.png`,
        purpose: 'launch',
        width: 160 * scale,
        fit: box(1, 'rounded'),
        background: 'transparent',
        source: 'splash',
        asks: 'Information Property List, UILaunchScreen: an image on a colour',
      }),
    ),
  ];
}

/** Whether the app has colours of its own for dark screens, so that its start is dark there too. */
export type StartSchemes = 'light' | 'light-and-dark';

/** Every image that an app may need, in the order in which it is shown. */
export function artPlan(schemes: StartSchemes = 'light-and-dark'): readonly ArtRow[] {
  const rows = [...webRows(), ...androidRows(), ...appleRows()];
  return schemes === 'light'
    ? rows.filter(({ purpose, scheme }) => purpose !== 'startup' || scheme === 'light')
    : rows;
}
