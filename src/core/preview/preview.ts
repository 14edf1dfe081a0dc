import type { App, AppColors } from '../app/app.js';
import { type ArtInputs, prepareIconSet } from '../art/icon-set.js';
import type { BrowserOptions } from '../browser/launch.js';
import { HullError, type Location, task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { type CapabilityOnAndroid, onAndroid } from '../platforms/android/app/permission-table.js';
import { onApple } from '../platforms/apple/app/permission-table.js';
import { contrast, type Rgba, toHex } from '../project/color.js';
import type { Engine } from '../project/config.js';
import type { Project } from '../project/project.js';
import { locationIn, manifestText, resolveReference, type Site } from '../site/site.js';
import { isVague } from '../survey/rules/permission.js';
import { topBar } from '../tags/tags.js';
import { pointerStep } from '../util/json-locations.js';
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
  /** What users will not see as it was meant; the family of each code is the part of the page that it is about. */
  readonly findings: readonly Finding[];
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

/** The start page, or the site where none was read. */
const startLocation = ({ kind, startPage, name }: Site): Location =>
  locationIn(kind, startPage?.name ?? name);
const quoted = (text: string) => `“${text}”`;

/** What Apple's home screen writes under a web app's icon. */
function webClipTitle(site: Site, app: App): string {
  const meta = site.startPage?.facts.metas.find(({ name }) => name === 'apple-mobile-web-app-title')?.content;
  const title = meta ?? manifestText(site, 'short_name') ?? manifestText(site, 'name');
  return title?.trim() || site.startPage?.facts.head.title?.trim() || app.name;
}

function homeLabels({ site, app, project }: PreviewRequest, warnings: Finding[]): Preview['labels'] {
  const labels = HOME_SCREENS.map((screen) => {
    const of = screen.platform === 'android' ? app.shortName : webClipTitle(site, app);
    return { screen, of, label: cutLabel(of, screen.labelRoom, screen.labelSize) };
  });
  for (const platform of ['android', 'apple'] as const) {
    const cut = labels.filter(({ screen, label }) => screen.platform === platform && label.isCut);
    const [first] = cut;
    if (!first) continue;
    warnings.push({
      code: 'preview-home.label-cut',
      severity: 'warning',
      location: platform === 'android' ? project.location('/app/short_name') : startLocation(site),
      impact: 'Users see a name that ends in the middle.',
      observed: `The label ${quoted(first.of)} is cut to ${quoted(first.label.shown)} on: ${cut.map(({ screen }) => screen.name).join('; ')}.`,
      fix:
        platform === 'android'
          ? 'Shorten app.short_name in hull.json; 10 to 13 letters are seen everywhere.'
          : withTasks`Give the pages a shorter apple-mobile-web-app-title: ${task('writeTags')} sets it to app.short_name.`,
    });
  }
  return labels;
}

/** A site's picture as a data address; `undefined` where it is none, which is told where it is used. */
const webpOf = (bytes: Uint8Array, side: number) => webpAddress(bytes, side, 84).catch(() => undefined);

async function touchIconOf(site: Site, planned: string, warnings: Finding[]): Promise<string> {
  const page = site.startPage;
  const reference = page?.facts.references.filter(({ kind }) => kind === 'touch-icon').at(-1);
  if (!page || !reference) {
    warnings.push({
      code: 'preview-home.no-touch-icon',
      severity: 'warning',
      location: startLocation(site),
      observed: 'The start page names no touch icon.',
      impact: 'Apple’s home screen shows a picture of the page instead.',
      fix: withTasks`${task('writeTags')} names the one that ${task('makeArt')} makes.`,
    });
    return planned;
  }
  const url = resolveReference(page, reference);
  const bytes = url && site.bytes(url);
  const picture = bytes && (await webpOf(bytes, 240));
  if (picture) return picture;
  warnings.push({
    code: 'preview-home.touch-icon',
    severity: 'warning',
    location: startLocation(site),
    observed: `The touch icon ${reference.text} could not be shown.`,
    impact: 'Apple’s home screen may show a picture of the page instead.',
    fix: withTasks`See what is wrong with it: ${task('surveyProject')}`,
  });
  return planned;
}

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

type Asking = Pick<PreviewQuestion['android'], 'by' | 'shows'>;
const NOBODY: Asking = { by: 'Nobody is asked', shows: [] };
const BY_ANDROID: Readonly<Record<CapabilityOnAndroid['webview'], Asking>> = {
  system: { by: 'The app says why, then the system asks', shows: ['reason', 'system'] },
  app: { by: 'The app asks; the system has no question for it', shows: ['app'] },
  nobody: NOBODY,
  never: { by: 'Not supported in a web view', shows: [] },
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
  never: 'Not supported on Apple’s systems',
} as const;

function questionsOf(project: Project, engine: Engine, warnings: Finding[]): PreviewQuestion[] {
  return Object.entries(project.settings.permissions).map(([name, reason]) => {
    const [android, apple] = [onAndroid(name), onApple(name)];
    if (isVague(reason, name)) {
      warnings.push({
        code: 'preview-asking.vague-reason',
        severity: 'warning',
        location: project.location(`/permissions/${pointerStep(name)}`),
        observed: `The reason for ${name}, ${quoted(reason)}, tells users nothing new.`,
        impact: 'Users refuse, and so do reviewers.',
        fix: `Say in hull.json under permissions.${name} what the user gets.`,
      });
    }
    if (android && engine === 'webview' && android.webview === 'never') {
      warnings.push({
        code: 'preview-asking.not-in-web-view',
        severity: 'warning',
        location: project.location(`/permissions/${pointerStep(name)}`),
        observed: `${name} is not supported in a web view.`,
        impact: 'Pages find that it is missing.',
        fix: 'Choose "android": { "engine": "browser" }, or do without it in the app.',
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

function listingsOf({ site, app, project }: PreviewRequest, warnings: Finding[]): StoreListing[] {
  const description = manifestText(site, 'description');
  if (description === undefined) {
    warnings.push({
      code: 'preview-store.no-description',
      severity: 'warning',
      location: site.manifest ? locationIn(site.kind, site.manifest.name) : startLocation(site),
      observed: 'The web app manifest has no description.',
      impact: 'The store listing begins without one.',
      fix: 'Add "description" to the manifest: one sentence of at most 80 characters.',
    });
  }
  return (['android', 'apple'] as const).map((platform) => {
    const name = cutText(app.name, STORE_NAME);
    const short = cutText(description ?? '', STORE_SHORT);
    if (name.isCut && platform === 'android') {
      warnings.push({
        code: 'preview-store.name-too-long',
        severity: 'warning',
        location: project.location('/app/name'),
        impact: 'The store cuts it or refuses it.',
        observed: `The name has ${[...app.name].length} characters; stores accept ${STORE_NAME}.`,
        fix: 'Shorten app.name in hull.json.',
      });
    }
    if (short.isCut && platform === 'android') {
      warnings.push({
        code: 'preview-store.description-too-long',
        severity: 'warning',
        location: site.manifest ? locationIn(site.kind, site.manifest.name) : startLocation(site),
        impact: 'The store cuts it or refuses it.',
        observed: `The description has ${[...(description ?? '')].length} characters; a short description has at most ${STORE_SHORT}.`,
        fix: 'Write a shorter one for the listing.',
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
    const isAndroid = screen.device.platform === 'android';
    return {
      key: `${screen.device.key} ${screen.orientation}`,
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
    const { screen } = plan.layout;
    const isApple = screen.device.platform === 'apple';
    const where = `${isApple ? 'Apple' : 'Android'} ${screen.device.kind}, ${screen.orientation}`;
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
    const apple = scenes.filter(({ layout }) => layout.screen.device.platform === 'apple');
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

/**
 * Computes everything that users see before the first tap and of the first page.
 *
 * @throws HullError `art.*`
 */
export async function previewApp(request: PreviewRequest): Promise<Preview> {
  const { project, app, site, inputs, cacheDir, browser } = request;
  const warnings: Finding[] = [];
  const { icons, notes, background } = await prepareIconSet(inputs);
  const labels = homeLabels(request, warnings);
  for (const observed of notes) {
    warnings.push({
      code: 'preview-home.art',
      severity: 'warning',
      location: project.location('/look/icon'),
      observed,
      impact: 'The icon does not look as it was drawn.',
      fix: withTasks`See all images with ${task('makeArt')}.`,
    });
  }
  const [pictures, losses] = await Promise.all([
    previewPictures(icons, cacheDir),
    maskLosses(icons, cacheDir),
  ]);
  const touchIcon = await touchIconOf(site, pictures.appleIcon, warnings);
  const cropped = losses.filter(({ share }) => share > 0);
  if (cropped.length > 0) {
    warnings.push({
      code: 'preview-home.icon-cut',
      severity: 'warning',
      location: project.location('/look/icon'),
      impact: 'Users see a part of the icon.',
      observed: `Launchers cut off part of what is drawn: ${cropped.map(({ mask, share }) => `${mask} ${(share * 100).toFixed(0)} %`).join(', ')}.`,
      fix: 'Give a picture with more space around the symbol, or look.art.padding for "foreground".',
    });
  }
  const plans = plansOf(site, app);
  let shots: Shots | undefined;
  let noBrowser = 'missing' in browser ? browser.missing : undefined;
  if (!('missing' in browser)) {
    try {
      shots = await takeShots(site, plans, browser);
    } catch (error) {
      const isBrowser = error instanceof HullError && /^browser\.(failed|no-driver)$/.test(error.code);
      if (!isBrowser) throw error;
      noBrowser = error.message;
    }
  }
  const engine = project.settings.android.engine;
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
    scenes: await scenesOf(request, plans, shots, warnings),
    questions: questionsOf(project, engine, warnings),
    listings: listingsOf(request, warnings),
    findings: warnings,
    ...(shots ? { browser: shots.browser } : {}),
    ...(noBrowser === undefined ? {} : { noBrowser }),
  };
}
