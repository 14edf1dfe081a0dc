import type { Browser, Page } from 'playwright-core';
import { chromium } from 'playwright-core';
import { afterAll, beforeAll, describe, expect } from 'vitest';
import { portScript } from '../../src/core/platforms/android/app/page-port.js';
import { host } from '../support/host.js';
import { reader, readerTest } from '../support/readers.js';

/** What pages play, as the shell is told of it, in a real browser without what a web view lacks. */

/** A sound of so many seconds: PCM, 8 bits, 8 kHz. */
function sound(seconds: number): Buffer {
  const rate = 8000;
  const bytes = Buffer.alloc(44 + seconds * rate, 128);
  bytes.write('RIFF', 0);
  bytes.writeUInt32LE(bytes.length - 8, 4);
  bytes.write('WAVEfmt ', 8);
  bytes.writeUInt32LE(16, 16);
  bytes.writeUInt16LE(1, 20);
  bytes.writeUInt16LE(1, 22);
  bytes.writeUInt32LE(rate, 24);
  bytes.writeUInt32LE(rate, 28);
  bytes.writeUInt16LE(1, 32);
  bytes.writeUInt16LE(8, 34);
  bytes.write('data', 36);
  bytes.writeUInt32LE(seconds * rate, 40);
  return bytes;
}

const PICTURE = Buffer.from(
  '<svg xmlns="http://www.w3.org/2000/svg" width="640" height="320"><rect width="640" height="320" fill="#0b4f6c"/></svg>',
);

const PORT = `
  delete Navigator.prototype.mediaSession; delete window.MediaSession; delete window.MediaMetadata;
  window.media = []; window.pictures = [];
  if (window === top) window.hullPort = {
    postMessage(text) {
      const [, what, given] = JSON.parse(text);
      if (what === 'media') media.push(JSON.parse(given));
      if (what === 'picture') pictures.push(given);
    },
  };
  (${portScript({ notifies: false, plays: true })})('');`;

let browser: Browser | undefined;
let base: string;

beforeAll(async () => {
  const executablePath = reader('chromium');
  if (executablePath === undefined) return;
  browser = await chromium.launch({
    executablePath,
    args: ['--no-sandbox', '--disable-gpu', '--autoplay-policy=no-user-gesture-required'],
  });
  base = await host((request, response) => {
    const [, name, ending] = /^\/(\w+)\.(\w+)$/.exec(request.url ?? '') ?? [];
    if (ending === 'wav') {
      response.writeHead(200, { 'content-type': 'audio/wav', 'accept-ranges': 'none' });
      response.end(sound(Number(name?.slice(1))));
    } else if (ending === 'svg') {
      response.writeHead(name === 'missing' ? 404 : 200, { 'content-type': 'image/svg+xml' });
      response.end(name === 'missing' ? '' : PICTURE);
    } else {
      response.writeHead(200, { 'content-type': 'text/html' });
      response.end('<!doctype html><title>Harbour talk</title><audio id="in" src="/s20.wav"></audio>');
    }
  });
});

afterAll(async () => {
  await browser?.close();
});

async function open(): Promise<Page> {
  const page = await (browser as Browser).newPage();
  await page.addInitScript(PORT);
  await page.goto(base);
  return page;
}

interface Told {
  readonly state: string;
  readonly title: string;
  readonly artist: string;
  readonly actions: readonly string[];
  readonly duration?: number;
  readonly position?: number;
}
const last = (page: Page) => page.evaluate<Told>('media[media.length - 1]');
const state = async (page: Page) => (await last(page)).state;

