import { join } from 'node:path';
import { type HullError, task, withTasks } from '../../errors.js';
import { SERVER_SIDE } from '../../site/folder.js';
import { HEADERS_FILE, REDIRECTS_FILE } from '../../site/host-files.js';
import { extensionOf } from '../../site/media-types.js';
import type { Site } from '../../site/site.js';
import { type Rule, type RuleFinding, rule } from '../rule.js';
import { REFERENCE_RULES, withCount } from './references.js';

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
  ...REFERENCE_RULES,
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
    id: 'files.host-files',
    title: 'What the folder tells its host is not done in the app',
    severity: 'suggestion',
    needs: ['folder'],
    source: 'Files of static hosts: _headers, _redirects',
    why: 'Static hosts read two files of the folder and send header fields or redirects by them. A package follows what packed pages can follow, and leaves the files themselves out; the rest has to be said to the app in another way.',
    *check({ site }) {
      const { headersFile, redirectsFile } = site.folder?.answers ?? {};
      const files = [
        [HEADERS_FILE, headersFile?.unfollowed],
        [REDIRECTS_FILE, redirectsFile?.unfollowed],
      ] as const;
      for (const [name, unfollowed = []] of files) {
        const [first, ...more] = unfollowed;
        if (!first) continue;
        yield {
          location: { file: join(site.name, name), line: first.line, column: 1 },
          observed: `${first.text}: ${first.why}`,
          impact: 'Packed pages are answered without it.',
          fix:
            name === HEADERS_FILE
              ? 'Name the paths one by one in web.headers of hull.json; or leave it to the host, where only the web needs it.'
              : 'Link to the new address itself; or leave it to the host, where only old addresses need it.',
          ...withCount(more.length),
        };
      }
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
