import type { Browser, Page } from 'playwright-core';
import { chromium } from 'playwright-core';
import { afterAll, beforeAll, describe, expect } from 'vitest';
import { PAGE_SCRIPT } from '../../src/core/android/page-script.js';
import { host } from '../support/host.js';
import { reader, readerTest } from '../support/readers.js';

/** What the shell runs in pages, in a real browser: files that are handed out keep their names, and live long enough. */

let browser: Browser | undefined;
let page: Page;

beforeAll(async () => {
  const executablePath = reader('chromium');
  if (executablePath === undefined) return;
  browser = await chromium.launch({ executablePath, args: ['--no-sandbox', '--disable-gpu'] });
  const base = await host((_request, response) => {
    response.writeHead(200, { 'content-type': 'text/html' });
    response.end(
      '<!doctype html><title>Tickets</title><a id="kept" download="plan.pdf" href="/export?id=3"><b>Plan</b></a><a id="plain" href="#there">There</a>',
    );
  });
  page = await browser.newPage();
  await page.goto(base);
  // As the shell does: when the page is begun, and when it is seen.
  await page.evaluate(PAGE_SCRIPT);
  await page.evaluate(PAGE_SCRIPT);
});

afterAll(async () => {
  await browser?.close();
});

const nameOf = (url: string) => page.evaluate<string>(`hullKept.name(${JSON.stringify(url)})`);

/** Hands out a blob the way a page does, and lets go of it at once. @param how the last step of a script with `link` */
async function handOut(how: string) {
  const { url, text } = await page.evaluate(async (click) => {
    const url = URL.createObjectURL(new Blob(['07:30 Lantern Isle'], { type: 'text/plain' }));
    const link = Object.assign(document.createElement('a'), { href: url, download: 'sailings.txt' });
    new Function('link', click)(link);
    URL.revokeObjectURL(url);
    const text = await fetch(url).then(
      (answer) => answer.text(),
      () => undefined,
    );
    return { url, text };
  }, how);
  return { text, name: await nameOf(url) };
}

describe('what pages hand out', () => {
  readerTest('chromium', 'is there after its page let go of it, under its name', async () => {
    const kept = { text: '07:30 Lantern Isle', name: 'sailings.txt' };
    expect(await handOut('link.click()')).toEqual(kept);
    expect(await handOut("link.dispatchEvent(new MouseEvent('click'))")).toEqual(kept);
    expect(await handOut('document.body.append(link); link.click(); link.remove()')).toEqual(kept);
  });

  readerTest('chromium', 'is let go of at once where it was only shown', async () => {
    expect(await handOut('')).toEqual({ text: undefined, name: '' });
  });

  readerTest('chromium', 'has its name where a link is touched, and only then', async () => {
    const name = (url: string) => nameOf(new URL(url, page.url()).href);
    await page.click('#plain');
    expect(await name('#there')).toBe('');
    await page.click('#kept b');
    expect(await name('/export?id=3')).toBe('plan.pdf');
    await page.evaluate(() => {
      Object.assign(document.createElement('a'), { href: 'data:text/csv,a,b', download: 'a.csv' }).click();
    });
    expect(await nameOf('data:')).toBe('a.csv');
  });

  readerTest('chromium', 'is forgotten after twenty', async () => {
    const here = new URL('#', page.url()).href;
    await page.evaluate(() => {
      for (let i = 0; i < 30; i += 1) {
        const link = Object.assign(document.createElement('a'), { href: `#${i}`, download: `${i}.txt` });
        link.addEventListener('click', (event) => event.preventDefault());
        link.click();
      }
    });
    const left = await Promise.all([0, 9, 10, 29].map((i) => nameOf(`${here}${i}`)));
    expect(left).toEqual(['', '', '10.txt', '29.txt']);
  });
});
