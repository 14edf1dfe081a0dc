import { basename, join } from 'node:path';
import { canonicalLanguage } from '../app/language.js';
import { formatLocation, HullError, type Location } from '../errors.js';
import { appIdFromHost } from '../project/app-id.js';
import { parseColor, toHex } from '../project/color.js';
import { DISPLAY_MODES, ORIENTATIONS } from '../project/config.js';
import { checkApart } from '../project/project.js';
import { capability } from '../site/capabilities.js';
import { fileUrl, pathBelow, type Site } from '../site/site.js';
import { type FirstLook, type IconChoice, linkedIcon, manifestIcon, siteLook } from '../site/start-page.js';
import { Derived } from '../survey/derived.js';
import { suitableEngine, usesPush } from '../survey/survey.js';
import { usesOf } from '../survey/uses.js';
import { pathFrom } from '../util/files.js';
import { baseOf, decodePath, parseUrl } from '../util/url-path.js';
import { type ProposedEntries, proposeEntries } from './entries.js';
import { labelOf, nameOf } from './names.js';
import { BEGIN_KEYS, type BeginAnswers, type BeginKey, checkFound, type Found, GIVEN } from './values.js';

export interface Proposal {
  readonly found: ReadonlyMap<BeginKey, Found>;
  /** Asked for, or named as missing: nothing can be assumed for these. */
  readonly missing: readonly { readonly key: BeginKey; readonly question: string }[];
  /** Things seen that the user should know of. */
  readonly notes: readonly string[];
  /** A hosted icon to be saved beside `hull.json`: its bytes and the path that `look.icon` names. */
  readonly icon?: { readonly path: string; readonly bytes: Uint8Array };
  /** Permissions that the pages really use, each with a reason to be edited. */
  readonly permissions: readonly {
    readonly name: string;
    readonly reason: string;
    readonly origin: string;
  }[];
  /** Hosts whose links should open in the app. */
  readonly links: readonly {
    readonly host: string;
    readonly paths: readonly string[];
    readonly origin: string;
  }[];
  /** What the manifest has for the icon's menu, and for what others share. */
  readonly entries: ProposedEntries;
}

/** Values that there must be, and how they are asked for. */
const NEEDED = {
  'app.id': 'App ID (a domain of yours in reverse; it can never change later)',
  'app.name': 'Name of the app',
} as const;

/** Collects values: the first one found for a key counts. */
class Collector {
  readonly found = new Map<BeginKey, Found>();
  readonly notes: string[] = [];

  set(key: BeginKey, value: string | undefined, origin: string): void {
    if (value !== undefined && value !== '' && !this.found.has(key)) this.found.set(key, { value, origin });
  }
}

/** A hosted address from the page's canonical link or an absolute start URL, as a base that ends with a slash. */
function hostedBase(reference: string | undefined): URL | undefined {
  const url = reference !== undefined && /^https?:\/\//i.test(reference) ? parseUrl(reference) : undefined;
  return url && baseOf(url);
}

function fromManifest(collector: Collector, { manifest, manifestText }: FirstLook): void {
  if (manifest === undefined || manifestText === undefined) return;
  const name = (pointer: string) => `${manifestText.name} ${pointer}`;
  collector.set(
    'app.name',
    manifest.name ?? manifest.short_name,
    name(manifest.name ? '/name' : '/short_name'),
  );
  collector.set('app.short_name', manifest.short_name, name('/short_name'));
  const choose = (key: BeginKey, value: string | undefined, known: readonly string[], pointer: string) => {
    if (value !== undefined && known.includes(value)) collector.set(key, value, name(pointer));
    else if (value !== undefined)
      collector.notes.push(`${name(pointer)} is "${value}", which an app cannot have; left out.`);
  };
  choose('look.display', manifest.display, DISPLAY_MODES, '/display');
  choose('look.orientation', manifest.orientation, ORIENTATIONS, '/orientation');
  for (const key of ['theme_color', 'background_color'] as const) {
    const text = manifest[key];
    if (text === undefined) continue;
    const color = parseColor(text);
    if (color === undefined)
      collector.notes.push(`${name(`/${key}`)} is "${text}", which is not a valid colour; left out.`);
    else collector.set(`look.${key}`, toHex({ ...color, a: 255 }), name(`/${key}`));
  }
}

