import type { Browser, Page } from 'playwright-core';
import { chromium } from 'playwright-core';
import { afterAll, beforeAll, describe, expect } from 'vitest';
import { NOTICE_SCRIPT, pageScript } from '../../src/core/packaging/page-script.js';
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
  await page.evaluate(pageScript('standalone', { downloads: 'shell', clipboard: 'engine' }));
  await page.evaluate(pageScript('standalone', { downloads: 'shell', clipboard: 'engine' }));
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

describe('notifications that the shell gives pages', () => {
  /** A page whose browser has none, with a receiver that notes what it is told. */
  async function bare(): Promise<Page> {
    const fresh = await (browser as Browser).newPage();
    await fresh.goto(page.url());
    await fresh.evaluate(`delete window.Notification;
      window.told = []; window.state = 'default';
      window.hullNotices = {
        state: () => state,
        ask: (...words) => told.push(['ask', ...words]),
        show: (token, json) => told.push(['show', token, JSON.parse(json)]),
        close: (...words) => told.push(['close', ...words]),
      };`);
    await fresh.evaluate(NOTICE_SCRIPT);
    await fresh.evaluate(NOTICE_SCRIPT);
    return fresh;
  }

  readerTest('chromium', 'are asked for once the page has begun, and answered', async () => {
    const fresh = await bare();
    await fresh.evaluate('window.answer = Notification.requestPermission((state) => told.push([state])); 0');
    expect(await fresh.evaluate('told')).toEqual([]);
    await fresh.evaluate("hullNotes.open('token')");
    expect(await fresh.evaluate('told')).toEqual([['ask', 'token', 1]]);
    expect(
      await fresh.evaluate(
        "navigator.permissions.query({ name: 'notifications' }).then(({ state }) => state)",
      ),
    ).toBe('prompt');
    await fresh.evaluate("state = 'granted'; hullNotes.answered(1, 'granted')");
    expect(await fresh.evaluate('answer')).toBe('granted');
    expect(await fresh.evaluate('Notification.permission')).toBe('granted');
    expect(await fresh.evaluate('told.at(-1)')).toEqual(['granted']);
    expect(
      await fresh.evaluate("navigator.permissions.query({ name: 'geolocation' }).then(({ state }) => state)"),
    ).toBe('prompt');
    await fresh.close();
  });

  readerTest('chromium', 'are shown, touched and closed as the standard has it', async () => {
    const fresh = await bare();
    await fresh.evaluate("hullNotes.open('token'); state = 'granted'");
    const events = await fresh.evaluate(`(async () => {
      const events = [];
      const one = new Notification('Lantern Isle', { body: 'Late', tag: 'late', data: { pier: 2 } });
      for (const name of ['show', 'close']) one.addEventListener(name, () => events.push(name));
      one.onclick = () => events.push('click ' + one.data.pier);
      await Promise.resolve();
      await Promise.resolve();
      events.push(hullNotes.touched('late'), hullNotes.touched('late'));
      const other = new Notification('Heron Point');
      await Promise.resolve();
      other.onclose = () => events.push('closed');
      other.close();
      other.close();
      await Promise.resolve();
      return events;
    })()`);
    expect(events).toEqual(['show', 'click 2', true, false, 'closed']);
    const told = (await fresh.evaluate('told')) as [string, string, unknown][];
    expect(told[0]).toEqual([
      'show',
      'token',
      { id: 'late', title: 'Lantern Isle', body: 'Late', silent: false },
    ]);
    expect(told.map(([what]) => what)).toEqual(['show', 'show', 'close']);
    expect(await fresh.evaluate('try { new Notification() } catch (error) { error.name }')).toBe('TypeError');
    await fresh.close();
  });

  readerTest('chromium', 'go by a worker’s registration too, and not where they are refused', async () => {
    const fresh = await bare();
    const shown = await fresh.evaluate(`(async () => {
      hullNotes.open('token');
      const registration = Object.create(ServiceWorkerRegistration.prototype);
      const refused = await registration.showNotification('Late').catch((error) => error.name);
      const failed = await new Promise((resolve) => { new Notification('Late').onerror = () => resolve('error'); });
      state = 'granted';
      await registration.showNotification('Late', { tag: 'late' });
      const list = await registration.getNotifications({ tag: 'late' });
      return [refused, failed, list.map(({ title }) => title), told.length];
    })()`);
    expect(shown).toEqual(['TypeError', 'error', ['Late'], 1]);
    await fresh.close();
  });

  readerTest('chromium', 'of a browser’s own are left alone', async () => {
    await page.evaluate(
      "window.hullNotices = { state: () => 'denied' }; window.own = window.Notification; 0",
    );
    await page.evaluate(NOTICE_SCRIPT);
    expect(await page.evaluate('window.own === window.Notification && !window.hullNotes')).toBe(true);
  });
});

describe('what the shell gives its own pages', () => {
  readerTest('chromium', 'reaches no document of another origin, and none of blob: or data:', async () => {
    // As PageClient.java writes it, with the origin of this page.
    const guard = `if (location.href.lastIndexOf(${JSON.stringify(`${new URL(page.url()).origin}/`)}, 0) === 0) { window.given = 'token'; }`;
    const given = async (target: Page) => {
      await target.evaluate(guard);
      return target.evaluate<string | undefined>('window.given');
    };
    expect(await given(page)).toBe('token');
    const blob = await page.evaluate(() => URL.createObjectURL(new Blob(['<p>x'], { type: 'text/html' })));
    const opening = page.context().waitForEvent('page');
    await page.evaluate((url) => void window.open(url), blob);
    const opened = await opening;
    await opened.waitForLoadState();
    expect(opened.url()).toMatch(/^blob:/);
    expect(await given(opened)).toBeUndefined();
    const other = await (browser as Browser).newPage();
    for (const url of ['data:text/html,<p>x', 'about:blank']) {
      await other.goto(url);
      expect(await given(other), url).toBeUndefined();
    }
    // A page cannot pretend to be another by what it says of its location.
    await other
      .evaluate(`
      for (const name of ['location']) try { Object.defineProperty(window, name, { value: { href: '${page.url()}' } }); } catch {}
      try { Object.defineProperty(location, 'href', { get: () => '${page.url()}' }); } catch {}
      try { document.location = undefined; } catch {}
    `)
      .catch(() => undefined);
    expect(await given(other)).toBeUndefined();
    await opened.close();
    await other.close();
  });
});
