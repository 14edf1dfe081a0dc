import { symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { addToBody, newKey, type Seed } from './copy.js';

/** The folder and its files. */
export const FILES_SEEDS: readonly Seed[] = [
  [
    'files.server-side',
    'a source that only a server runs',
    (copy) => {
      copy.write('api/sailings.php', '<?php echo 1;');
      return 'api/sailings.php';
    },
  ],
  [
    'files.case-mismatch',
    'capital letters that differ',
    (copy) => {
      copy.replace('pier.html', 'href="/css/ferry.css"', 'href="/css/Ferry.css"');
      return copy.at('pier.html', 'href="/css/Ferry.css"');
    },
  ],
  [
    'files.missing',
    'a picture that is not there',
    (copy) => {
      addToBody(copy, '<img src="/icons/boat.png" alt="">');
      return copy.at('index.html', 'src="/icons/boat.png"');
    },
  ],
  [
    'files.missing',
    'a module that is not there',
    (copy) => {
      copy.replace('js/alerts.js', "from './app.js'", "from './ap.js'");
      return copy.at('js/alerts.js', "'./ap.js'");
    },
  ],
  [
    'files.start-parts',
    'a script of the start page that is not there',
    (copy) => {
      addToBody(copy, '<script src="/js/boats.js"></script>');
      return copy.at('index.html', 'src="/js/boats.js"');
    },
  ],
  [
    'files.template',
    'a template',
    (copy) => {
      copy.replace('index.html', '<link rel="icon" href="', '<link rel="icon" href="%BASE_URL%');
      return copy.at('index.html', 'href="%BASE_URL%');
    },
  ],
  [
    'files.host-files',
    'a redirect that only a host follows',
    (copy) => {
      copy.write('_redirects', '# all\n/old /new 301\n');
      return '_redirects:2:1';
    },
  ],
  [
    'files.unanswered',
    'a request that no file answers',
    (copy) => {
      copy.write('js/extra.js', "\nfetch('/api/sailings').then((answer) => answer.json());\n");
      return copy.at('js/extra.js', "'/api/sailings'");
    },
  ],
  [
    'files.dead-link',
    'a link to nothing',
    (copy) => {
      addToBody(copy, '<a href="/prices">Prices</a>', 'pier.html');
      return copy.at('pier.html', 'href="/prices"');
    },
  ],
  [
    'files.link',
    'a link out of the folder',
    (copy) => {
      copy.write('../private.txt', 'x');
      symlinkSync(join(copy.dir, '../private.txt'), copy.path('notes.txt'));
      return 'notes.txt';
    },
  ],
  [
    'files.case-clash',
    'two names that many disks take for one',
    (copy) => {
      copy.write('Pier.html', copy.read('pier.html'));
      return 'pier.html';
    },
  ],
  [
    'files.name',
    'a name that is no text',
    (copy) => {
      writeFileSync(
        Buffer.concat([Buffer.from(`${copy.dir}/`), Buffer.from([0xff, 0xfe]), Buffer.from('.txt')]),
        'x',
      );
      return '\uFFFD\uFFFD.txt';
    },
  ],
  [
    'files.large',
    'a film',
    (copy) => {
      copy.write('film.mp4', Buffer.alloc(12_000_000));
      return 'film.mp4';
    },
  ],
  [
    'files.needless',
    'sources beside what was built',
    (copy) => {
      copy.write('src/app.ts', 'export {};');
      return 'src/app.ts';
    },
  ],
  [
    'files.secret',
    'a private key in a script',
    (copy) => {
      copy.write('js/alerts.js', `${copy.read('js/alerts.js')}\nconst key = \`${newKey()}\`;\n`);
      return copy.at('js/alerts.js', '-----BEGIN');
    },
  ],
  [
    'files.secret',
    'a keystore',
    (copy) => {
      copy.write('release.p12', 'x');
      return 'release.p12';
    },
  ],
  [
    'files.secret',
    'a file of passwords',
    (copy) => {
      copy.write('.env', 'PASSWORD=x');
      return '.env';
    },
  ],
];