/** Where the app starts, as a reference that resolves against `web.url` (or, without one, the folder's root). */
function startPage(
  collector: Collector,
  { manifest, manifestText, page }: FirstLook,
  site: Site,
  given: string | undefined,
): void {
  const base = site.kind === 'folder' ? site.base : baseOf(page.url);
  const reference = given ?? manifest?.start_url;
  const location: Location =
    given !== undefined ? { option: 'start' } : (manifest?.location('/start_url') ?? { url: page.url.href });
  const from = given === undefined && manifestText !== undefined ? manifestText.url : base;
  const named = `${manifestText?.name} /start_url`;
  const origin = given !== undefined ? GIVEN : manifest?.start_url ? named : 'default';
  const url = reference === undefined ? page.url : parseUrl(reference, from);
  const hosted = hostedBase(collector.found.get('web.url')?.value);
  const below = hosted?.pathname ?? (site.kind === 'folder' ? site.base.pathname : '/');
  const onHost = url !== undefined && hosted?.origin === url.origin && url.pathname.startsWith(below);
  // A `..` that leaves the folder is folded by URL rules; it is seen in the text.
  const climbs = site.kind === 'folder' && reference !== undefined && climbsOut(reference, from);
  if (url === undefined || climbs || (url.origin !== base.origin && !onHost)) {
    throw new HullError('web.start-outside', `The start page "${reference}" lies outside the web app.`, {
      location,
      fix: 'Name a page of the app itself, as in /?from=app',
    });
  }
  // In a folder that is hosted below a path, pages may name themselves with that path or without.
  const inside = onHost || url.pathname.startsWith(below);
  const path = inside ? url.pathname.slice(below.length) : url.pathname.slice(1);
  collector.set(
    'web.start',
    `${below === '/' || hosted === undefined ? '/' : './'}${path}${url.search}${url.hash}`,
    origin,
  );
}

/** The colours behind the start page, and those of dark screens where the pages have some: as their styles count. */
function pageColors(collector: Collector, site: Site): void {
  const { startPage } = site;
  const group = site.styleGroups.find(({ page }) => page === startPage);
  if (!startPage || !group) return;
  const { cascade, bars } = new Derived(site).stylesOf(group);
  const behind = (scheme: 'light' | 'dark') => {
    for (const tag of ['body', 'html']) {
      const node = startPage.facts.frames.find((one) => one.tag === tag);
      const own = node && cascade.value(node, 'background-color', scheme);
      const color = node && own && parseColor(cascade.expand(node, own.value, scheme));
      if (color?.a === 255) return { hex: toHex(color), origin: `the background of ${tag}` };
    }
    return undefined;
  };
  const [light, dark] = [behind('light'), behind('dark')];
  collector.set('look.background_color', light?.hex, light?.origin ?? '');
  if (dark?.hex !== light?.hex)
    collector.set('look.dark.background_color', dark?.hex, `${dark?.origin} in dark`);
  const meta = startPage.facts.metas.find(
    ({ name, media }) => name === 'theme-color' && media !== undefined && /dark/.test(media),
  );
  const named = meta && parseColor(meta.content);
  const dim = named?.a === 255 ? toHex(named) : undefined;
  const theme = collector.found.get('look.theme_color')?.value;
  if (dim !== undefined && dim !== theme)
    collector.set('look.dark.theme_color', dim, `${startPage.name} <meta name="theme-color">`);
  const bar = bars.find(({ edge, darkColor }) => edge === 'top' && darkColor);
  const own = bar?.darkColor && toHex(bar.darkColor);
  if (own !== undefined && bar?.color && own !== toHex(bar.color))
    collector.set('look.dark.theme_color', own, `the background of ${bar.name} in dark`);
}

