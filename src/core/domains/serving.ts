import { APPLE_PATH, ASSET_LINKS_PATH, ORIGIN_PATH } from '../links/document-names.js';

/** How one kind of server has to serve association documents. */
export interface ServingAdvice {
  readonly title: string;
  readonly text: string;
}

const PATHS = [ASSET_LINKS_PATH, APPLE_PATH, ORIGIN_PATH];
const NO_ENDING = [APPLE_PATH, ORIGIN_PATH];

/** What every server has to do, whatever it is. */
export const SERVING_RULES: readonly string[] = [
  'https on port 443, with a certificate of a public authority and its whole chain',
  'status 200 at the address itself: no redirect, to www or to a slash at the end either',
  'Content-Type: application/json, also for the two documents without an ending',
  'as files, before any rule that answers unknown addresses with the start page',
  'no sign-in, no page that asks for a cookie, no check for robots before it',
  'a cache time of an hour at most while you still change them: Cache-Control: max-age=3600',
];

/** Settings for common servers, and for hosts that take files of settings. */
export function servingAdvice(): ServingAdvice[] {
  return [
    {
      title: 'nginx, in the server block of port 443, before any location that rewrites or redirects',
      text: `location ^~ /.well-known/ {
    try_files $uri =404;
    default_type application/json;
    add_header Cache-Control "public, max-age=3600";
}`,
    },
    {
      title: 'Apache httpd, in the virtual host of port 443 or in .htaccess at the root of the folder',
      text: `RewriteEngine On
RewriteRule ^/?\\.well-known/ - [END]
<FilesMatch "^(apple-app-site-association|web-app-origin-association|assetlinks\\.json)$">
    ForceType application/json
    Header set Cache-Control "public, max-age=3600"
</FilesMatch>`,
    },
    {
      title: 'Caddy, in the site’s block',
      text: `@wellknown path ${PATHS.join(' ')}
handle @wellknown {
    header Content-Type application/json
    header Cache-Control "public, max-age=3600"
    file_server
}`,
    },
    {
      title: 'Node.js with Express, before every other route',
      text: `app.use('/.well-known', express.static('site/.well-known', {
  redirect: false,
  dotfiles: 'allow',
  setHeaders: (response) => response.set({ 'Content-Type': 'application/json', 'Cache-Control': 'public, max-age=3600' }),
}));`,
    },
    {
      title: 'Static hosts that read a file named _headers at the root of the folder',
      text: PATHS.map(
        (path) => `${path}\n  Content-Type: application/json\n  Cache-Control: public, max-age=3600`,
      ).join('\n'),
    },
    {
      title:
        'Static hosts that read rules as JSON: a header for each document without an ending, in the host’s own words',
      text: JSON.stringify(
        { headers: NO_ENDING.map((source) => ({ source, headers: { 'Content-Type': 'application/json' } })) },
        undefined,
        2,
      ),
    },
    {
      title: 'Static hosts whose build drops folders that begin with a dot',
      text: `Name the folder in the build's settings, as in include: [".well-known"], or switch the build step off for files that are built already.`,
    },
    {
      title: 'Object storage behind a content delivery network',
      text: `Upload the two documents without an ending with the metadata Content-Type: application/json,
answer www and the bare host from the same objects instead of redirecting one to the other,
and clear the network's cache for /.well-known/* after each change.`,
    },
  ];
}
