// The packed demo in a browser: time to its first picture beside what Chromium alone takes for the same page, and from a touch to the
// picture that it changes.
import { readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { extname, join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { chromium } from 'playwright-core';
import { tryApp } from '../dist/core/index.js';

const TYPES = { '.html': 'text/html', '.css': 'text/css', '.js': 'text/javascript', '.svg': 'image/svg+xml' };
const QUALITY = 72;

/** Serves a folder, and nothing else. */
async function serve(site) {
  const server = createServer((request, response) => {
    const { pathname } = new URL(request.url, 'http://x');
    try {
      const file = join(site, pathname === '/' ? 'index.html' : pathname);
      response
        .writeHead(200, { 'content-type': TYPES[extname(file)] ?? 'application/octet-stream' })
        .end(readFileSync(file));
    } catch {
      response.writeHead(404).end();
    }
  });
  await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve));
  return server;
}

/** Starts an app, and waits for the first picture of its own page. */
async function startApp(file, executable) {
  const heard = { frame: () => undefined };
  const began = performance.now();
  const tried = await tryApp({
    file,
    browser: { executable },
    onEvent: (event) => event.is === 'frame' && heard.frame(),
  });
  const first = new Promise((resolve) => {
    heard.frame = () => tried.session.page?.url().startsWith('https:') && resolve();
  });
  const launched = tried.session.launchApp();
  await first;
  const time = performance.now() - began;
  await launched;
  return { session: tried.session, heard, time };
}

async function bareStart(url, executable) {
  const began = performance.now();
  const browser = await chromium.launch({ executablePath: executable, args: ['--no-sandbox'] });
  const context = await browser.newContext({
    viewport: { width: 412, height: 828 },
    deviceScaleFactor: 2,
    isMobile: true,
    hasTouch: true,
  });
  const page = await context.newPage();
  const cdp = await context.newCDPSession(page);
  const first = new Promise((resolve) => {
    cdp.on('Page.screencastFrame', () => page.url().startsWith('http:') && resolve());
  });
  await cdp.send('Page.startScreencast', { format: 'jpeg', quality: QUALITY });
  page.goto(url).catch(() => undefined);
  await first;
  const time = performance.now() - began;
  await browser.close();
  return time;
}

/** ms from touches to the pictures that they change: a page whose whole screen is a button. */
async function touches({ session, heard }, count) {
  await session.page.evaluate(() => {
    document.body.innerHTML = '<button style="position:fixed;inset:0;font-size:60px">0</button>';
    const button = document.querySelector('button');
    button.addEventListener('touchstart', () => {
      button.textContent = String(Number(button.textContent) + 1);
    });
  });
  await wait(500);
  const times = [];
  for (let index = 0; index < count; index += 1) {
    await wait(250);
    const frame = new Promise((resolve) => {
      heard.frame = resolve;
    });
    const began = performance.now();
    await session.touch('start', 200, 400);
    await frame;
    times.push(performance.now() - began);
    await session.touch('end', 200, 400);
    await wait(150);
    heard.frame = () => undefined;
  }
  return times;
}

const median = (times) => times.sort((one, other) => one - other)[times.length >> 1];

/** @returns the ratio of the first pictures, and ms from a touch to its picture: medians */
export async function measureTry(file, site, executable, rounds) {
  const server = await serve(site);
  const url = `http://127.0.0.1:${server.address().port}/`;
  const ours = [];
  const bare = [];
  let touch = 0;
  for (let round = 0; round < rounds; round += 1) {
    const started = await startApp(file, executable);
    ours.push(started.time);
    if (round === 0) touch = median(await touches(started, 15));
    await started.session.close();
    bare.push(await bareStart(url, executable));
  }
  server.close();
  return { first: median(ours) / median(bare), touch };
}
