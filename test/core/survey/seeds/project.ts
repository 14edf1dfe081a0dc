/** What only a project can have wrong. */
export const PROJECT = {
  app: { id: 'example.saltmarsh.ferry', name: 'Saltmarsh Ferry', version: '1.0.0', build: 1 },
  web: { folder: 'site', url: 'https://ferry.saltmarsh.example/' },
  permissions: { geolocation: 'Shows the pier nearest to you.', camera: 'Reads the code on your booking.' },
  android: { engine: 'browser' },
  apple: { app_bound_domains: ['ferry.saltmarsh.example'] },
};

export type ProjectSeed = readonly [
  rule: string,
  what: string,
  change: (project: typeof PROJECT & Record<string, unknown>) => void,
  at: string,
];

export const PROJECT_SEEDS: readonly ProjectSeed[] = [
  [
    'offline.apple-worker',
    'a domain that the Apple app is not bound to',
    (project) => {
      project.apple.app_bound_domains = ['other.example'];
    },
    'hull.json:19:12 /apple',
  ],
  [
    'permission.undeclared',
    'the camera is not declared',
    (project) => {
      delete (project.permissions as { camera?: string }).camera;
    },
    'js/tickets.js:79:20',
  ],
  [
    'permission.unused',
    'the microphone is declared and never used',
    (project) => {
      Object.assign(project.permissions, { microphone: 'Records the message that you leave for the pier.' });
    },
    'hull.json:15:5 /permissions/microphone',
  ],
  [
    'permission.reason',
    'a reason that says nothing',
    (project) => {
      project.permissions.camera = 'This app needs access to your camera.';
    },
    'hull.json:14:15 /permissions/camera',
  ],
  [
    'permission.name',
    'a name that there is not',
    (project) => {
      Object.assign(project.permissions, { geolocaton: 'Shows the pier nearest to you.' });
    },
    'hull.json:15:5 /permissions/geolocaton',
  ],
  [
    'store.app-id',
    'an ID of documentation',
    (project) => {
      project.app.id = 'com.example.ferry';
    },
    'hull.json:3:11 /app/id',
  ],
  [
    'secure.cleartext-host',
    'pages without TLS that stay in the app',
    (project) => {
      Object.assign(project.web, {
        inside: ['https://ferry.saltmarsh.example/*', 'http://pier-cam.saltmarsh.example/*'],
      });
    },
    'hull.json:13:7 /web/inside/1',
  ],
  [
    'secure.https',
    'an address on plain http',
    (project) => {
      project.web.url = 'http://ferry.saltmarsh.example/';
    },
    'hull.json:10:12 /web/url',
  ],
];
