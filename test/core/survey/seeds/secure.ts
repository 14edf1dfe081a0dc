import { addToBody, addToHead, type Seed } from './copy.js';

/** What makes a site unsafe. */
export const SECURE_SEEDS: readonly Seed[] = [
  [
    'secure.isolation',
    'memory that threads share',
    (copy) => {
      copy.write(
        'js/route.js',
        'const memory = new WebAssembly.Memory({ initial: 1, maximum: 9, shared: !0 });\n',
      );
      return copy.at('js/route.js', 'new WebAssembly');
    },
  ],
  [
    'secure.mixed-content',
    'a script from plain http',
    (copy) => {
      addToHead(copy, '<script src="http://pier-cam.saltmarsh.example/live.js"></script>');
      return copy.at('index.html', 'src="http://');
    },
  ],
  [
    'secure.mixed-content',
    'a style sheet imported from plain http',
    (copy) => {
      copy.write(
        'css/ferry.css',
        `@import url(http://pier-cam.saltmarsh.example/x.css);\n${copy.read('css/ferry.css')}`,
      );
      return 'css/ferry.css:1:1';
    },
  ],
  [
    'secure.insecure-media',
    'a picture from plain http',
    (copy) => {
      addToBody(copy, '<img src="http://pier-cam.saltmarsh.example/now.jpg" alt="">');
      return copy.at('index.html', 'src="http://');
    },
  ],
  [
    'secure.insecure-media',
    'a background picture from plain http',
    (copy) => {
      copy.write(
        'css/ferry.css',
        `${copy.read('css/ferry.css')}\n.card { background-image: url("http://pier-cam.saltmarsh.example/a.png"); }`,
      );
      return copy.at('css/ferry.css', 'background-image: url("http');
    },
  ],
  [
    'secure.form-target',
    'a form sent in the open',
    (copy) => {
      addToBody(copy, '<form action="http://desk.saltmarsh.example/ask"><button>Ask</button></form>');
      return copy.at('index.html', 'action="http://');
    },
  ],
  [
    'secure.cleartext-host',
    'a script that asks a host without TLS',
    (copy) => {
      copy.write(
        'js/alerts.js',
        `${copy.read('js/alerts.js')}\nconst HOST = 'http://tide.saltmarsh.example';\nfetch(HOST + '/now.json');\n`,
      );
      return copy.at('js/alerts.js', "HOST + '/now");
    },
  ],
  [
    'secure.cleartext-host',
    'a socket without TLS',
    (copy) => {
      copy.write(
        'js/alerts.js',
        `${copy.read('js/alerts.js')}\nnew WebSocket(\`ws://tide.saltmarsh.example/\${1}\`);\n`,
      );
      return copy.at('js/alerts.js', '`ws://');
    },
  ],
];
