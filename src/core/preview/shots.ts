import { APPLE_AS_APP } from '../browser/app-display.js';
import { type AppScreen, asApp } from '../browser/app-page.js';
import { type BrowserOptions, servedAddress, withBrowser } from '../browser/launch.js';
import type { Site } from '../site/site.js';
import { MEASURE } from '../survey/browser/in-page.js';
import type { Measured, PageView } from '../survey/browser-facts.js';
import type { ScreenLayout, Shows } from './layout.js';

export type Scheme = 'light' | 'dark';

/** A page to take pictures of, and how it is laid out. */
export interface ShotPlan {
  readonly key: string;
  readonly shows: Shows;
  readonly layout: ScreenLayout;
  readonly url: string;
  /** `display-mode` that the page sees. */
  readonly mode: string;
}

/** The start page on one screen. */
export interface Shot {
  /** JPEG by colour scheme. */
  readonly pictures: Readonly<Record<Scheme, Uint8Array>>;
  readonly underCutout: PageView['underCutout'];
  readonly scrollWidth: number;
  readonly textLength: number;
}

/** A screenshot for the manifest and the store, at its own size. */
export interface FlatShotPlan {
  readonly path: string;
  /** px */
  readonly width: number;
  readonly height: number;
  readonly ratio: number;
}

export interface Shots {
  readonly browser: string;
  readonly shots: ReadonlyMap<string, Shot>;
  /** Why a page did not load, by key. */
  readonly faults: ReadonlyMap<string, string>;
}

const SIDE_BY_SIDE = 4;

/** Screenshots of a page without any frame: WebP by path. Throws `browser.failed`. */
export function takeFlatShots(
  site: Site,
  plans: readonly FlatShotPlan[],
  options: BrowserOptions,
): Promise<Map<string, Uint8Array>> {
  return withBrowser(site, options, async ({ browser, origin }) => {
    const { default: sharp } = await import('sharp');
    const taken = new Map<string, Uint8Array>();
    const address = servedAddress(site, origin, site.start.href);
    for (const { path, width, height, ratio } of plans) {
      const viewport = { width: width / ratio, height: height / ratio };
      const png = await asApp(
        browser,
        address,
        { viewport, ratio, mode: 'standalone', headers: options.headers },
        (page) => page.screenshot({ type: 'png', animations: 'disabled' }),
      );
      taken.set(path, await sharp(png).resize(width, height).webp({ quality: 86 }).toBuffer());
    }
    return taken;
  });
}

/**
 * Takes pictures of the start page as the app shows it: on each screen, light and dark, at 1 px a CSS px.
 *
 * @throws HullError `browser.failed`
 */
export function takeShots(site: Site, plans: readonly ShotPlan[], options: BrowserOptions): Promise<Shots> {
  return withBrowser(site, options, async ({ browser, origin }) => {
    const shots = new Map<string, Shot>();
    const faults = new Map<string, string>();
    const take = async (plan: ShotPlan): Promise<void> => {
      options.signal?.throwIfAborted();
      const { screen, page: part, safeArea } = plan.layout;
      const viewport = { width: part.width, height: part.height };
      const app: AppScreen = {
        viewport,
        screen: { width: screen.width, height: screen.height },
        ratio: screen.device.ratio,
        mode: plan.mode,
        safeArea,
        headers: options.headers,
        ...(plan.shows === 'web-clip' ? { script: APPLE_AS_APP } : {}),
      };
      try {
        await asApp(browser, servedAddress(site, origin, plan.url), app, async (page) => {
          const shoot = async (colorScheme: Scheme) => {
            await page.emulateMedia({ colorScheme });
            return new Uint8Array(
              await page.screenshot({ type: 'jpeg', quality: 74, scale: 'css', animations: 'disabled' }),
            );
          };
          const seen = (await page.evaluate(
            `(${MEASURE})(${JSON.stringify({ insets: safeArea, ...viewport })})`,
          )) as Measured;
          shots.set(plan.key, {
            pictures: { light: await shoot('light'), dark: await shoot('dark') },
            underCutout: seen.underCutout,
            scrollWidth: seen.scrollWidth,
            textLength: seen.textLength,
          });
        });
      } catch (error) {
        if (options.signal?.aborted || !browser.isConnected()) throw error;
        faults.set(plan.key, (error instanceof Error ? error.message : String(error)).split('\n')[0] ?? '');
      }
      options.onStep?.(plan.key);
    };
    const waiting = [...plans];
    const work = async () => {
      for (let plan = waiting.shift(); plan; plan = waiting.shift()) await take(plan);
    };
    await Promise.all(Array.from({ length: SIDE_BY_SIDE }, work));
    return { browser: `${browser.browserType().name()} ${browser.version()}`, shots, faults };
  });
}
