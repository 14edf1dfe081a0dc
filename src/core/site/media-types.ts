/**
 * Content types by lower-case file name extension (IANA media types; WHATWG MIME Sniffing for scripts). Packed pages
 * are served with these on the device.
 */
export const MEDIA_TYPES: Readonly<Record<string, string>> = {
  html: 'text/html',
  htm: 'text/html',
  xhtml: 'application/xhtml+xml',
  css: 'text/css',
  js: 'text/javascript',
  mjs: 'text/javascript',
  cjs: 'text/javascript',
  json: 'application/json',
  map: 'application/json',
  webmanifest: 'application/manifest+json',
  jsonld: 'application/ld+json',
  geojson: 'application/geo+json',
  xml: 'application/xml',
  txt: 'text/plain',
  md: 'text/markdown',
  csv: 'text/csv',
  vtt: 'text/vtt',
  ics: 'text/calendar',
  svg: 'image/svg+xml',
  png: 'image/png',
  apng: 'image/apng',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
  avif: 'image/avif',
  ico: 'image/vnd.microsoft.icon',
  bmp: 'image/bmp',
  woff: 'font/woff',
  woff2: 'font/woff2',
  ttf: 'font/ttf',
  otf: 'font/otf',
  mp3: 'audio/mpeg',
  m4a: 'audio/mp4',
  aac: 'audio/aac',
  oga: 'audio/ogg',
  ogg: 'audio/ogg',
  opus: 'audio/ogg',
  wav: 'audio/wav',
  flac: 'audio/flac',
  weba: 'audio/webm',
  mp4: 'video/mp4',
  m4v: 'video/mp4',
  webm: 'video/webm',
  ogv: 'video/ogg',
  mov: 'video/quicktime',
  wasm: 'application/wasm',
  pdf: 'application/pdf',
  zip: 'application/zip',
  gz: 'application/gzip',
  glb: 'model/gltf-binary',
  gltf: 'model/gltf+json',
};

/** Extensions whose bytes are compressed already: deflating them again costs time and gains nothing. */
const COMPRESSED = new Set(
  'png apng jpg jpeg gif webp avif woff woff2 mp3 m4a aac oga ogg opus flac weba mp4 m4v webm ogv mov zip gz br glb'.split(
    ' ',
  ),
);

/** The lower-case extension of a path, without its dot; empty where there is none. */
export function extensionOf(path: string): string {
  const name = path.slice(path.lastIndexOf('/') + 1);
  const dot = name.lastIndexOf('.');
  return dot <= 0 ? '' : name.slice(dot + 1).toLowerCase();
}

export function isCompressed(path: string): boolean {
  return COMPRESSED.has(extensionOf(path));
}
