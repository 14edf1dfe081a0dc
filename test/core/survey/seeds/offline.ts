import { renameSync } from 'node:fs';
import { HEAD, type Seed } from './copy.js';

/** The service worker and what users see without a network. */
export const OFFLINE_SEEDS: readonly Seed[] = [
  [
    'offline.worker',
    'no worker is registered',
    (copy) => {
      copy.replace('js/app.js', /if \('serviceWorker'[\s\S]*$/, '');
      return HEAD;
    },
  ],
  [
    'offline.worker-script',
    'the worker is not there',
    (copy) => {
      copy.remove('sw.js');
      return copy.at('js/app.js', "navigator.serviceWorker.register('/sw.js')");
    },
  ],
  [
    'offline.worker-script',
    'the worker does not parse',
    (copy) => {
      copy.write('sw.js', 'self.addEventListener(');
      return copy.at('js/app.js', "navigator.serviceWorker.register('/sw.js')");
    },
  ],
  [
    'offline.scope',
    'the worker lies too deep',
    (copy) => {
      renameSync(copy.path('sw.js'), copy.path('js/sw.js'));
      copy.replace('js/app.js', "'/sw.js'", "'/js/sw.js'");
      return copy.at('js/app.js', 'navigator.serviceWorker.register(');
    },
  ],
  [
    'offline.fetch',
    'the worker answers nothing',
    (copy) => {
      copy.replace('sw.js', "self.addEventListener('fetch'", "self.addEventListener('message'");
      return 'sw.js:1:1';
    },
  ],
  [
    'offline.fetch',
    'the worker never looks into a cache',
    (copy) => {
      copy.write(
        'sw.js',
        "self.addEventListener('fetch', (event) => event.respondWith(fetch(event.request)));",
      );
      return 'sw.js:1:1';
    },
  ],
  [
    'offline.not-found',
    'no page for what is not there',
    (copy) => {
      copy.remove('404.html');
      copy.replace('sw.js', " '/404.html',", '');
      return '.';
    },
  ],
];
