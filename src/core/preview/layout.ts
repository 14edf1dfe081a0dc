import type { App } from '../app/app.js';
import type { Insets } from '../browser/app-display.js';
import { type Rgba, wantsDarkSymbols } from '../project/color.js';
import type { Site } from '../site/site.js';
import type { HeldScreen } from './screens.js';

/** A strip that the system keeps at an edge of the screen. */
export interface SystemBar {
  /** Behind its symbols; `undefined` where the page is. */
  readonly color: Rgba | undefined;
  /** `none` where the system hides them. */
  readonly symbols: 'dark' | 'light' | 'none';
}

/** Where the page lies on a screen, and what is around it. */
export interface ScreenLayout {
  readonly screen: HeldScreen;
  /** CSS px on the screen. */
  readonly page: { readonly x: number; readonly y: number; readonly width: number; readonly height: number };
  /** What `env(safe-area-inset-*)` gives inside the page. */
  readonly safeArea: Insets;
  /** Behind what is neither page nor bar. */
  readonly around: Rgba;
  readonly status?: SystemBar;
  /** The app's own bar beside the page (`minimal-ui`): its height in CSS px, and its colour. */
  readonly bar?: { readonly height: number; readonly edge: 'top' | 'bottom'; readonly color: Rgba };
  readonly gesture?: SystemBar;
}

const NONE: Insets = { top: 0, right: 0, bottom: 0, left: 0 };
const WHITE: Rgba = { r: 255, g: 255, b: 255, a: 255 };
const BLACK: Rgba = { r: 0, g: 0, b: 0, a: 255 };

const symbolsOn = (color: Rgba): 'dark' | 'light' => (wantsDarkSymbols(color) ? 'dark' : 'light');

function inside({ width, height }: HeldScreen, around: Insets): ScreenLayout['page'] {
  return {
    x: around.left,
    y: around.top,
    width: width - around.left - around.right,
    height: height - around.top - around.bottom,
  };
}

/** What of the app is on a screen: the app for the platform, or the web app on Apple's home screen. */
export type Shows = 'android-app' | 'apple-app' | 'web-clip';

/** Whether the app can be held this way: phones follow `look.orientation`, large screens do not (Android, API 36). */
export function canBeHeld(
  app: Pick<App, 'orientation'>,
  { device, orientation }: HeldScreen,
  shows: Shows,
): boolean {
  if (device.kind === 'tablet' || shows === 'web-clip') return true;
  if (app.orientation.startsWith('portrait')) return orientation === 'portrait';
  if (app.orientation.startsWith('landscape')) return orientation === 'landscape';
  return true;
}

/** Height in dp or pt of the bar that the shells have for `minimal-ui` (PageBar.java, HullPageController.m). */
const PAGE_BAR = 48;

type ShownApp = Pick<App, 'display' | 'themeColor' | 'backgroundColor'> & {
  readonly window: Pick<App['window'], 'edges'>;
};

/**
 * The Android shell's window: the page keeps clear of bars and cutout, the strip behind the status bar is coloured; or
 * the page reaches the edges, and knows what covers it.
 */
export function androidLayout(app: ShownApp, screen: HeldScreen): ScreenLayout {
  const { device, orientation, insets } = screen;
  const covers = app.window.edges === 'cover';
  if (app.display === 'fullscreen') {
    const hasCutout = device.cutout !== undefined;
    const around = {
      ...NONE,
      ...(hasCutout && orientation === 'portrait' ? { top: insets.top } : {}),
      ...(hasCutout && orientation === 'landscape' ? { left: insets.left } : {}),
    };
    return {
      screen,
      page: inside(screen, covers ? NONE : around),
      safeArea: covers ? around : NONE,
      around: app.backgroundColor,
    };
  }
  if (covers) {
    const symbols = symbolsOn(app.themeColor);
    return {
      screen,
      page: inside(screen, NONE),
      safeArea: insets,
      around: app.backgroundColor,
      status: { color: undefined, symbols },
      gesture: { color: undefined, symbols: symbolsOn(app.backgroundColor) },
    };
  }
  const bar = app.display === 'minimal-ui' ? PAGE_BAR : 0;
  return {
    screen,
    page: inside(screen, { ...insets, top: insets.top + bar }),
    ...(bar > 0 ? { bar: { height: bar, edge: 'top', color: app.themeColor } } : {}),
    safeArea: NONE,
    around: app.backgroundColor,
    status: { color: app.themeColor, symbols: symbolsOn(app.themeColor) },
    gesture: { color: app.backgroundColor, symbols: symbolsOn(app.backgroundColor) },
  };
}

