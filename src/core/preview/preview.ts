import type { App, AppColors } from '../app/app.js';
import { type ArtInputs, prepareKit } from '../art/kit.js';
import type { BrowserOptions } from '../browser/launch.js';
import { HullError } from '../errors.js';
import { type CapabilityOnAndroid, onAndroid } from '../platforms/android/app/permission-table.js';
import { onApple } from '../platforms/apple/app/permission-table.js';
import { contrast, type Rgba, toHex } from '../project/color.js';
import type { Engine } from '../project/config.js';
import type { Project } from '../project/project.js';
import { manifestText, resolveReference, type Site } from '../site/site.js';
import { isVague } from '../survey/rules/permission.js';
import { topBar } from '../tags/tags.js';
import { type CutLabel, cutLabel, cutText } from './label.js';
import { androidLayout, appleLayout, canBeHeld, type ScreenLayout, webClipOf } from './layout.js';
import { type MaskLoss, maskLosses, type PreviewPictures, previewPictures, webpAddress } from './pictures.js';
import { type HeldScreen, HOME_SCREENS, type HomeScreen, heldScreens } from './screens.js';
import { type Scheme, type ShotPlan, type Shots, takeShots } from './shots.js';
import { startupFor } from './startup-image.js';

export interface PreviewRequest {
  readonly project: Project;
  readonly app: App;
  readonly site: Site;
  readonly inputs: ArtInputs;
  /** Folder for drawn images. */
  readonly cacheDir?: string;
  /** The browser that shows the start page, or why there is none. */
  readonly browser: BrowserOptions | { readonly missing: string };
}

export type PreviewSection = 'home' | 'start' | 'asking' | 'store';

/** Something that users will not see as it was meant. */
export interface PreviewWarning {
  readonly section: PreviewSection;
  readonly saw: string;
  readonly remedy: string;
}

/** What is on the screen before the first page is drawn. */
export type StartPicture =
  | { readonly is: 'splash' }
  | { readonly is: 'image'; readonly url: string; readonly data: string }
  /** No image fits: the screen stays white. */
  | { readonly is: 'white'; readonly why: string };

/** The start of the app on one screen, in one colour scheme. */
export interface StartScene {
  readonly layout: ScreenLayout;
  readonly scheme: Scheme;
  readonly start: StartPicture;
  /** JPEG of the start page. */
  readonly shot?: Uint8Array;
  /** Why there is none. */
  readonly noShot?: string;
  /** Whether the app turns with the device; else it stays as it is. */
  readonly turns: boolean;
  readonly notes: readonly string[];
}

/** How a permission is asked for. */
/**
 * Dialogs of Android: the app's `reason` and the `system`'s question, the `app`'s own question, and the browser's in the
 * name of the `site`.
 */
export type AndroidDialog = 'reason' | 'system' | 'app' | 'site';

export interface PreviewQuestion {
  readonly name: string;
  readonly reason: string;
  readonly android: {
    readonly by: string;
    /** One after the other. */
    readonly shows: readonly AndroidDialog[];
    readonly allow: string;
  };
  readonly apple: { readonly by: string; readonly allow: string; readonly usage?: string };
  /** What store reviewers want to know of it. */
  readonly review?: string;
}

export interface StoreListing {
  readonly platform: 'android' | 'apple';
  /** As the listing's head has it. */
  readonly name: string;
  /** As a list of search results has it. */
  readonly inList: CutLabel;
  /** `undefined` where the listing has a text of its own. */
  readonly short: string | undefined;
}

export interface Preview {
  readonly name: string;
  /** Where the pages come from. */
  readonly host: string;
  readonly engine: Engine;
  readonly version: string;
  readonly background: Rgba;
  readonly backgroundColor: Rgba;
  readonly themeColor: Rgba;
  readonly pictures: PreviewPictures;
  /** What Apple's home screen shows for the web app: its touch icon, or the planned one. */
  readonly touchIcon: string;
  readonly losses: readonly MaskLoss[];
  readonly labels: readonly { readonly screen: HomeScreen; readonly label: CutLabel; readonly of: string }[];
  readonly scenes: readonly StartScene[];
  readonly questions: readonly PreviewQuestion[];
  readonly listings: readonly StoreListing[];
  readonly warnings: readonly PreviewWarning[];
  /** Name and version of the browser that showed the pages. */
  readonly browser?: string;
  readonly noBrowser?: string;
}