describe('what pages play', () => {
  readerTest('chromium', 'is told of from its beginning to its end', async () => {
    const page = await open();
    expect(await page.evaluate('media')).toEqual([{ state: 'none' }]);
    await page.evaluate("document.getElementById('in').play()");
    await expect.poll(() => state(page)).toBe('playing');
    await expect.poll(() => last(page)).toMatchObject({ title: 'Harbour talk', duration: 20, actions: [] });
    await page.evaluate("hullMedia.act('pause', -1)");
    await expect.poll(() => state(page)).toBe('paused');
    await page.evaluate("hullMedia.act('play', -1)");
    await expect.poll(() => state(page)).toBe('playing');
    await page.evaluate("document.getElementById('in').muted = true");
    await expect.poll(() => state(page)).toBe('paused');
    await page.close();
  });

  readerTest('chromium', 'is told of where it is in no document, and not where it is a signal', async () => {
    const page = await open();
    await page.evaluate("new Audio('/s1.wav').play()");
    await page.evaluate("window.long = new Audio('/s9.wav'); long.play()");
    await expect.poll(() => state(page)).toBe('playing');
    await page.evaluate('long.pause()');
    await expect.poll(() => state(page)).toBe('paused');
    const signal = await open();
    await signal.evaluate(
      "new Promise((done) => { const one = new Audio('/s1.wav'); one.onended = done; one.play(); })",
    );
    expect(await signal.evaluate('media.map(({ state }) => state)')).not.toContain('playing');
    await page.close();
    await signal.close();
  });

  readerTest('chromium', 'has the standard’s names and actions', async () => {
    const page = await open();
    await page.evaluate(`(() => {
      navigator.mediaSession.metadata = new MediaMetadata({ title: 'Tides', artist: 'Saltmarsh Radio',
        artwork: [{ src: '/small.svg', sizes: '96x96' }, { src: '/cover.svg', sizes: '512x512' }, { src: '/huge.svg', sizes: '2048x2048' }] });
      window.acted = [];
      for (const name of ['nexttrack', 'seekto']) navigator.mediaSession.setActionHandler(name, (details) => acted.push(details));
      navigator.mediaSession.setPositionState({ duration: 61.5, position: 2, playbackRate: 1 });
    })()`);
    expect(await state(page)).toBe('none');
    await page.evaluate("navigator.mediaSession.playbackState = 'playing'");
    await expect
      .poll(() => last(page))
      .toEqual({
        state: 'playing',
        title: 'Tides',
        artist: 'Saltmarsh Radio',
        album: '',
        actions: ['nexttrack', 'seekto'],
        duration: 61.5,
        position: 2,
        rate: 1,
      });
    await expect.poll(() => page.evaluate('pictures.length')).toBe(1);
    const size = await page.evaluate(
      'new Promise((done) => { const image = new Image(); image.onload = () => done([image.width, image.height]); image.src = pictures[0]; })',
    );
    expect(size).toEqual([320, 160]);
    await page.evaluate("hullMedia.act('seekto', 12.5); hullMedia.act('nexttrack', -1)");
    expect(await page.evaluate('acted')).toEqual([
      { action: 'seekto', seekTime: 12.5 },
      { action: 'nexttrack' },
    ]);
    await page.evaluate(`navigator.mediaSession.setActionHandler('seekto', null);
      navigator.mediaSession.metadata = new MediaMetadata({ title: 'Fog', artwork: [{ src: '/missing.svg' }] }); 0`);
    await expect.poll(() => last(page)).toMatchObject({ title: 'Fog', artist: '', actions: ['nexttrack'] });
    await expect.poll(() => page.evaluate('pictures[pictures.length - 1]')).toBe('');
    const refused = (script: string) =>
      page.evaluate(`(() => { try { ${script}; return 'taken'; } catch (error) { return error.name; } })()`);
    expect(await refused('navigator.mediaSession.metadata = {}')).toBe('TypeError');
    expect(await refused("navigator.mediaSession.setActionHandler('dance', () => {})")).toBe('TypeError');
    expect(await refused('navigator.mediaSession.setPositionState({ duration: 1, position: 2 })')).toBe(
      'TypeError',
    );
    expect(await refused('new MediaMetadata({ artwork: [{}] })')).toBe('TypeError');
    await page.evaluate("navigator.mediaSession.playbackState = 'none'");
    await expect.poll(() => state(page)).toBe('none');
    await page.close();
  });

  readerTest('chromium', 'ends with its page', async () => {
    const page = await open();
    await page.evaluate("document.getElementById('in').play()");
    await expect.poll(() => state(page)).toBe('playing');
    await page.goto(`${base}other`);
    expect(await page.evaluate('media')).toEqual([{ state: 'none' }]);
    await page.close();
  });

  readerTest('chromium', 'an engine’s own session is left alone', async () => {
    const page = await (browser as Browser).newPage();
    await page.addInitScript(
      `const own = navigator.mediaSession; ${PORT.replace(/delete Nav[^;]*;/, '')} window.same = navigator.mediaSession === own;`,
    );
    await page.goto(base);
    expect(await page.evaluate('same')).toBe(true);
    await page.close();
  });
});
