import { HullError, type Location } from '../errors.js';
import { checkAppId } from '../project/app-id.js';
import { type Rgba, requireOpaqueColor } from '../project/color.js';
import type { DisplayMode, Orientation } from '../project/config.js';
import { checkLabel } from '../project/label.js';
import { ownAnswers } from '../project/own-answers.js';
import { checkApart, type Project } from '../project/project.js';
import {
  type CompiledPattern,
  compileUrlPattern,
  patternBelow,
  patternMatches,
} from '../project/url-pattern.js';
import { checkVersion } from '../project/version.js';
import { type AnswerRules, filesLedTo, isRouted } from '../site/answer.js';
import { readAnswers } from '../site/answer-rules.js';
import { type ListFolder, listWebFolder, type WebFolder } from '../site/folder.js';
import { isInside } from '../util/files.js';
import { pointerStep } from '../util/json-locations.js';
import { baseOf, decodePath, parseUrl } from '../util/url-path.js';
import type { OwnWords } from '../words/table.js';
import { type AppEntry, readEntry, readWords } from './entry.js';
import { readLanguage } from './language.js';

/** The platform-neutral description of what is being wrapped: what every package kind is made from. */
export interface App extends AppEntry {
  readonly id: string;
  readonly androidId: string;
  readonly name: string;
  readonly shortName: string;
  readonly version: string;
  readonly build: number;
  /** The packed pages, where there are any. */
  readonly folder?: WebFolder;
  /** How packed pages answer, where there are any. */
  readonly answers?: AnswerRules;
  /** Whether the pages are hosted too. */
  readonly hosted: boolean;
  /** Address that packed pages are served under, or that hosted ones have: ends with a slash. */
  readonly base: URL;
  readonly start: URL;
  readonly inside: readonly CompiledPattern[];
  readonly insecure: readonly { readonly host: string; readonly reason: string }[];
  readonly display: DisplayMode;
  readonly orientation: Orientation;
  readonly themeColor: Rgba;
  readonly backgroundColor: Rgba;
  /** What the system's dark scheme has instead; the same colours where the project names none. */
  readonly dark: AppColors;
  readonly window: AppWindow;
  readonly errors: AppErrors;
  /** BCP 47: of the names and pages that no translation replaces; `undefined` where that is not said. */
  readonly language: string | undefined;
  /** What the shell says in the project's own words. */
  readonly words: OwnWords;
  /** Origins whose frames may use camera, microphone and location, where the page around them allows it. */
  readonly frames: readonly string[];
  /** Whether other sites' frames, and calls to them, have cookies. */
  readonly foreignCookies: boolean;
}

export interface AppColors {
  /** Behind the status bar. */
  readonly themeColor: Rgba;
  /** Before the first page is drawn, and behind the rest. */
  readonly backgroundColor: Rgba;
}

/** The window around the pages. */
export interface AppWindow {
  /** `inset`: pages keep clear of bars and cutout; `cover`: they reach the edges. */
  readonly edges: 'inset' | 'cover';
  readonly keepScreenOn: boolean;
  readonly secure: boolean;
  readonly pullToRefresh: boolean;
}

/** Who answers where a page cannot be shown. */
export interface AppErrors {
  /** Address of a packed page; `undefined` for the shell's own words. */
  readonly offline: URL | undefined;
  readonly notFound: 'page' | 'shell';
  readonly server: 'page' | 'shell';
}

/** The https origin of packed pages that are hosted nowhere: under a name that can never resolve (RFC 6761). */
export function packedOrigin(appId: string): URL {
  return new URL(`https://${appId.toLowerCase().replaceAll('_', '-')}.invalid/`);
}

function webAddress(text: string, location: Location): URL {
  const url = parseUrl(text);
  if (url === undefined || (url.protocol !== 'https:' && url.protocol !== 'http:') || url.username !== '') {
    throw new HullError('config.bad-value', `"${text}" is not a web address.`, {
      location,
      fix: 'Write it in full, as in https://ferry.saltmarsh.example/',
    });
  }
  return url;
}

function frameOrigin(text: string, location: Location): string {
  const url = webAddress(text, location);
  if (url.protocol === 'https:' && url.pathname === '/' && url.search === '' && url.hash === '')
    return url.origin;
  throw new HullError('config.bad-value', `"${text}" is not an https origin.`, {
    location,
    fix: `Write the scheme and the host alone: https://${url.host}`,
  });
}