/** Room for a name in a store's list of results: px, and the font's size. */
export const LIST_ROOM = 212;
export const LIST_SIZE = 16;
/** Characters (stores' listing limits). */
const STORE_NAME = 30;
const STORE_SHORT = 80;
const WHITE: Rgba = { r: 255, g: 255, b: 255, a: 255 };
/** Contrast that symbols need (WCAG 2.2, 1.4.11). */
const READABLE = 3;
/** Difference of 255 from which on two colours that should be one are seen to be two. */
const APART = 20;

const quoted = (text: string) => `“${text}”`;

/** What Apple's home screen writes under a web app's icon. */
function webClipTitle(site: Site, app: App): string {
  const meta = site.startPage?.facts.metas.find(({ name }) => name === 'apple-mobile-web-app-title')?.content;
  const title = meta ?? manifestText(site, 'short_name') ?? manifestText(site, 'name');
  return title?.trim() || site.startPage?.facts.head.title?.trim() || app.name;
}

function homeLabels(site: Site, app: App, warnings: PreviewWarning[]): Preview['labels'] {
  const labels = HOME_SCREENS.map((screen) => {
    const of = screen.platform === 'android' ? app.shortName : webClipTitle(site, app);
    return { screen, of, label: cutLabel(of, screen.labelRoom, screen.labelSize) };
  });
  for (const platform of ['android', 'apple'] as const) {
    const cut = labels.filter(({ screen, label }) => screen.platform === platform && label.isCut);
    const [first] = cut;
    if (!first) continue;
    warnings.push({
      section: 'home',
      saw: `The label ${quoted(first.of)} is cut to ${quoted(first.label.shown)} on: ${cut.map(({ screen }) => screen.name).join('; ')}.`,
      remedy:
        platform === 'android'
          ? 'Shorten app.short_name in hull.json; 10 to 13 letters are seen everywhere.'
          : 'Give the pages a shorter apple-mobile-web-app-title: hull tags --write puts app.short_name there.',
    });
  }
  return labels;
}

/** A site's picture as a data address; `undefined` where it is none, which is told where it is used. */
const webpOf = (bytes: Uint8Array, side: number) => webpAddress(bytes, side, 84).catch(() => undefined);

async function touchIconOf(site: Site, planned: string, warnings: PreviewWarning[]): Promise<string> {
  const page = site.startPage;
  const reference = page?.facts.references.filter(({ kind }) => kind === 'touch-icon').at(-1);
  if (!page || !reference) {
    warnings.push({
      section: 'home',
      saw: 'The start page names no touch icon: Apple’s home screen takes a picture of the page instead.',
      remedy: 'hull tags --write names the one that hull art makes.',
    });
    return planned;
  }
  const url = resolveReference(page, reference);
  const bytes = url && site.bytes(url);
  const picture = bytes && (await webpOf(bytes, 240));
  if (picture) return picture;
  warnings.push({
    section: 'home',
    saw: `The touch icon ${reference.text} could not be shown.`,
    remedy: 'hull survey says what is wrong with it.',
  });
  return planned;
}

