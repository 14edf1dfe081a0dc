// Keeps the whole app on the device: pages open without a network, and refresh when there is one.
const KEEP = 'ferry-9';
const PAGES = [
  '/', '/pier.html', '/tickets.html', '/alerts.html', '/privacy.html', '/404.html', '/css/ferry.css', '/manifest.webmanifest',
  '/js/app.js', '/js/data.js', '/js/timetable.js', '/js/pier.js', '/js/tickets.js', '/js/buy.js', '/js/shop.js',
  '/js/alerts.js', '/icons/icon.svg',
];

self.addEventListener('install', (event) => {
  event.waitUntil(caches.open(KEEP).then((cache) => cache.addAll(PAGES)).then(() => self.skipWaiting()));
});

self.addEventListener('activate', (event) => {
  event.waitUntil(
    caches.keys()
      .then((names) => Promise.all(names.filter((name) => name !== KEEP).map((name) => caches.delete(name))))
      .then(() => self.clients.claim()),
  );
});

self.addEventListener('fetch', (event) => {
  const { request } = event;
  if (request.method !== 'GET' || new URL(request.url).origin !== self.location.origin) return;
  event.respondWith(
    fetch(request)
      .then(async (response) => {
        if (response.ok && response.status === 200) (await caches.open(KEEP)).put(request, response.clone());
        // A server in trouble is no reason to show its error page: what was kept does.
        if (response.status >= 500 && request.mode === 'navigate') {
          return (await caches.match(request, { ignoreSearch: true })) ?? (await caches.match('/404.html')) ?? response;
        }
        return response;
      })
      .catch(async () => {
        const found = await caches.match(request, { ignoreSearch: true });
        return found ?? (request.mode === 'navigate' ? caches.match('/404.html') : Response.error());
      }),
  );
});