/** Host names (RFC 1123) and IPv4 addresses. */
const HOST = /^(?=.{1,253}$)[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?)*$/;

function insecureHosts(project: Project): App['insecure'] {
  return Object.entries(project.settings.web.insecure)
    .map(([key, reason]) => {
      const location = project.json.locationOfKey(`/web/insecure/${pointerStep(key)}`);
      const host = key.includes('://') ? webAddress(key, location).hostname : key.toLowerCase();
      if (!HOST.test(host)) {
        throw new HullError('config.bad-value', `"${key}" is not a host that can be excepted from TLS.`, {
          location,
          fix: 'Name one host, as in http://pier-cam.saltmarsh.example; wildcards would open too much.',
        });
      }
      checkLabel(reason, location);
      return { host, reason };
    })
    .sort((a, b) => (a.host < b.host ? -1 : 1));
}

function startAddress(project: Project, base: URL): URL {
  const location = project.location('/web/start');
  const text = project.settings.web.start ?? base.href;
  const start = parseUrl(text, base);
  if (start === undefined) {
    throw new HullError('config.bad-value', `"${text}" is not an address.`, {
      location,
      fix: 'Write it relative to the start of the site, as in /?from=app',
    });
  }
  if (start.origin !== base.origin || !start.pathname.startsWith(base.pathname)) {
    throw new HullError('web.start-outside', `The start page ${text} lies outside ${base.href}.`, {
      location,
      fix: 'Start inside the web folder or the hosted site, as in /?from=app',
    });
  }
  return start;
}

/** Keeps the project and its keys out of what is packed. */
function checkSecrets(project: Project, folder: WebFolder): void {
  checkApart(project.dir, folder.dir, project.location('/web/folder'));
  for (const [name, key] of Object.entries(project.settings.keys)) {
    if (key.file === undefined || !isInside(project.resolve(key.file), folder.dir)) continue;
    throw new HullError(
      'keys.in-web-folder',
      `The keystore ${key.file} lies in the web folder: it would be packed.`,
      {
        location: project.location(`/keys/${pointerStep(name)}/file`),
        fix: 'Move it out of the folder, and change its path here. If it was ever published, make a new key.',
      },
    );
  }
}

function checkPackedStart(
  project: Project,
  folder: WebFolder,
  rules: AnswerRules,
  start: URL,
  base: URL,
): void {
  const path = decodePath(start.pathname.slice(base.pathname.length));
  if (path === undefined) {
    throw new HullError('config.bad-value', `The percent-encoding in ${start.pathname} is broken.`, {
      location: project.location('/web/start'),
      fix: 'Write a percent sign in a path as %25.',
    });
  }
  const names = filesLedTo(path);
  if (folder.files.some((file) => names.includes(file.path)) || isRouted(rules, path)) return;
  throw new HullError('web.start-missing', `The start page ${start.pathname} is not in the folder.`, {
    location: project.location('/web/start'),
    fix: `Looked for ${names.join(', ')} in ${folder.dir}. Correct web.start; or, if the app routes by itself, name the page that does in web.fallback.`,
  });
}

/** How the packed pages answer; what `hull.json` says of it is checked. */
function answersOf(project: Project, folder: WebFolder, base: URL): AnswerRules {
  const own = ownAnswers(project);
  const { fallback } = own;
  if (fallback !== undefined && fallback !== 'none' && !folder.files.some(({ path }) => path === fallback)) {
    throw new HullError('web.start-missing', `The fallback page /${fallback} is not in the web folder.`, {
      location: project.location('/web/fallback'),
      fix: 'Name a page that is packed, as in /200.html; or "none".',
    });
  }
  return readAnswers(folder, base.pathname, project.settings.web.url !== undefined, own).rules;
}

function readErrors(project: Project, folder: WebFolder | undefined, base: URL): AppErrors {
  const { offline, not_found, server } = project.settings.web.errors;
  const rest = { notFound: not_found, server } as const;
  if (offline === 'shell') return { offline: undefined, ...rest };
  const location = project.location('/web/errors/offline');
  const page = parseUrl(offline, base);
  const path =
    page && page.origin === base.origin && page.pathname.startsWith(base.pathname)
      ? decodePath(page.pathname.slice(base.pathname.length))
      : undefined;
  const names = path === undefined ? [] : filesLedTo(path);
  if (page && folder?.files.some((file) => names.includes(file.path))) return { offline: page, ...rest };
  throw new HullError('web.start-missing', `The offline page ${offline} is not in the web folder.`, {
    location,
    fix: 'Name a page that is packed, as in /offline.html; or "shell" for the app’s own words.',
  });
}

