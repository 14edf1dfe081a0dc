import type { Insets } from '../browser/app-display.js';
import { androidLayout, appleAppLayout } from '../preview/layout.js';
import { type Device, type HeldScreen, heldScreens, type Orientation } from '../preview/screens.js';
import { parseColor, type Rgba, toHex } from '../project/color.js';
import type { PackedApp } from './packed-app.js';

export type DeviceKind = Device['kind'];
export type Scheme = 'light' | 'dark';

/** The page's part of a device's screen, in CSS px, and what is around it. Colours as `#rrggbb`. */
export interface ScreenPlan extends Pick<HeldScreen, 'device' | 'width' | 'height'> {
  readonly page: { readonly x: number; readonly y: number; readonly width: number; readonly height: number };
  /** What of the page the system covers: pages read it as safe-area insets. */
  readonly safeArea: Insets;
  /** The app's own bar (`minimal-ui`). */
  readonly bar: { readonly y: number; readonly height: number; readonly color: string } | undefined;
  readonly around: string;
  /** The strip behind the status bar; no colour where the page reaches below it. */
  readonly status: {
    readonly height: number;
    readonly color: string | undefined;
    readonly symbols: 'dark' | 'light' | 'none';
  };
}

const WHITE: Rgba = { r: 255, g: 255, b: 255, a: 255 };
const colorOf = (text: string): Rgba => parseColor(text) ?? WHITE;

/** The screen of a device, held one way. */
export function heldScreen(platform: PackedApp['platform'], kind: DeviceKind, turn: Orientation): HeldScreen {
  return heldScreens().find(
    ({ device, orientation }) => device.platform === platform && device.kind === kind && orientation === turn,
  ) as HeldScreen;
}

/** Where the page lies on a screen, as the preview lays it out for the shells. */
export function planScreen(
  { platform, settings }: Pick<PackedApp, 'platform' | 'settings'>,
  screen: HeldScreen,
  scheme: Scheme,
): ScreenPlan {
  const layOut = platform === 'apple' ? appleAppLayout : androidLayout;
  const { theme, background } = settings[scheme];
  const { page, bar, safeArea, around, status } = layOut(
    {
      display: settings.display,
      themeColor: colorOf(theme),
      backgroundColor: colorOf(background),
      window: { edges: settings.pullsToEdges ? 'cover' : 'inset' },
    },
    screen,
  );
  return {
    device: screen.device,
    width: screen.width,
    height: screen.height,
    page,
    safeArea,
    bar: bar && {
      y: bar.edge === 'top' ? page.y - bar.height : page.y + page.height,
      height: bar.height,
      color: toHex(bar.color),
    },
    around: toHex(around),
    status: {
      height: screen.insets.top,
      color: status?.color && toHex(status.color),
      symbols: status?.symbols ?? 'none',
    },
  };
}