/** The start-up image of a web app on Apple's home screen; exact pixels, or the system leaves the screen white. */
async function startPicture(site: Site, screen: HeldScreen, scheme: Scheme): Promise<StartPicture> {
  const page = site.startPage;
  const { handset } = screen;
  const [width, height] = [screen.width * handset.ratio, screen.height * handset.ratio];
  const named = page && startupFor(page, screen, scheme);
  if (!named) {
    return {
      is: 'white',
      why: `No start-up image is named for ${handset.width} × ${handset.height} at ${handset.ratio}, ${screen.held}, ${scheme}: the screen stays white.`,
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

type Asking = Pick<PreviewQuestion['android'], 'by' | 'shows'>;
const NOBODY: Asking = { by: 'Nobody is asked', shows: [] };
const BY_ANDROID: Readonly<Record<CapabilityOnAndroid['webview'], Asking>> = {
  system: { by: 'The app says why, then the system asks', shows: ['reason', 'system'] },
  app: { by: 'The app asks; the system has no question for it', shows: ['app'] },
  nobody: NOBODY,
  never: { by: 'Cannot be had in a web view', shows: [] },
};
const BY_BROWSER: Readonly<Record<CapabilityOnAndroid['browser'], Asking>> = {
  browser: { by: 'The browser asks, in the name of the site', shows: ['site'] },
  app: {
    by: 'The browser hands it to the app, which says why; then the system asks',
    shows: ['reason', 'system'],
  },
  nobody: NOBODY,
};
const BY_APPLE = {
  system: 'The system asks, with this reason',
  page: 'The system asks when the page does, with words of its own',
  nobody: 'Nobody is asked',
  never: 'Cannot be had on Apple’s systems',
} as const;

function questionsOf(project: Project, engine: Engine, warnings: PreviewWarning[]): PreviewQuestion[] {
  return Object.entries(project.config.permissions ?? {}).map(([name, reason]) => {
    const [android, apple] = [onAndroid(name), onApple(name)];
    if (isVague(reason, name)) {
      warnings.push({
        section: 'asking',
        saw: `The reason for ${name}, ${quoted(reason)}, says nothing that users do not know: they refuse, and so do reviewers.`,
        remedy: `Say in hull.json under permissions.${name} what the user gets.`,
      });
    }
    if (android && engine === 'webview' && android.webview === 'never') {
      warnings.push({
        section: 'asking',
        saw: `${name} is not supported in a web view.`,
        remedy: 'Choose "android": { "engine": "browser" }, or do without it in the app.',
      });
    }
    const byAndroid =
      engine === 'browser' ? android && BY_BROWSER[android.browser] : android && BY_ANDROID[android.webview];
    return {
      name,
      reason,
      android: { ...(byAndroid ?? NOBODY), allow: android?.allow ?? name },
      apple: {
        by: apple ? BY_APPLE[apple.asks] : 'Nobody is asked',
        allow: apple?.allow ?? name,
        ...(apple?.usage === undefined ? {} : { usage: apple.usage }),
      },
      ...(android?.review === undefined ? {} : { review: android.review }),
    };
  });
}

function listingsOf(site: Site, app: App, warnings: PreviewWarning[]): StoreListing[] {
  const description = manifestText(site, 'description');
  if (description === undefined) {
    warnings.push({
      section: 'store',
      saw: 'The web app manifest has no description to begin a listing with.',
      remedy: 'Add "description" to the manifest: one sentence of at most 80 characters.',
    });
  }
  return (['android', 'apple'] as const).map((platform) => {
    const name = cutText(app.name, STORE_NAME);
    const short = cutText(description ?? '', STORE_SHORT);
    if (name.isCut && platform === 'android') {
      warnings.push({
        section: 'store',
        saw: `The name has ${[...app.name].length} characters; stores take ${STORE_NAME}.`,
        remedy: 'Shorten app.name in hull.json.',
      });
    }
    if (short.isCut && platform === 'android') {
      warnings.push({
        section: 'store',
        saw: `The description has ${[...(description ?? '')].length} characters; a short description has at most ${STORE_SHORT}.`,
        remedy: 'Write a shorter one for the listing.',
      });
    }
    return {
      platform,
      name: name.shown,
      inList: cutLabel(name.shown, LIST_ROOM, LIST_SIZE),
      // A subtitle is written for the store; the manifest has no member for it.
      short: platform === 'android' ? short.shown : undefined,
    };
  });
}

function plansOf(site: Site, app: App): ShotPlan[] {
  const clip = webClipOf(site);
  const url = site.start.href;
  return heldScreens().map((screen) => {
    const isAndroid = screen.handset.platform === 'android';
    return {
      key: `${screen.handset.key} ${screen.held}`,
      layout: isAndroid
        ? androidLayout(app, screen)
        : appleLayout(clip, 'light', app.backgroundColor, screen),
      url,
      mode: isAndroid ? app.display : 'standalone',
    };
  });
}

const pickColors = ({ themeColor, backgroundColor }: AppColors): AppColors => ({
  themeColor,
  backgroundColor,
});

async function scenesOf(
  site: Site,
  app: App,
  plans: readonly ShotPlan[],
  shots: Shots | undefined,
  warnings: PreviewWarning[],
): Promise<StartScene[]> {
  const clip = webClipOf(site);
  const told = new Set<string>();
  const warn = (saw: string, remedy: string) => {
    if (!told.has(saw)) warnings.push({ section: 'start', saw, remedy });
    told.add(saw);
  };
  const scenes: StartScene[] = [];
  for (const plan of plans) {
    const { screen } = plan.layout;
    const isApple = screen.handset.platform === 'apple';
    const where = `${isApple ? 'Apple' : 'Android'} ${screen.handset.kind}, ${screen.held}`;
    const shot = shots?.shots.get(plan.key);
    for (const scheme of ['light', 'dark'] as const) {
      const colors = scheme === 'dark' ? app.dark : app;
      const layout = isApple
        ? appleLayout(clip, scheme, app.backgroundColor, screen)
        : androidLayout({ ...app, ...pickColors(colors) }, screen);
      const notes: string[] = [];
      const picture = shot?.pictures[scheme];
      const start: StartPicture = isApple ? await startPicture(site, screen, scheme) : { is: 'splash' };
      if (start.is === 'white') notes.push(start.why);
      if (picture && isApple && layout.status && layout.status.color === undefined) {
        const under = await topColor(picture, screen.insets.top);
        const ratio = contrast(WHITE, under);
        if (ratio < READABLE) {
          const saw = `White symbols of the status bar over ${toHex(under)}: contrast ${ratio.toFixed(1)} to 1, unreadable.`;
          notes.push(saw);
          warn(
            `${where}, ${scheme}: ${saw}`,
            'Let a dark header reach under the status bar, or use the status-bar style "default": hull tags chooses.',
          );
        }
      }
      if (scheme === 'light') {
        for (const { text, element, edge } of shot?.underCutout ?? []) {
          const saw = `${quoted(text || element)} lies under what the system covers at the ${edge}.`;
          notes.push(saw);
          warn(
            `${where}: ${saw}`,
            'Add padding of env(safe-area-inset-*) to what is fixed there: hull tags does.',
          );
        }
      }
      scenes.push({
        layout,
        scheme,
        start,
        turns: canBeHeld(app, screen),
        notes,
        ...(picture ? { shot: picture } : {}),
        ...(shots && !picture ? { noShot: shots.faults.get(plan.key) ?? 'The page did not load.' } : {}),
      });
    }
  }
  const white = scenes.filter(({ start }) => start.is === 'white');
  if (white.length > 0) {
    const apple = scenes.filter(({ layout }) => layout.screen.handset.platform === 'apple');
    warn(
      `On Apple’s home screen ${white.length} of ${apple.length} screens stay white until the page is drawn: no start-up image fits.`,
      'hull art makes the images, hull tags --write names them in the start page.',
    );
  }
  if (!clip.opensAlone) {
    warn(
      'On Apple’s home screen the icon opens the browser, not an app: neither manifest nor tags ask for more.',
      'Set "display": "standalone" in the manifest; hull tags --write does.',
    );
  }
  const header = topBar(site)?.color;
  if (header && app.display !== 'fullscreen' && apart(header, app.themeColor)) {
    warn(
      `The strip behind Android’s status bar is ${toHex(app.themeColor)}, the pages’ header below it ${toHex(header)}.`,
      `Set look.theme_color to ${toHex(header)} in hull.json.`,
    );
  }
  return scenes;
}

/**
 * Computes everything that users see before the first tap and of the first page.
 *
 * @throws HullError `art.*`
 */
export async function previewApp(request: PreviewRequest): Promise<Preview> {
  const { project, app, site, inputs, cacheDir, browser } = request;
  const warnings: PreviewWarning[] = [];
  const { kit, notes, background } = await prepareKit(inputs);
  const labels = homeLabels(site, app, warnings);
  for (const note of notes) warnings.push({ section: 'home', saw: note, remedy: 'See hull art.' });
  const [pictures, losses] = await Promise.all([previewPictures(kit, cacheDir), maskLosses(kit, cacheDir)]);
  const touchIcon = await touchIconOf(site, pictures.appleIcon, warnings);
  const cropped = losses.filter(({ share }) => share > 0);
  if (cropped.length > 0) {
    warnings.push({
      section: 'home',
      saw: `Launchers cut off part of what is drawn: ${cropped.map(({ mask, share }) => `${mask} ${(share * 100).toFixed(0)} %`).join(', ')}.`,
      remedy: 'Give a picture with more space around the symbol, or look.art.padding for "foreground".',
    });
  }
  const plans = plansOf(site, app);
  let shots: Shots | undefined;
  let noBrowser = 'missing' in browser ? browser.missing : undefined;
  if (!('missing' in browser)) {
    try {
      shots = await takeShots(site, plans, browser);
    } catch (error) {
      if (!(error instanceof HullError) || error.code !== 'browser.failed') throw error;
      noBrowser = error.message;
    }
  }
  const engine = project.config.android?.engine ?? 'webview';
  return {
    name: app.name,
    host: app.base.host,
    engine,
    version: app.version,
    background,
    backgroundColor: app.backgroundColor,
    themeColor: app.themeColor,
    pictures,
    touchIcon,
    losses,
    labels,
    scenes: await scenesOf(site, app, plans, shots, warnings),
    questions: questionsOf(project, engine, warnings),
    listings: listingsOf(site, app, warnings),
    warnings,
    ...(shots ? { browser: shots.browser } : {}),
    ...(noBrowser === undefined ? {} : { noBrowser }),
  };
}