/**
 * Reads everything that a package is made from out of a project, and checks it.
 *
 * @param list lists the web folder: for several projects that share one, once
 * @throws HullError `app.*`, `config.*`, `web.*` with the place in `hull.json` or the folder
 */
export async function resolveApp(project: Project, list: ListFolder = listWebFolder): Promise<App> {
  const { app, web, look, android } = project.settings;
  checkAppId(app.id, project.location('/app/id'));
  if (android.id !== app.id) checkAppId(android.id, project.location('/android/id'), 'android');
  checkVersion(app.version, project.location('/app/version'));
  checkLabel(app.name, project.location('/app/name'));
  if (app.short_name !== app.name) checkLabel(app.short_name, project.location('/app/short_name'));
  if (web.folder === undefined && web.url === undefined) {
    throw new HullError(
      'config.bad-value',
      'Neither web.folder nor web.url is set: there is nothing to show.',
      {
        location: project.location('/web'),
        fix: 'Name the folder of built files, or the address where the app is hosted.',
      },
    );
  }
  const insecure = insecureHosts(project);
  const base =
    web.url === undefined ? packedOrigin(app.id) : baseOf(webAddress(web.url, project.location('/web/url')));
  if (base.protocol === 'http:' && !insecure.some(({ host }) => host === base.hostname)) {
    throw new HullError(
      'config.bad-value',
      'This address is plain http, which phones refuse unless an app says why.',
      {
        location: project.location('/web/url'),
        fix: `Use https; or add to hull.json: "web": { "insecure": { "${base.origin}": "<the reason>" } }`,
      },
    );
  }
  const folder =
    web.folder === undefined
      ? undefined
      : await list(project.resolve(web.folder), { sourceMaps: web.source_maps });
  if (folder !== undefined) checkSecrets(project, folder);
  const start = startAddress(project, base);
  const answers = folder && answersOf(project, folder, base);
  if (folder !== undefined && answers !== undefined) checkPackedStart(project, folder, answers, start, base);
  const inside =
    web.inside === undefined
      ? [patternBelow(base)]
      : await Promise.all(
          web.inside.map((text, index) => compileUrlPattern(text, project.location(`/web/inside/${index}`))),
        );
  if (!inside.some((pattern) => patternMatches(pattern, start))) {
    throw new HullError('web.start-outside', `The start page ${start.href} matches none of web.inside.`, {
      location: project.location('/web/inside'),
      fix: `Add "${base.href}*" to web.inside; else the app would open its first page in the browser.`,
    });
  }
  const colorsOf = (of: typeof look.dark, pointer: string): AppColors => ({
    themeColor: requireOpaqueColor(of.theme_color, project.location(`${pointer}/theme_color`)),
    backgroundColor: requireOpaqueColor(of.background_color, project.location(`${pointer}/background_color`)),
  });
  const { window } = look;
  if (window.edges === 'cover' && look.display === 'minimal-ui') {
    throw new HullError(
      'config.bad-value',
      'The bar of "minimal-ui" is at the edge that pages would reach with "cover".',
      {
        location: project.location('/look/window/edges'),
        fix: 'Write "edges": "inset"; or "display": "standalone", without a bar.',
      },
    );
  }
  return {
    id: app.id,
    androidId: android.id,
    name: app.name,
    shortName: app.short_name,
    version: app.version,
    build: app.build,
    ...(folder === undefined ? {} : { folder }),
    ...(answers === undefined ? {} : { answers }),
    hosted: web.url !== undefined,
    base,
    start,
    inside,
    insecure,
    display: look.display,
    orientation: look.orientation,
    ...colorsOf(look, '/look'),
    dark: colorsOf(look.dark, '/look/dark'),
    window: {
      edges: window.edges,
      keepScreenOn: window.keep_screen_on,
      secure: window.secure,
      pullToRefresh: window.pull_to_refresh,
    },
    errors: readErrors(project, folder, base),
    language:
      app.language === undefined ? undefined : readLanguage(app.language, project.location('/app/language')),
    words: readWords(project),
    frames: web.trusted_frames.map((text, index) =>
      frameOrigin(text, project.location(`/web/trusted_frames/${index}`)),
    ),
    foreignCookies: web.third_party_cookies,
    ...readEntry(project, base, inside),
  };
}
