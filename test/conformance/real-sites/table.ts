/** What is true of web apps that others wrote, or that other people's frameworks built. */
export interface RealSite {
  readonly name: string;
  readonly source:
    | {
        /** A package of the registry, taken as it is. */
        readonly npm: string;
        /** Folder of the package that is a web app. */
        readonly dir?: string;
        /** Files to add: a page for a package that has none. */
        readonly files?: Readonly<Record<string, string>>;
      }
    /** Sources in `apps`, built. */
    | { readonly app: string };
  /** Rules that find errors: exactly these. */
  readonly errors: readonly string[];
  /** Rules that warn, each with why that is true of the app; exactly these. */
  readonly warnings: Readonly<Record<string, string>>;
  /** What `begin` proposes. */
  readonly begun?: Readonly<Record<string, string>>;
  /** Addresses below the start, and what is to be read there after the page was loaded again. */
  readonly routes?: Readonly<Record<string, string>>;
  /** Whether its service worker has to take control, and to answer with no host at all. */
  readonly worker?: true;
}

const NO_VIEWPORT = 'the page names no viewport, and phones show it shrunk';
const NO_PRIVACY = 'no page has a link to a privacy page';

export const REAL_SITES: readonly RealSite[] = [
  {
    name: 'a client router at the root',
    source: { app: 'react-router' },
    errors: [],
    warnings: { 'files.unanswered': 'the settings page asks /api/settings, which no file answers' },
    begun: { 'web.fallback': '/index.html', 'web.start': '/' },
    routes: {
      '': 'Timetable',
      'piers/heron-point': 'Pier heron-point',
      settings: 'Settings',
      'a.b': 'Not found',
    },
  },
  {
    name: 'a client router below a path',
    source: { app: 'vue-router' },
    errors: [],
    warnings: {
      'manifest.linked': 'it is hosted, and has no manifest',
      'feel.theme-color': 'it is hosted, and names no theme colour',
      'feel.touch-icon': 'it is hosted, and has no touch icon',
    },
    begun: {
      'web.url': 'https://ferry.saltmarsh.example/shop/',
      'web.fallback': '/index.html',
      'web.start': './',
    },
    routes: { '': 'Basket', basket: 'Basket', 'tickets/day': 'Ticket' },
  },
  {
    name: 'an app with a precaching worker',
    source: { app: 'svelte-pwa' },
    errors: [],
    warnings: {},
    begun: { 'web.fallback': '/index.html', 'look.theme_color': '#0b4f6c' },
    routes: { '': 'Timetable', wallet: 'Wallet' },
    worker: true,
  },
  {
    name: 'a static export with a fallback page',
    source: { app: 'kit-static' },
    errors: [],
    warnings: {},
    begun: { 'web.fallback': '/200.html' },
    routes: { '': 'Timetable', about: 'About', 'about/': 'About', 'piers/heron-point': 'Pier heron-point' },
  },
  {
    name: 'a static site of files',
    source: { app: 'astro-static' },
    errors: [],
    warnings: {
      'manifest.linked': 'it is hosted, and has no manifest',
      'feel.theme-color': 'it is hosted, and names no theme colour',
      'feel.touch-icon': 'it is hosted, and has no touch icon',
      'store.privacy': NO_PRIVACY,
    },
    begun: { 'web.url': 'https://ferry.saltmarsh.example/' },
    routes: { '': 'Timetable', about: 'About', 'about.html': 'About' },
  },
  {
    name: 'a documentation site',
    source: { app: 'vitepress-docs' },
    errors: [],
    warnings: { 'store.privacy': NO_PRIVACY },
    routes: { '': 'The next boat leaves', piers: 'Heron Point', lost: '404' },
  },
  {
    name: 'a static site of folders, whose pages have no head tag',
    source: { app: 'eleventy-site' },
    errors: [],
    warnings: {
      'offline.not-found': 'two pages, and none for what is not there',
      'files.missing': 'a page names /map.png, which is not there',
      'store.privacy': NO_PRIVACY,
    },
    routes: { '': 'Timetable', piers: 'Piers', 'piers/': 'Piers' },
  },
  {
    name: 'documents of an interface',
    source: { npm: 'swagger-ui-dist@5.35.0' },
    errors: ['feel.viewport'],
    warnings: {
      'feel.viewport': `${NO_VIEWPORT}: the page for signing in, which no link leads to`,
      'feel.hover': 'hints of models appear only below a pointer',
    },
  },
  {
    name: 'a drawing program',
    source: { npm: 'svgedit@7.4.1', dir: 'dist/editor' },
    errors: [],
    warnings: {
      'feel.viewport': `${NO_VIEWPORT}: pages for tests and old browsers, which no link leads to`,
    },
  },
  {
    name: 'slides for a desk',
    source: { npm: 'impress.js@1.1.0' },
    errors: [],
    warnings: {
      'fit.fixed-width': 'its viewport is 1024 px wide',
      'feel.viewport': `${NO_VIEWPORT}: pages for tests, which no link leads to`,
      'feel.height': 'the body is 740 px high at least',
      'files.missing': 'pages for tests name files of packages that are not there',
      'store.privacy': NO_PRIVACY,
    },
  },
  {
    name: 'slides with their demos',
    source: { npm: 'webslides@1.5.0' },
    errors: [],
    warnings: {
      'offline.not-found': 'many pages, and none for what is not there',
      'files.missing': 'error.html names style sheets that are not there',
      'read.style': 'a style sheet has a declaration without a name',
      'store.privacy': NO_PRIVACY,
    },
  },
  {
    name: 'slides whose parts are installed beside them',
    source: { npm: 'shower@2.7.1' },
    errors: ['files.start-parts'],
    warnings: { 'store.privacy': NO_PRIVACY },
  },
  {
    name: 'a game',
    source: { npm: 'flappybird@1.0.0', dir: 'build' },
    errors: [],
    warnings: { 'files.missing': 'the page names /favicon.ico, which is not there' },
  },
  {
    name: 'the sources of that game',
    source: { npm: 'flappybird@1.0.0', dir: 'public' },
    errors: ['files.template'],
    warnings: { 'store.privacy': NO_PRIVACY },
  },
  {
    name: 'a program of WebAssembly',
    source: {
      npm: 'sql.js@1.12.0',
      dir: 'dist',
      files: {
        'index.html': `<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>Crossings</title><meta name="viewport" content="width=device-width"></head>
<body><p>Crossings of the day, counted on the phone itself: <b id="count">none yet</b></p>
<script src="sql-wasm.js"></script>
<script>
initSqlJs({ locateFile: (name) => name }).then((SQL) => {
  const db = new SQL.Database();
  db.run("create table boats (name text); insert into boats values ('Heron'), ('Tern'), ('Plover')");
  const [[boats]] = db.exec('select count(*) from boats')[0].values;
  document.getElementById('count').textContent = boats + ' boats';
});
</script>
</body></html>`,
      },
    },
    errors: [],
    warnings: { 'store.privacy': NO_PRIVACY },
    routes: { '': '3 boats' },
  },
  {
    name: 'a program of threads',
    source: {
      npm: 'wasm-vips@0.0.19',
      files: {
        'index.html': `<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>Pictures</title><meta name="viewport" content="width=device-width"></head>
<body><p>Pictures of the quay, made smaller on the phone itself.</p>
<script type="module">import Vips from './lib/vips-es6.js'; Vips().then((vips) => { document.title = vips.version(); });</script>
</body></html>`,
      },
    },
    errors: ['secure.isolation'],
    warnings: { 'store.privacy': NO_PRIVACY },
  },
];
