import { join } from 'node:path';
import { type HullError, task, withTasks } from '../../errors.js';
import { SERVER_SIDE } from '../../site/folder.js';
import { extensionOf } from '../../site/media-types.js';
import { type AddressStatus, locationIn, pathBelow, type Site, unitLocation } from '../../site/site.js';
import { parseUrl } from '../../util/url-path.js';
import { type Rule, type RuleFinding, rule } from '../rule.js';
import { isDrawnByScripts } from './pages.js';

/** What builds fill in: `%NAME%`, `{{ name }}`, `<%= name %>`, `${name}`. */
const PLACEHOLDER = /^%[A-Za-z][\w.]*%|\{\{.*\}\}|<%.*%>|^\$\{/;

const withCount = (more: number) => (more > 0 ? { more } : {});

/** Findings from what listing a folder would refuse. */
function* fromFaults(
  site: Site,
  codes: readonly HullError['code'][],
  impact: string,
): Generator<RuleFinding> {
  for (const { code, location, message, fix } of site.folder?.faults ?? []) {
    if (!codes.includes(code)) continue;
    yield { location: location ?? { file: site.name }, observed: message, impact, fix: fix ?? '' };
  }
}

/** Folders and files that a framework's build leaves for its own server. */
const CACHE_SIGNS = [
  /(^|\/)cache\//,
  /^server\//,
  /-manifest\.json$/,
  /(^|\/)(build|prerender|routes)-?\w*\.json$/,
  /\.pack$/,
  /\.tsbuildinfo$/,
  /\.nft\.json$/,
];

function cacheSigns(site: Site): string[] {
  const files = site.folder?.files ?? [];
  const signs = CACHE_SIGNS.flatMap((sign) => files.find(({ path }) => sign.test(path))?.path ?? []);
  return [...new Set(signs)];
}

const isRefused = (site: Site, code: HullError['code']) =>
  site.folder?.faults.some((fault) => fault.code === code) ?? false;

const NEEDLESS: Readonly<Record<string, string>> = {
  ts: 'sources',
  tsx: 'sources',
  jsx: 'sources',
  vue: 'sources',
  svelte: 'sources',
  scss: 'sources',
  sass: 'sources',
  less: 'sources',
  styl: 'sources',
  coffee: 'sources',
  psd: 'drawings in an editor’s own format',
  ai: 'drawings in an editor’s own format',
  xcf: 'drawings in an editor’s own format',
  sketch: 'drawings in an editor’s own format',
  blend: 'drawings in an editor’s own format',
  bak: 'backups',
  orig: 'backups',
  swp: 'backups',
  tmp: 'backups',
  old: 'backups',
  log: 'logs',
  zip: 'archives',
  tar: 'archives',
  tgz: 'archives',
  '7z': 'archives',
  rar: 'archives',
  tsbuildinfo: 'a build’s notes',
};
const NEEDLESS_NAMES = new Set([
  'thumbs.db',
  'desktop.ini',
  'package-lock.json',
  'yarn.lock',
  'dockerfile',
  'makefile',
]);
const KEY_FILES = new Set('p12 pfx jks keystore bks kdbx ppk'.split(' '));
const LARGE_FILE = 10_000_000;
const LARGE_SITE = 150_000_000;
const megabytes = (size: number) => `${(size / 1e6).toFixed(1)} MB`;

export const FILES_RULES: readonly Rule[] = [
  rule({
    id: 'files.index',
    title: 'No start page',
    severity: 'error',
    needs: ['folder'],
    source: 'RFC 3986, section 6.2.3; web servers’ directory index',
    why: 'The app opens index.html of the folder. Without one the folder is a project’s sources, or one above or below the built files.',
    *check({ site }) {
      if (cacheSigns(site).length > 1) return;
      yield* fromFaults(site, ['web.no-index'], 'The app opens with an error.');
    },
  }),
  rule({
    id: 'files.build-cache',
    title: 'The folder holds a build cache, not pages',
    severity: 'error',
    needs: ['folder'],
    source: 'Static export: every page as a file of its own',
    why: 'Frameworks that render on a server leave a folder of caches and server parts behind. It looks like a build, but no page in it can be opened without that server. A static export writes pages.',
    *check({ site }) {
      const signs = cacheSigns(site);
      if (!isRefused(site, 'web.no-index') || signs.length < 2) return;
      yield {
        location: { file: join(site.name, signs[0] ?? '') },
        observed: `no index.html, but ${signs.slice(0, 3).join(', ')}`,
        impact: 'There is no page to show: this is what the framework’s own server works from.',
        fix: withTasks`Turn on the framework’s static export and give the folder that it writes; or wrap the hosted app: ${task('beginProject', 'https://…')}`,
      };
    },
  }),
  rule({
    id: 'files.server-side',
    title: 'Files in the folder need a server',
    severity: 'error',
    needs: ['folder'],
    source: 'A packed app has no server',
    why: 'Sources that a server runs do nothing on a phone, and packed they can be read by everyone, with the passwords that they may hold.',
    *check({ site }) {
      if (isRefused(site, 'web.server-side')) {
        yield* fromFaults(
          site,
          ['web.server-side'],
          'The app opens with an error, and everyone can read the sources.',
        );
        return;
      }
      const found = site.folder?.files.filter(({ path }) => SERVER_SIDE.has(extensionOf(path))) ?? [];
      const [first] = found;
      if (!first) return;
      yield {
        location: { file: join(site.name, first.path) },
        observed: `${found.length} file${found.length > 1 ? 's' : ''} that only a server can run, such as ${first.path}`,
        impact: 'They do nothing in the app, and everyone who has it can read them.',
        fix: 'Leave them out of the folder; what they answer has to be asked of the hosted app.',
        ...withCount(found.length - 1),
      };
    },
  }),
  rule({
    id: 'files.start-parts',
    title: 'The start page’s scripts or styles are missing',
    severity: 'error',
    needs: ['start-page'],
    source: 'HTML Standard, "fetching resources"',
    why: 'Without its script a page that scripts draw stays white, and without its style sheet it is bare text. Most often the pages were built for another path than the one that they lie at.',
    *check(context) {
      const { site } = context;
      const built = site.folder?.built.builtFor;
      for (const { status, location, text, kind, url } of context.derived.brokenReferences('files')) {
        if (!isStartPart(site, { kind, location })) continue;
        // What is there, but above the app's own path, is said of all pages.
        const isThere = status.is === 'case' || (status.is === 'outside' && status.meant);
        if (isThere) continue;
        const isMoved = built !== undefined && url.pathname.startsWith(built) && site.base.pathname !== built;
        yield {
          location,
          observed: isMoved
            ? `${kind} ${text}: the pages were built for ${built}, and lie at ${site.base.pathname}`
            : `${kind} ${text}: ${whatAnswers(status)}`,
          impact:
            kind === 'style'
              ? 'The app opens without its styles.'
              : isDrawnByScripts(site)
                ? 'The app opens with an empty page.'
                : 'Part of the app does not work.',
          fix: isMoved
            ? `Set web.url in hull.json to the address that ends in ${built}; or build the pages for ${site.base.pathname}.`
            : `Put the file at ${url.pathname}, or correct the address.`,
        };
      }
    },
  }),
  rule({
    id: 'files.template',
    title: 'The start page is a template, not a built page',
    severity: 'error',
    needs: ['folder', 'start-page'],
    source: 'HTML Standard, "fetching resources"',
    why: 'Builds fill in placeholders such as %BASE_URL% and add the scripts that draw the page. The folder of sources has a page of the same name, which shows nothing by itself.',
    *check({ site }) {
      const { startPage } = site;
      const found = startPage?.facts.references.filter(({ text }) => PLACEHOLDER.test(text)) ?? [];
      const [first] = found;
      if (!startPage || !first) return;
      yield {
        location: locationIn(site.kind, startPage.name, { line: first.line, column: first.column }),
        observed: first.text,
        impact: 'The app opens without its scripts and pictures.',
        fix: 'Build the app, and give the folder that the build writes.',
        ...withCount(found.length - 1),
      };
    },
  }),
  rule({
    id: 'files.unanswered',
    title: 'Nothing in the app answers these requests',
    severity: 'warning',
    needs: ['folder'],
    source: 'Fetch Standard; packed pages have no server behind them',
    why: 'A script that asks its own host for data finds no host inside an app: what is not packed is answered with 404, unless hull.json names the host that answers.',
    *check(context) {
      const { site } = context;
      // Where the host is known, a new hull.json names it.
      const { target } = context;
      if (site.folder?.answers.rules.network || (target.assumed && target.hosted)) return;
      for (const { text, location, more } of unansweredRequests(site)) {
        yield {
          location,
          observed: `${text}: no packed file`,
          impact: 'The request fails with 404, and what it is for does not work.',
          fix: 'Set web.url in hull.json to the host that answers it; or ask that host by its full address.',
          ...withCount(more),
        };
      }
    },
  }),
  rule({
    id: 'files.sub-path',
    title: 'Addresses leave the folder that the app is in',
    severity: 'error',
    source: 'RFC 3986, section 4.2: absolute-path references',
    why: 'An app that is served below a path (https://host/ferry/) does not own what is above it: an address that begins with a slash leaves the app.',
    *check(context) {
      for (const wanted of ['files', 'links'] as const) {
        for (const { status, location, text, more } of context.derived.brokenReferences(wanted)) {
          if (status.is !== 'outside' || !status.meant) continue;
          yield {
            location,
            observed: `${text}, while the app lies at ${context.site.base.pathname}`,
            impact:
              wanted === 'files'
                ? 'The file is not found: the page looks broken.'
                : 'The link leaves the app.',
            fix: `${context.site.base.pathname}${text.replace(/^\//, '')}   (or an address relative to the page)`,
            ...withCount(more),
          };
        }
      }
    },
  }),
  rule({
    id: 'files.case-mismatch',
    title: 'Addresses and files differ in case',
    severity: 'error',
    needs: ['folder'],
    source: 'RFC 3986, section 6.2.2.1',
    why: 'Many desktop disks do not tell capital letters apart; servers and packages do. What works on the developer’s machine is missing on the phone.',
    *check(context) {
      for (const wanted of ['files', 'links'] as const) {
        for (const { status, location, text, more } of context.derived.brokenReferences(wanted)) {
          if (status.is !== 'case') continue;
          yield {
            location,
            observed: `${text}, while the file is ${status.other}`,
            impact: 'On phones it is not found.',
            fix: `/${status.other}`,
            ...withCount(more),
          };
        }
      }
    },
  }),
  rule({
    id: 'files.missing',
    title: 'Pages refer to missing files',
    severity: 'warning',
    source: 'HTML Standard, "fetching resources"',
    why: 'A script, style or picture that is not there leaves a hole, and inside an app there is no reload button to try again.',
    *check(context) {
      for (const { status, location, text, kind, more, url } of context.derived.brokenReferences('files')) {
        const isSaid = PLACEHOLDER.test(text) || isStartPart(context.site, { kind, location });
        if ((status.is !== 'missing' && status.is !== 'html') || isSaid) continue;
        yield {
          location,
          observed: `${kind} ${text}: ${whatAnswers(status)}`,
          impact:
            kind === 'script' || kind === 'module' || kind === 'import'
              ? 'Part of the app does not work.'
              : 'Part of the page is missing.',
          fix: `Put the file at ${url.pathname}, or correct the address.`,
          ...withCount(more),
        };
      }
    },
  }),
  rule({
    id: 'files.dead-link',
    title: 'Links lead nowhere',
    severity: 'warning',
    source: 'HTML Standard, "following hyperlinks"',
    why: 'A link to a page that is not there ends in an error page without an address bar.',
    *check(context) {
      for (const { status, location, text, more, url } of context.derived.brokenReferences('links')) {
        if (status.is !== 'missing') continue;
        const near = nearestPage(context.site, url);
        yield {
          location,
          observed: `${text}: nothing is there`,
          impact: 'The tap ends in an error page.',
          fix: near === undefined ? 'Correct the link, or add the page.' : `/${near}`,
          ...withCount(more),
        };
      }
    },
  }),
  rule({
    id: 'files.link',
    title: 'Symbolic links leave the folder',
    severity: 'error',
    needs: ['folder'],
    source: 'POSIX.1-2024, symbolic links',
    why: 'A link out of the folder would pack files that nobody meant to publish; one that leads nowhere, or in a circle, is a missing file.',
    *check({ site }) {
      yield* fromFaults(site, ['web.link-outside', 'web.link-loop'], 'The folder cannot be packed.');
    },
  }),
  rule({
    id: 'files.name',
    title: 'A file name is not valid UTF-8',
    severity: 'error',
    needs: ['folder'],
    source: 'RFC 3986, section 2.5',
    why: 'No page can name a file whose name is no text.',
    *check({ site }) {
      yield* fromFaults(
        site,
        ['web.unreadable-name'],
        'The folder cannot be packed, and no page can request the file.',
      );
    },
  }),
  rule({
    id: 'files.case-clash',
    title: 'Two files differ only in case',
    severity: 'error',
    needs: ['folder'],
    source: 'Unicode Standard Annex 15; case-insensitive disks',
    why: 'On many disks two such names are one file: unpacking or copying the folder loses one of them.',
    *check({ site }) {
      yield* fromFaults(site, ['web.case-clash'], 'Pages may get the wrong one of the two.');
    },
  }),
  rule({
    id: 'files.large',
    title: 'Very large files',
    severity: 'warning',
    needs: ['folder'],
    source: 'Stores’ download limits: 200 MB for a base package; users on mobile networks',
    why: 'Everything in the folder is downloaded by every user at every installation. Films and data sets belong on a host.',
    *check({ site }) {
      const files = site.folder?.files ?? [];
      for (const { path, size } of files.filter((file) => file.size > LARGE_FILE)) {
        yield {
          location: { file: join(site.name, path) },
          observed: megabytes(size),
          impact: 'Every user downloads it before the app can be opened.',
          fix: 'Compress it, or load it from a host when it is needed.',
        };
      }
      const total = files.reduce((sum, { size }) => sum + size, 0);
      if (total <= LARGE_SITE) return;
      yield {
        location: { file: site.name },
        observed: `${files.length} files, ${megabytes(total)} in all`,
        impact: 'Stores ask users for Wi-Fi before they download it, and refuse it from 200 MB on.',
        fix: 'Load what is not needed at the start from a host.',
      };
    },
  }),
  rule({
    id: 'files.needless',
    title: 'Files that the app never shows',
    severity: 'suggestion',
    needs: ['folder'],
    source: 'What is packed can be read by everyone',
    why: 'Sources, backups and archives make the package larger, and show everyone how the app was made.',
    *check({ site }) {
      const groups = new Map<string, { first: string; count: number; size: number }>();
      for (const { path, size } of site.folder?.files ?? []) {
        const name = path.slice(path.lastIndexOf('/') + 1).toLowerCase();
        const what = NEEDLESS_NAMES.has(name) ? 'leftovers' : NEEDLESS[extensionOf(path)];
        if (what === undefined) continue;
        const known = groups.get(what);
        if (known) {
          known.count += 1;
          known.size += size;
        } else groups.set(what, { first: path, count: 1, size });
      }
      for (const [what, { first, count, size }] of groups) {
        yield {
          location: { file: join(site.name, first) },
          observed: `${what}: ${count} file${count > 1 ? 's' : ''}, ${megabytes(size)}`,
          impact: 'Everyone who has the app can read them.',
          fix: 'Leave them out of the folder of built files.',
          ...withCount(count - 1),
        };
      }
    },
  }),
  rule({
    id: 'files.secret',
    title: 'A secret is readable by everyone',
    severity: 'error',
    needs: ['folder'],
    source: 'RFC 7468 (PEM); what is packed or served can be read by everyone',
    why: 'A package is an archive that anyone can open, and a web folder is served file by file. A private key or a file of passwords in it is published.',
    *check({ site }) {
      const { folder } = site;
      if (!folder) return;
      const impact = 'Everyone can read it; replace whatever secret it gives access to.';
      for (const { location, what } of folder.secrets) {
        yield {
          location,
          observed: what,
          impact,
          fix: 'Take it out of the folder, and replace the key: it counts as published.',
        };
      }
      for (const { path } of folder.files) {
        if (!KEY_FILES.has(extensionOf(path))) continue;
        yield {
          location: { file: join(site.name, path) },
          observed: 'a keystore',
          impact,
          fix: 'Move it out of the folder. If it was ever published, make a new key.',
        };
      }
      for (const { path } of folder.leftOut) {
        if (!/(^|\/)\.(env($|[.-])|npmrc$|netrc$|htpasswd$|git-credentials$)/.test(path)) continue;
        yield {
          location: { file: join(site.name, path) },
          observed: 'a file of settings and passwords',
          impact:
            'Packages leave it out; a web server that serves this folder sends it to everyone who asks.',
          fix: 'Move it out of the folder, and replace the passwords if the folder was ever served.',
        };
      }
    },
  }),
];

const whatAnswers = ({ is }: AddressStatus) =>
  is === 'html' ? 'a page of HTML answers' : 'nothing is there';

/** Whether a reference is one that the start page cannot do without. */
function isStartPart(
  { startPage }: Site,
  { kind, location }: { readonly kind: string; readonly location: RuleFinding['location'] },
): boolean {
  const isPart = kind === 'script' || kind === 'module' || kind === 'style';
  return isPart && startPage !== undefined && (location.file ?? location.url) === startPage.name;
}

interface UnansweredRequest {
  readonly text: string;
  readonly location: RuleFinding['location'];
  readonly more: number;
}

/** Requests of scripts to the app's own origin that no file of the folder answers, once each. */
function unansweredRequests(site: Site): UnansweredRequest[] {
  const found = new Map<string, { text: string; location: RuleFinding['location']; more: number }>();
  const page = site.startPage ? new URL(site.startPage.url) : site.start;
  const files = site.folder?.files ?? [];
  for (const unit of site.scripts) {
    for (const request of unit.facts.requests) {
      const { text, complete, fromScript } = request;
      const url = parseUrl(text, fromScript ? new URL(unit.url) : page);
      if (text === '' || !url || url.origin !== site.base.origin || !/^https?:$/.test(url.protocol)) continue;
      const path = pathBelow(site.base, url) ?? url.pathname;
      const begins = !complete && files.some((file) => file.path.startsWith(path));
      if (path === '' || begins || site.resolveStatus(url).is === 'there') continue;
      const key = `${url.pathname}${complete ? '' : '…'}`;
      const known = found.get(key);
      if (known) known.more += 1;
      else found.set(key, { text: key, location: unitLocation(site, unit, request), more: 0 });
    }
  }
  return [...found.values()];
}

/** A page whose name is the missing one but for its ending or capital letters. */
function nearestPage(site: Site, url: URL): string | undefined {
  const path = pathBelow(site.base, url);
  if (path === undefined) return undefined;
  const plain = (text: string) => text.toLowerCase().replace(/(\/index)?\.html?$|\/$/, '');
  return site.folder?.files.find((file) => /\.html?$/.test(file.path) && plain(file.path) === plain(path))
    ?.path;
}