/** The packed page that answers addresses which the app routes by itself. */
function proposeFallback(collector: Collector, site: Site): void {
  if (site.folder === undefined) return;
  const { files, answers } = site.folder;
  const has = (path: string) => files.some((file) => file.path === path);
  const set = (path: string | undefined, origin: string) => {
    if (path !== undefined && has(path)) collector.set('web.fallback', `/${path}`, origin);
  };
  const { fallback } = answers.rules;
  if (fallback !== undefined) {
    const isTold = answers.redirectsFile?.fallback === fallback;
    set(
      fallback,
      isTold ? '_redirects' : `the folder’s ${fallback === '200.html' ? '200.html' : 'only page'}`,
    );
    return;
  }
  for (const { url, name, text } of workerFallbacks(site)) {
    const target = parseUrl(text, url);
    const path = target && pathBelow(site.base, target);
    set(path === '' ? 'index.html' : path, name);
  }
}

/** Pages that service workers answer navigations with: their own calls, and the list that one kind is configured by. */
function workerFallbacks(site: Site): { readonly url: URL; readonly name: string; readonly text: string }[] {
  const named = site.scripts.flatMap(({ facts, url, name }) =>
    facts.navigationFallback === undefined
      ? []
      : [{ url: new URL(url), name, text: facts.navigationFallback }],
  );
  const url = new URL('ngsw.json', site.base);
  const bytes = site.bytes(url);
  if (bytes === undefined) return named;
  try {
    const { index } = JSON.parse(Buffer.from(bytes).toString('utf8')) as { readonly index?: unknown };
    return typeof index === 'string' ? [...named, { url, name: 'ngsw.json /index', text: index }] : named;
  } catch {
    return named; // not JSON, so not such a list
  }
}

/** Where a hosted app lives: the page's own folder, or the whole host where the app starts elsewhere on it. */
function hostedAddress({ page, manifest, manifestText }: FirstLook): URL {
  const own = baseOf(page.url);
  const start =
    manifest?.start_url === undefined ? undefined : parseUrl(manifest.start_url, manifestText?.url);
  const elsewhere = start?.origin === own.origin && !start.pathname.startsWith(own.pathname);
  return elsewhere ? new URL('/', own) : own;
}

