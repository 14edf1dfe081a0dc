import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Browser, chromium, type Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type RunningDevice, startDevice } from '../support/drydock.js';
import { hull } from '../support/hull.js';
import { reader } from '../support/readers.js';
import { ICON, ID } from '../support/ready-project.js';
import { temporaryFolder, writeFiles } from '../support/temporary.js';

/** The screens of the simulated devices: what is installed appears, runs, and is updated. */

let dir: string;
let browser: Browser;
let page: Page;
const drive = (...words: string[]) => hull(words, { cwd: dir });
const CONFIG = {
  app: { id: ID, name: 'Saltmarsh Ferry', short_name: 'Ferry', version: '1.0.0', build: 1 },
  web: { folder: 'site' },
  look: { icon: 'site/icon.svg' },
  apple: {},
};
const write = (build: number, title: string) =>
  writeFiles(dir, {
    'site/index.html': `<!doctype html><html lang="en"><meta name="viewport" content="width=device-width"><title>Ferry</title><h1>${title}</h1><script>document.cookie = 'pier=heron; max-age=999'; if (!localStorage.first) localStorage.first = '${title}';</script>`,
    'site/icon.svg': ICON,
    'hull.json': JSON.stringify({
      ...(build === 1 ? CONFIG : JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'))),
      app: { ...CONFIG.app, build },
    }),
  });

beforeAll(async () => {
  dir = temporaryFolder();
  write(1, 'One');
  expect((await drive('keys', 'new', '--bits', '2048', '--yes')).code).toBe(0);
  browser = await chromium.launch({ executablePath: reader('chromium') as string, args: ['--no-sandbox'] });
  page = await browser.newPage({ viewport: { width: 1280, height: 860 } });
}, 60_000);
afterAll(() => browser?.close());

const drawn = () =>
  page.evaluate(() => {
    const view = document.querySelector('#view') as unknown as { hidden: boolean; width: number };
    return !view.hidden && view.width > 300;
  });
const stored = async () => {
  await page.getByRole('button', { name: 'Look' }).click();
  await expect.poll(() => page.locator('#stored tbody tr').count()).toBeGreaterThan(0);
  return page.locator('#stored tbody').textContent();
};

describe('the screen of a simulated device', () => {
  it('shows what is installed, runs it, and keeps over an update what was stored', async () => {
    expect((await drive('pack', 'apk')).code).toBe(0);
    const device: RunningDevice = await startDevice(dir, '--screen-port', '0');
    const install = (build: number) =>
      drive('install', join('out', `${ID}-1.0.0-${build}.apk`), '--bridge', device.address, '--no-start');
    try {
      await page.goto(device.screen);
      await expect.poll(() => page.locator('.home').textContent()).toContain('No app is installed yet');
      expect((await install(1)).code).toBe(0);
      await page.getByRole('button', { name: 'Ferry' }).click();
      await expect.poll(drawn, { timeout: 15_000 }).toBe(true);
      expect(await page.locator('#facts').textContent()).toContain('1.0.0, build 1');
      expect(await stored()).toContain('One');
      write(2, 'Two');
      expect((await drive('pack', 'apk')).code).toBe(0);
      expect((await install(2)).code).toBe(0);
      await expect.poll(() => page.locator('#facts').textContent()).toContain('build 2');
      await page.getByRole('button', { name: 'Ferry' }).click();
      await expect.poll(drawn, { timeout: 15_000 }).toBe(true);
      expect(await stored()).toContain('One');
    } finally {
      device.stop();
    }
  }, 90_000);

  it('is that of an Apple device too', async () => {
    expect((await drive('drydock', 'team')).code).toBe(0);
    const packed = await drive('pack', 'ipa');
    expect(packed.code, packed.err).toBe(0);
    const device = await startDevice(dir, '--apple', '--screen-port', '0');
    const closed = await startDevice(
      dir,
      '--apple',
      '--screen-port',
      '0',
      '--developer-mode',
      'off',
      '--dir',
      'closed',
    );
    try {
      for (const one of [device, closed])
        expect(
          (await drive('install', join('out', `${ID}-1.0.0-2.ipa`), '--usbmuxd', one.address)).code,
        ).toBe(0);
      await page.goto(device.screen);
      await page
        .getByRole('button', { name: 'Saltmarsh' })
        .or(page.getByRole('button', { name: 'Ferry' }))
        .first()
        .click();
      await expect.poll(drawn, { timeout: 15_000 }).toBe(true);
      expect(await page.locator('#facts').textContent()).toContain('ipa');
      await page.goto(closed.screen);
      await page.locator('.home button').click();
      await expect.poll(() => page.locator('#console').textContent()).toContain('developer mode is off');
    } finally {
      device.stop();
      closed.stop();
    }
  }, 90_000);
});
