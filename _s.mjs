import { chromium } from 'playwright-core';

const b = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu'],
});
const [, , file, out, scheme = 'light', y = '0'] = process.argv;
const p = await b.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: scheme });
await p.goto('file://' + file);
await p.evaluate((v) => scrollTo(0, v), +y);
await p.screenshot({ path: out });
await b.close();