/**
 * The Apple shell's window: the page keeps clear of what the system covers, the strip behind the status bar is coloured; or the
 * page reaches the edges, and knows what covers it. Full screen, the system hides its symbols and covers what it covered.
 */
export function appleAppLayout(app: ShownApp, screen: HeldScreen): ScreenLayout {
  const { insets } = screen;
  const covers = app.window.edges === 'cover';
  const bar = app.display === 'minimal-ui' ? PAGE_BAR : 0;
  const isHidden = app.display === 'fullscreen';
  const edges = covers ? NONE : insets;
  const symbols = (behind: Rgba) => (isHidden ? ('none' as const) : symbolsOn(behind));
  const below = bar > 0 ? app.themeColor : app.backgroundColor;
  return {
    screen,
    page: inside(screen, { ...edges, bottom: edges.bottom + bar }),
    ...(bar > 0 ? { bar: { height: bar + edges.bottom, edge: 'bottom', color: app.themeColor } } : {}),
    safeArea: covers ? insets : NONE,
    around: app.backgroundColor,
    status: { color: covers ? undefined : app.themeColor, symbols: symbols(app.themeColor) },
    gesture: { color: undefined, symbols: symbols(below) },
  };
}

export type StatusStyle = 'default' | 'black' | 'black-translucent';

/** What the start page says of itself as a web app on Apple's home screen. */
export interface WebClip {
  readonly statusStyle: StatusStyle;
  /** `viewport-fit=cover`: the page reaches the screen's edges and keeps clear of them itself. */
  readonly covers: boolean;
  /** Whether it opens by itself, rather than in the browser. */
  readonly opensAlone: boolean;
}

/** Reads it from the start page's tags and the manifest (Apple web clips; CSS Round Display, "viewport-fit"). */
export function webClipOf(site: Site): WebClip {
  const metas = site.startPage?.facts.metas ?? [];
  const content = (name: string) =>
    metas
      .find((meta) => meta.name === name)
      ?.content.trim()
      .toLowerCase();
  const style = content('apple-mobile-web-app-status-bar-style');
  const display = site.manifest?.members?.display;
  return {
    statusStyle: style === 'black' || style === 'black-translucent' ? style : 'default',
    covers: /viewport-fit\s*=\s*cover/.test(content('viewport') ?? ''),
    opensAlone:
      display === 'standalone' ||
      display === 'fullscreen' ||
      content('apple-mobile-web-app-capable') === 'yes',
  };
}

/** A web app on Apple's home screen: below or under the status bar, as its tag says. */
export function webClipLayout(
  clip: WebClip,
  scheme: 'light' | 'dark',
  backgroundColor: Rgba,
  screen: HeldScreen,
): ScreenLayout {
  const { insets } = screen;
  const isOver = clip.statusStyle === 'black-translucent';
  const hasStatus = insets.top > 0;
  const covered: Insets = clip.covers ? { ...NONE, top: isOver ? 0 : insets.top } : insets;
  const isDark = clip.statusStyle === 'black' || (clip.statusStyle === 'default' && scheme === 'dark');
  const bar = isDark ? BLACK : WHITE;
  return {
    screen,
    page: inside(screen, covered),
    safeArea: clip.covers ? { ...insets, top: isOver ? insets.top : 0 } : NONE,
    around: backgroundColor,
    ...(hasStatus
      ? { status: isOver ? { color: undefined, symbols: 'light' } : { color: bar, symbols: symbolsOn(bar) } }
      : {}),
    gesture: { color: undefined, symbols: scheme === 'dark' ? 'light' : 'dark' },
  };
}
