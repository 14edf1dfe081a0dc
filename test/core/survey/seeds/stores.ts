import { readFileSync } from 'node:fs';
import { addToBody, HEAD, type Seed, value } from './copy.js';

/** What stores refuse, and what could not be read. */
export const STORES_SEEDS: readonly Seed[] = [
  // Stores
  [
    'store.name-length',
    'a name that no listing takes',
    (copy) => {
      copy.manifest((members) => {
        members.name = 'Saltmarsh Ferry and Islands Timetable';
      });
      return value(copy, 'name');
    },
  ],
  [
    'store.privacy',
    'no privacy page',
    (copy) => {
      copy.remove('privacy.html');
      copy.replace('index.html', /.*privacy.html.*\n/, '');
      copy.replace('sw.js', " '/privacy.html',", '');
      return HEAD;
    },
  ],
  [
    'store.payment',
    'a field for a card',
    (copy) => {
      addToBody(copy, '<input autocomplete="cc-number">', 'tickets.html');
      return copy.at('tickets.html', '<input autocomplete="cc-number">');
    },
  ],
  [
    'store.payment',
    'a request for payment',
    (copy) => {
      copy.write(
        'js/alerts.js',
        `${copy.read('js/alerts.js')}\nexport const pay = () => new PaymentRequest([], {});\n`,
      );
      return copy.at('js/alerts.js', 'new PaymentRequest');
    },
  ],
  // What could not be read
  [
    'read.markup',
    'no doctype',
    (copy) => {
      copy.replace('pier.html', '<!doctype html>\n', '');
      return 'pier.html:1:1';
    },
  ],
  [
    'read.markup',
    'an attribute twice',
    (copy) => {
      addToBody(copy, '<p class="soft" class="small">Twice</p>');
      return copy
        .at('index.html', 'class="small">Twice')
        .replace(/\d+$/, (column) => String(Number(column) + 5));
    },
  ],
  [
    'read.script',
    'a script that does not parse',
    (copy) => {
      copy.write('js/alerts.js', 'const a = ;\n');
      return 'js/alerts.js:1:11';
    },
  ],
  [
    'read.style',
    'a style sheet that does not parse',
    (copy) => {
      copy.write('css/ferry.css', `${copy.read('css/ferry.css')}\n.x { color red; }\n`);
      return copy.at('css/ferry.css', 'red; }');
    },
  ],
  [
    'read.binary',
    'a picture named as a page',
    (copy) => {
      copy.write('map.html', readFileSync(copy.path('icons/icon-192.png')));
      return 'map.html';
    },
  ],
];
