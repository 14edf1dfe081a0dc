// The made-up line: five piers, three routes, the same sailings every day.
export const piers = [
  { id: 'saltmarsh', name: 'Saltmarsh Quay', lat: 54.902, lon: 4.611, x: 96, y: 236 },
  { id: 'heron', name: 'Heron Point', lat: 54.941, lon: 4.702, x: 206, y: 128 },
  { id: 'skerry', name: 'Long Skerry', lat: 54.967, lon: 4.834, x: 344, y: 66 },
  { id: 'samphire', name: 'Samphire Landing', lat: 54.893, lon: 4.801, x: 318, y: 238 },
  { id: 'lantern', name: 'Lantern Isle', lat: 54.921, lon: 4.951, x: 472, y: 164 },
];

export const routes = [
  { id: 'north', name: 'Heron Point', from: 'Saltmarsh Quay', pier: 'Pier 1', minutes: 25, first: 6 * 60 + 10, every: 40, last: 22 * 60 + 10 },
  { id: 'outer', name: 'Long Skerry', from: 'Saltmarsh Quay', pier: 'Pier 2', minutes: 55, first: 6 * 60 + 45, every: 90, last: 20 * 60 + 15 },
  { id: 'lantern', name: 'Lantern Isle', from: 'Saltmarsh Quay', pier: 'Pier 2', minutes: 70, first: 7 * 60 + 30, every: 120, last: 19 * 60 + 30 },
];

export const boats = ['Avocet', 'Sanderling', 'Curlew', 'Oystercatcher'];

export function sailings(route) {
  const list = [];
  for (let at = route.first, i = 0; at <= route.last; at += route.every, i += 1) {
    list.push({ at, boat: boats[(i + route.minutes) % boats.length], late: (i * 7 + route.minutes) % 11 === 0 ? 10 : 0 });
  }
  return list;
}

export const clock = (minutes) =>
  `${String(Math.floor(minutes / 60) % 24).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;

export function kilometres(a, b) {
  const rad = (deg) => (deg * Math.PI) / 180;
  const h = Math.sin(rad(b.lat - a.lat) / 2) ** 2 +
    Math.cos(rad(a.lat)) * Math.cos(rad(b.lat)) * Math.sin(rad(b.lon - a.lon) / 2) ** 2;
  return 12742 * Math.asin(Math.sqrt(h));
}