/** Whether a relative reference has more `..` steps than there are folders to leave. */
function climbsOut(reference: string, from: URL): boolean {
  if (!/(^|\/)\.\.(\/|$)/.test(reference)) return false;
  let depth = reference.startsWith('/') ? 0 : from.pathname.split('/').length - 2;
  for (const step of reference.replace(/[?#].*$/s, '').split('/')) {
    if (step === '..') depth -= 1;
    else if (step !== '' && step !== '.') depth += 1;
    if (depth < 0) return true;
  }
  return false;
}

/** Where hosts name the Android apps that are theirs (Digital Asset Links). */
const ASSETLINKS = '/.well-known/assetlinks.json';
const ICON_ENDINGS = new Set(['svg', 'png', 'webp', 'jpg', 'jpeg']);

/**
 * Looks at a web app and proposes the values of its `hull.json`, each with its origin. Nothing is written.
 *
 * @param projectDir folder in which `hull.json` will be, absolute
 * @param webDir the web folder as given, where the source is one
 * @throws HullError `web.*`, `manifest.*`, `app.*`, `config.bad-value`
 */
export function proposeProject(
  site: Site,
  projectDir: string,
  webDir: string | undefined,
  answers: BeginAnswers,
): Proposal {
  if (webDir !== undefined) checkApart(projectDir, webDir, { file: webDir });
  const collector = new Collector();
  const findings = siteLook(site, ({ message, location }) => {
    const where = location === undefined ? '' : `${formatLocation(location)}: `;
    collector.notes.push(`${where}${message} It was left out.`);
  });
  const { head, page } = findings;
  for (const key of BEGIN_KEYS) {
    if (key !== 'web.start') collector.set(key, answers[key], GIVEN);
  }

  if (webDir !== undefined) collector.set('web.folder', pathFrom(projectDir, webDir), GIVEN);
  if (site.kind === 'hosted') {
    collector.set(
      'web.url',
      hostedAddress(findings).href,
      page.url.href === site.name ? GIVEN : 'where the address led',
    );
  }
  const canonical = site.folder ? site.folder.built.hosted : hostedBase(head.canonical);
  collector.set('web.url', canonical?.href, `${page.name} <link rel="canonical">`);
  const absoluteStart = hostedBase(findings.manifest?.start_url);
  collector.set('web.url', absoluteStart?.href, `${findings.manifestText?.name} /start_url`);

  fromManifest(collector, findings);
  const named = nameOf(site);
  collector.set('app.name', named?.name, named?.origin ?? '');
  const label = labelOf(collector.found.get('app.name')?.value ?? '');
  collector.set('app.short_name', label, 'as much of the name as fits below an icon');
  collector.set(
    'app.language',
    canonicalLanguage(site.startPage?.facts.lang ?? ''),
    `${page.name} <html lang>`,
  );
  const theme = head.themeColor === undefined ? undefined : parseColor(head.themeColor);
  collector.set(
    'look.theme_color',
    theme && toHex({ ...theme, a: 255 }),
    `${page.name} <meta name="theme-color">`,
  );
  const [look] = site.styleGroups;
  const header =
    look && new Derived(site).stylesOf(look).bars.find(({ edge, color }) => edge === 'top' && color);
  collector.set(
    'look.theme_color',
    header?.color && toHex(header.color),
    `the background of ${header?.name}`,
  );
  pageColors(collector, site);
  startPage(collector, findings, site, answers['web.start']);
  proposeFallback(collector, site);
  const built = site.folder?.built.builtFor;
  if (built !== undefined && !collector.found.has('web.url')) {
    collector.notes.push(
      `The pages were built for ${built}, and find their scripts only there: set web.url to the address that ends so.`,
    );
  }

  for (const address of [collector.found.get('web.url')?.value, canonical?.href]) {
    const host = hostedBase(address)?.hostname;
    collector.set(
      'app.id',
      host === undefined ? undefined : appIdFromHost(host),
      `the host ${host}, reversed`,
    );
  }
  collector.set('app.version', '1.0.0', 'default');
  collector.set('app.build', '1', 'default');

  let icon: Proposal['icon'];
  const choice = collector.found.has('look.icon') ? undefined : usableIcon(collector, site, findings);
  const bytes = choice && site.bytes(choice.url);
  if (choice && bytes !== undefined) {
    if (site.kind === 'folder') {
      collector.set(
        'look.icon',
        pathFrom(projectDir, join(site.name, fileOf(site, choice.url))),
        choice.origin,
      );
    } else {
      const ending = basename(choice.url.pathname).split('.').at(-1)?.toLowerCase() ?? '';
      const path = `art/icon.${ICON_ENDINGS.has(ending) ? ending : 'png'}`;
      icon = { path, bytes };
      collector.set('look.icon', path, `${choice.origin}, saved`);
    }
  }

  const engine = chooseEngine(site);
  collector.set('android.engine', engine.value, engine.origin);
  checkFound(collector.found);
  const missing = (Object.keys(NEEDED) as (keyof typeof NEEDED)[])
    .filter((key) => !collector.found.has(key))
    .map((key) => ({ key, question: NEEDED[key] }));
  if (collector.found.get('web.url')?.value.toLowerCase().startsWith('http:')) {
    collector.notes.push(
      'The address is plain http, which phones refuse: packing needs a reason in web.insecure.',
    );
  }
  if (!collector.found.has('look.icon')) {
    collector.notes.push(
      'No icon that can be used was found, and packing needs one: set look.icon to an SVG or a PNG of at least 512 px.',
    );
  }
  if (engine.value === 'browser' && site.probes.association.get(ASSETLINKS) !== 200) {
    collector.notes.push(
      `The host does not serve ${ASSETLINKS} yet: until it names the app there, the browser shows its address bar.`,
    );
  }
  const entries = proposeEntries(site);
  return {
    found: collector.found,
    missing,
    notes: [...collector.notes, ...entries.notes],
    ...(icon ? { icon } : {}),
    permissions: proposePermissions(site),
    links: proposeLinks(collector.found.get('web.url')),
    entries,
  };
}

/** px below which a picture is too small to make icons of. */
const MIN_ICON = 192;

/** The best picture that the manifest or the page names, that is there, can be read and is large enough. */
function usableIcon(collector: Collector, site: Site, findings: FirstLook): IconChoice | undefined {
  for (const choice of [manifestIcon(findings), linkedIcon(findings)]) {
    if (choice === undefined) continue;
    const name = `${choice.origin} names ${choice.url.pathname}`;
    const bytes = site.bytes(choice.url);
    const picture = site.pictures.get(fileUrl(choice.url));
    const side = Math.min(picture?.width ?? 0, picture?.height ?? 0);
    const fault =
      bytes === undefined
        ? 'which is not there'
        : picture === undefined
          ? undefined
          : picture.format === undefined
            ? 'which is not an image'
            : picture.format !== 'svg' && side < MIN_ICON
              ? `which has ${picture.width}x${picture.height} px: too few to make icons of`
              : undefined;
    if (fault === undefined) return choice;
    collector.notes.push(`${name}, ${fault}.`);
  }
  return undefined;
}

/** Path of a file below the web folder. */
function fileOf(site: Site, url: URL): string {
  return decodePath(url.pathname.slice(site.base.pathname.length)) ?? url.pathname;
}

/** What the pages use of the device and an app has to declare, from the places where they do. */
function proposePermissions(site: Site): Proposal['permissions'] {
  const found = new Map<string, { name: string; reason: string; origin: string }>();
  for (const { names, location } of usesOf(site)) {
    // Where the script does not show which of several it is, declaring all of them would ask for too much.
    const [name] = names.length === 1 ? names : [];
    const row = name === undefined ? undefined : capability(name);
    if (!row?.declare || !row.reason || found.has(row.name)) continue;
    // The system asks for these two with one question, which has one reason.
    const same = { push: 'notifications', notifications: 'push' }[row.name];
    found.set(row.name, {
      name: row.name,
      reason: (same === undefined ? undefined : found.get(same)?.reason) ?? row.reason,
      origin: formatLocation(location),
    });
  }
  return [...found.values()];
}

/** Links of the app's own host and path; of a host that links can be verified for, so with a name and https. */
function proposeLinks(address: Found | undefined): Proposal['links'] {
  const url = hostedBase(address?.value);
  const isNamed = url !== undefined && /[a-z]/i.test(url.hostname) && url.hostname.includes('.');
  if (!url || url.protocol !== 'https:' || url.port !== '' || !isNamed || !address) return [];
  return [{ host: url.hostname, paths: [`${url.pathname}*`], origin: address.origin }];
}

/** Which engine suits the site, and why. */
function chooseEngine(site: Site): Found {
  if (site.kind === 'folder') return { value: 'webview', origin: 'the pages are packed into the app' };
  if (site.base.protocol !== 'https:') return { value: 'webview', origin: 'the browser engine needs https' };
  const { engine, broken } = suitableEngine(site);
  return engine === 'browser'
    ? {
        value: engine,
        origin: usesPush(site)
          ? 'hosted, and the pages use push messages, which only the browser engine receives'
          : 'hosted, and everything that the browser engine demands holds',
      }
    : { value: engine, origin: `the browser engine demands ${broken.join(', ')}` };
}
