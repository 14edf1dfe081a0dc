import sharp from 'sharp';
import { addToHead, HEAD, type Seed } from './copy.js';

/** What makes pages feel native, and fit the screen. */
export const FEEL_SEEDS: readonly Seed[] = [
  // Feels native
  [
    'feel.viewport',
    'no viewport',
    (copy) => {
      copy.replace('pier.html', /.*<meta name="viewport".*\n/, '');
      return 'pier.html:3:1';
    },
  ],
  [
    'feel.viewport-cover',
    'the page does not reach the edges',
    (copy) => {
      copy.replace('pier.html', ', viewport-fit=cover', '');
      return copy.at('pier.html', 'content="width=device-width');
    },
  ],
  [
    'feel.zoom',
    'zoom is off',
    (copy) => {
      copy.replace('pier.html', 'initial-scale=1,', 'initial-scale=1, user-scalable=no,');
      return copy.at('pier.html', 'content="width=device-width');
    },
  ],
  [
    'feel.safe-area',
    'tabs without room for the gesture bar',
    (copy) => {
      copy.replace(
        'css/ferry.css',
        'height: calc(var(--tabs) + env(safe-area-inset-bottom));\n',
        'height: var(--tabs);\n',
      );
      copy.replace(
        'css/ferry.css',
        'padding: 0 env(safe-area-inset-right) env(safe-area-inset-bottom) env(safe-area-inset-left);',
        'padding: 0;',
      );
      return copy.at('css/ferry.css', 'position: fixed', copy.read('css/ferry.css').indexOf('.tabs {'));
    },
  ],
  [
    'feel.bar-room',
    'no room under the header',
    (copy) => {
      copy.replace(
        'css/ferry.css',
        'padding: calc(var(--bar) + env(safe-area-inset-top))',
        'padding: env(safe-area-inset-top)',
      );
      return copy.at('css/ferry.css', 'position: fixed', copy.read('css/ferry.css').indexOf('.bar {'));
    },
  ],
  [
    'feel.header',
    'the header scrolls away',
    (copy) => {
      copy.replace('css/ferry.css', 'position: fixed; z-index: 2; inset: 0 0 auto 0;', '');
      return copy.at('index.html', '<header');
    },
  ],
  [
    'feel.height',
    'a height of 100vh',
    (copy) => {
      copy.replace('css/ferry.css', '100dvh', '100vh');
      return copy.at('css/ferry.css', 'min-height: 100vh');
    },
  ],
  [
    'feel.height',
    'a height frozen in px',
    (copy) => {
      copy.write('css/ferry.css', `${copy.read('css/ferry.css')}\nmain { height: 780px; }\n`);
      return copy.at('css/ferry.css', 'height: 780px');
    },
  ],
  [
    'feel.double-tap',
    'a double tap zooms',
    (copy) => {
      copy.replace('css/ferry.css', 'touch-action: manipulation; ', '');
      return 'css/ferry.css:1:1';
    },
  ],
  [
    'feel.tap-highlight',
    'a grey box flashes',
    (copy) => {
      copy.replace('css/ferry.css', ' -webkit-tap-highlight-color: transparent;', '');
      return 'css/ferry.css:1:1';
    },
  ],
  [
    'feel.overscroll',
    'the page bounces',
    (copy) => {
      copy.replace('css/ferry.css', 'overscroll-behavior-y: none; ', '');
      return 'css/ferry.css:1:1';
    },
  ],
  [
    'feel.text-selection',
    'labels can be selected',
    (copy) => {
      copy.write(
        'css/ferry.css',
        copy.read('css/ferry.css').replaceAll(/(-webkit-)?user-select: none;/g, ''),
      );
      return 'css/ferry.css:1:1';
    },
  ],
  [
    'feel.hover',
    'a menu for mice only',
    (copy) => {
      copy.write('css/ferry.css', `${copy.read('css/ferry.css')}\n.tag:hover .more { display: block; }\n`);
      return copy.at('css/ferry.css', '.tag:hover');
    },
  ],
  [
    'feel.theme-color',
    'no theme colour in the page',
    (copy) => {
      copy.replace('index.html', /.*<meta name="theme-color".*\n/, '');
      return HEAD;
    },
  ],
  [
    'feel.status-bar',
    'a stripe over the header',
    (copy) => {
      copy.replace(
        'index.html',
        'name="theme-color" content="#0b4f6c"',
        'name="theme-color" content="#c8431c"',
      );
      copy.replace('manifest.webmanifest', '"theme_color": "#0b4f6c"', '"theme_color": "#c8431c"');
      return copy.at('index.html', 'content="#c8431c"');
    },
  ],
  [
    'feel.status-bar',
    'a stripe that is as light as the header',
    (copy) => {
      copy.replace(
        'index.html',
        'name="theme-color" content="#0b4f6c"',
        'name="theme-color" content="#7b3620"',
      );
      copy.replace('manifest.webmanifest', '"theme_color": "#0b4f6c"', '"theme_color": "#7b3620"');
      return copy.at('index.html', 'content="#7b3620"');
    },
  ],
  [
    'feel.status-bar',
    'white symbols on a light header',
    (copy) => {
      copy.replace('css/ferry.css', 'background: var(--sea); color: #fff;', 'background: #fff; color: #000;');
      copy.replace('index.html', 'content="#0b4f6c"', 'content="#fff"');
      copy.replace('manifest.webmanifest', '"theme_color": "#0b4f6c"', '"theme_color": "#fff"');
      addToHead(copy, '<meta name="apple-mobile-web-app-status-bar-style" content="black-translucent">');
      return copy.at('index.html', 'content="black-translucent"');
    },
  ],
  [
    'feel.touch-icon',
    'no touch icon',
    (copy) => {
      copy.replace('index.html', /.*<link rel="apple-touch-icon".*\n/, '');
      return HEAD;
    },
  ],
  [
    'feel.touch-icon',
    'a touch icon that is too small',
    async (copy) => {
      copy.write('icons/touch.png', await sharp(copy.path('icons/icon-192.png')).resize(57).png().toBuffer());
      copy.replace(
        'index.html',
        '<link rel="apple-touch-icon" href="/icons/icon-192.png">',
        '<link rel="apple-touch-icon" href="/icons/touch.png">',
      );
      return copy.at('index.html', 'href="/icons/touch.png"');
    },
  ],
  // Fits
  [
    'fit.fixed-width',
    'a viewport of one width',
    (copy) => {
      copy.replace('pier.html', 'width=device-width', 'width=1024');
      return copy.at('pier.html', 'content="width=1024');
    },
  ],
  [
    'fit.fixed-width',
    'a body of one width',
    (copy) => {
      copy.write('css/ferry.css', `${copy.read('css/ferry.css')}\nbody { min-width: 960px; }\n`);
      return copy.at('css/ferry.css', 'min-width: 960px');
    },
  ],
];
