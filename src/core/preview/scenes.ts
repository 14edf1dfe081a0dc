import type { App, AppColors } from '../app/app.js';
import { task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { contrast, type Rgba, toHex } from '../project/color.js';
import type { Site } from '../site/site.js';
import { topBar } from '../tags/tags.js';
import { webpOf } from './home.js';
import {
  androidLayout,
  appleAppLayout,
  canBeHeld,
  type ScreenLayout,
  type Shows,
  type WebClip,
  webClipLayout,
  webClipOf,
} from './layout.js';
import { type HeldScreen, heldScreens } from './screens.js';
import type { Scheme, ShotPlan, Shots } from './shots.js';
import { startupFor } from './startup-image.js';
import type { PreviewRequest, StartPicture, StartScene } from './types.js';
import { quoted, startLocation } from './wording.js';

const WHITE: Rgba = { r: 255, g: 255, b: 255, a: 255 };
/** Contrast that symbols need (WCAG 2.2, 1.4.11). */
const READABLE = 3;
/** Difference of 255 from which on two colours that should be one are seen to be two. */
const APART = 20;

/** The start-up image of a web app on Apple's home screen; exact pixels, or the system leaves the screen white. */
async function startPicture(site: Site, screen: HeldScreen, scheme: Scheme): Promise<StartPicture> {
  const page = site.startPage;
  const { device } = screen;
  const [width, height] = [screen.width * device.ratio, screen.height * device.ratio];
  const named = page && startupFor(page, screen, scheme);
  if (!named) {
    return {
      is: 'white',
      why: `No start-up image is named for ${device.width} × ${device.height} at ${device.ratio}, ${screen.orientation}, ${scheme}: the screen stays white.`,
    };
  }
  const { pathname } = named.url;
  const bytes = site.bytes(named.url);
  if (!bytes) {
    const where = site.kind === 'folder' ? 'is not in the folder' : 'was not fetched';
    return { is: 'white', why: `The start-up image ${pathname} ${where}.` };
  }
  const { default: sharp } = await import('sharp');
  const facts = await sharp(bytes, { limitInputPixels: 64_000_000 })
    .metadata()
    .catch(() => undefined);
  if (facts?.width !== width || facts.height !== height) {
    return {
      is: 'white',
      why: `The start-up image ${pathname} has ${facts?.width ?? 0} × ${facts?.height ?? 0} px instead of ${width} × ${height}: it is not taken, and the screen stays white.`,
    };
  }
  const data = await webpOf(bytes, 640);
  return data ? { is: 'image', url: pathname, data } : { is: 'white', why: `${pathname} is not a picture.` };
}

/** Mean colour of a strip at the top of a picture, `height` px high. */
async function topColor(jpeg: Uint8Array, height: number): Promise<Rgba> {
  const { default: sharp } = await import('sharp');
  const image = sharp(jpeg);
  const { width = 1 } = await image.metadata();
  // Statistics are those of the whole input: the strip has to become one first.
  const strip = await image
    .extract({ left: 0, top: 0, width, height: Math.max(1, height) })
    .png()
    .toBuffer();
  const { channels } = await sharp(strip).stats();
  const [r = 0, g = 0, b = 0] = channels.map(({ mean }) => Math.round(mean));
  return { r, g, b, a: 255 };
}

const apart = (one: Rgba, two: Rgba) =>
  Math.max(Math.abs(one.r - two.r), Math.abs(one.g - two.g), Math.abs(one.b - two.b)) > APART;

export function plansOf(site: Site, app: App): ShotPlan[] {
  const clip = webClipOf(site);
  const url = site.start.href;
  return heldScreens().flatMap((screen) =>
    SHOWN_ON[screen.device.platform].map((shows) => ({
      key: `${screen.device.key} ${screen.orientation} ${shows}`,
      shows,
      layout: layoutOf({ shows, clip, app, screen, scheme: 'light' }),
      url,
      mode: shows === 'web-clip' ? 'standalone' : app.display,
    })),
  );
}

const SHOWN_ON: Readonly<Record<'android' | 'apple', readonly Shows[]>> = {
  android: ['android-app'],
  apple: ['apple-app', 'web-clip'],
};

interface Laid {
  readonly shows: Shows;
  readonly clip: WebClip;
  readonly app: App;
  readonly screen: HeldScreen;
  readonly scheme: Scheme;
}

/** Where the page lies, with the colours of a scheme. */
function layoutOf({ shows, clip, app, screen, scheme }: Laid): ScreenLayout {
  if (shows === 'web-clip') return webClipLayout(clip, scheme, app.backgroundColor, screen);
  const colored = { ...app, ...pickColors(scheme === 'dark' ? app.dark : app) };
  return shows === 'android-app' ? androidLayout(colored, screen) : appleAppLayout(colored, screen);
}

const pickColors = ({ themeColor, backgroundColor }: AppColors): AppColors => ({
  themeColor,
  backgroundColor,
});

const WHERE: Readonly<Record<Shows, string>> = {
  'android-app': 'Android',
  'apple-app': 'Apple app,',
  'web-clip': 'Apple',
};

export async function scenesOf(
  { site, app, project }: PreviewRequest,
  plans: readonly ShotPlan[],
  shots: Shots | undefined,
  warnings: Finding[],
): Promise<StartScene[]> {
  const clip = webClipOf(site);
  const told = new Set<string>();
  const warn = (name: string, parts: Pick<Finding, 'location' | 'observed' | 'impact' | 'fix'>) => {
    if (!told.has(parts.observed)) {
      warnings.push({ code: `preview-start.${name}`, severity: 'warning', ...parts });
    }
    told.add(parts.observed);
  };
  const location = startLocation(site);
  const scenes: StartScene[] = [];
  for (const plan of plans) {
    const { shows } = plan;
    const { screen } = plan.layout;
    const isClip = shows === 'web-clip';
    const where = `${WHERE[shows]} ${screen.device.kind}, ${screen.orientation}`;
    const shot = shots?.shots.get(plan.key);
    for (const scheme of ['light', 'dark'] as const) {
      const layout = layoutOf({ shows, clip, app, screen, scheme });
      const notes: string[] = [];
      const picture = shot?.pictures[scheme];
      const start: StartPicture = isClip
        ? await startPicture(site, screen, scheme)
        : { is: shows === 'android-app' ? 'splash' : 'launch' };
      if (start.is === 'white') notes.push(start.why);
      if (picture && isClip && layout.status && layout.status.color === undefined) {
        const under = await topColor(picture, screen.insets.top);
        const ratio = contrast(WHITE, under);
        if (ratio < READABLE) {
          const observed = `White symbols of the status bar over ${toHex(under)}: contrast ${ratio.toFixed(1)} to 1, unreadable.`;
          notes.push(observed);
          warn('status-bar', {
            location,
            observed: `${where}, ${scheme}: ${observed}`,
            impact: 'Users cannot read the time or the battery.',
            fix: withTasks`Let a dark header reach under the status bar, or use the status-bar style "default": ${task('writeTags')} chooses.`,
          });
        }
      }
      if (scheme === 'light') {
        for (const { text, element, edge } of shot?.underCutout ?? []) {
          const observed = `${quoted(text || element)} lies under what the system covers at the ${edge}.`;
          notes.push(observed);
          warn('covered', {
            location,
            observed: `${where}: ${observed}`,
            impact: 'Users cannot read or tap it.',
            fix: withTasks`Add padding of env(safe-area-inset-*) to what is fixed there: ${task('writeTags')} does.`,
          });
        }
      }
      scenes.push({
        shows,
        layout,
        scheme,
        start,
        turns: canBeHeld(app, screen, shows),
        notes,
        ...(picture ? { shot: picture } : {}),
        ...(shots && !picture ? { noShot: shots.faults.get(plan.key) ?? 'The page did not load.' } : {}),
      });
    }
  }
  const white = scenes.filter(({ start }) => start.is === 'white');
  if (white.length > 0) {
    const apple = scenes.filter(({ shows }) => shows === 'web-clip');
    warn('white-screen', {
      location,
      observed: `No start-up image fits ${white.length} of ${apple.length} screens of Apple’s devices.`,
      impact: 'From the home screen they stay white until the page is drawn.',
      fix: withTasks`${task('makeArt')} makes the images, ${task('writeTags')} names them in the start page.`,
    });
  }
  if (!clip.opensAlone) {
    warn('opens-browser', {
      location,
      observed: 'Neither the manifest nor the tags ask for a window of the app’s own.',
      impact: 'On Apple’s home screen the icon opens the browser.',
      fix: withTasks`Set "display": "standalone" in the manifest; ${task('writeTags')} does.`,
    });
  }
  const header = topBar(site)?.color;
  if (header && app.display !== 'fullscreen' && apart(header, app.themeColor)) {
    warn('theme-color', {
      location: project.location('/look/theme_color'),
      observed: `The strip behind Android’s status bar is ${toHex(app.themeColor)}, the pages’ header below it ${toHex(header)}.`,
      impact: 'Users see a stripe of another colour above the header.',
      fix: `Set look.theme_color to ${toHex(header)} in hull.json.`,
    });
  }
  return scenes;
}
