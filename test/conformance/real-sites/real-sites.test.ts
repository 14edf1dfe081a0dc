import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { chromium } from 'playwright-core';
import { beforeAll, describe, expect, it } from 'vitest';
import { serveFolder } from '../../../src/core/browser/serve-folder.js';
import type { Finding } from '../../../src/core/finding.js';
import { FileSource } from '../../../src/core/formats/bytes/source.js';
import { readEntry, readZip } from '../../../src/core/formats/zip/reader.js';
import type { AnswerRules } from '../../../src/core/site/answer.js';
import { scanFolder } from '../../../src/core/site/folder.js';
import { openPackedApp } from '../../../src/core/try/packed-app.js';
import { TrySession } from '../../../src/core/try/session.js';
import { hull } from '../../support/hull.js';
import { reader, readerTest } from '../../support/readers.js';
import { temporaryFolder } from '../../support/temporary.js';
import { REAL_SITES, type RealSite } from './table.js';

/** Real web apps, fetched or built, taken through survey, begin and pack; what is said of each stands in the table. */

const APPS = join(import.meta.dirname, 'apps');
const MINUTES = 60_000;

/** Apps that are built each time; HULL_REAL_SITES=all builds every one, which takes minutes (npm run test:real-sites). */
const BUILT = ['svelte-pwa'];
const isThorough = process.env.HULL_REAL_SITES === 'all';
const isTaken = ({ source }: RealSite) => !('app' in source) || isThorough || BUILT.includes(source.app);
const TAKEN = REAL_SITES.filter(isTaken);

const run = (cwd: string, program: string, ...args: string[]) =>
  execFileSync(program, args, {
    cwd,
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { ...process.env, ASTRO_TELEMETRY_DISABLED: '1', CI: '1' },
    maxBuffer: 64 * 1024 * 1024,
  }).toString();

let work: string;
const folders = new Map<RealSite, string>();

function fetchPackage(spec: string): string {
  const dir = join(work, 'packages', spec.replaceAll(/[^\w.-]/g, '_'));
  if (existsSync(dir)) return dir;
  mkdirSync(dir, { recursive: true });
  const name = run(dir, 'npm', 'pack', '--silent', spec).trim().split('\n').at(-1) ?? '';
  run(dir, 'tar', 'xzf', name, '--strip-components=1');
  execFileSync('rm', [join(dir, name)]);
  return dir;
}

beforeAll(() => {
  work = temporaryFolder();
  const apps = join(work, 'apps');
  const isWanted = (path: string) => {
    const [app = ''] = path.slice(APPS.length + 1).split('/');
    return (
      app === '' ||
      app === 'package.json' ||
      TAKEN.some(({ source }) => 'app' in source && source.app === app)
    );
  };
  cpSync(APPS, apps, { recursive: true, filter: isWanted });
  run(apps, 'npm', 'install', '--no-audit', '--no-fund', '--silent');
  for (const site of TAKEN) {
    const { source } = site;
    if ('app' in source) {
      run(join(apps, source.app), 'npm', 'run', 'build', '--silent');
      folders.set(site, join(apps, source.app, 'dist'));
      continue;
    }
    const dir = join(fetchPackage(source.npm), source.dir ?? '');
    for (const [name, text] of Object.entries(source.files ?? {})) writeFileSync(join(dir, name), text);
    folders.set(site, dir);
  }
}, 15 * MINUTES);

const folderOf = (site: RealSite): string => {
  const dir = folders.get(site);
  if (dir === undefined) throw new Error(`${site.name} was not made`);
  return dir;
};

/** The worker of a package's pages, once nobody answers any more: neither the package nor the network. */
async function driveWorker(apk: string, { routes = {} }: RealSite): Promise<void> {
  const dir = temporaryFolder();
  const source = await FileSource.open(apk);
  const { entries } = await readZip(source);
  let settings: { packed: AnswerRules & { origin: string }; start: string } | undefined;
  for (const entry of entries) {
    const isPage = entry.path.startsWith('assets/site/');
    if (!isPage && entry.path !== 'assets/hull/shell.json') continue;
    const bytes = await readEntry(source, entry);
    if (!isPage) settings = JSON.parse(Buffer.from(bytes).toString());
    else {
      const file = join(dir, entry.path.slice('assets/site/'.length));
      mkdirSync(dirname(file), { recursive: true });
      writeFileSync(file, bytes);
    }
  }
  await source.close();
  if (!settings) throw new Error('the package has no settings');
  const { origin: own, ...rules } = settings.packed;
  const { files } = await scanFolder(dir);
  const served = await serveFolder(new URL(rules.base, own), files, rules);
  const browser = await chromium.launch({
    executablePath: reader('chromium') as string,
    args: ['--no-sandbox'],
  });
  try {
    const context = await browser.newContext({ serviceWorkers: 'allow' });
    await context.route(
      (url) => url.origin !== served.origin,
      (route) => route.abort('internetdisconnected'),
    );
    const page = await context.newPage();
    await page.goto(`${served.origin}${rules.base}`, { waitUntil: 'load' });
    await page.evaluate('navigator.serviceWorker.ready');
    await page.reload({ waitUntil: 'load' });
    expect(await page.evaluate('navigator.serviceWorker.controller !== null')).toBe(true);
    // Not even the package answers: what comes is what the worker has kept.
    await context.setOffline(true);
    for (const [route, text] of Object.entries(routes)) {
      await page.goto(`${served.origin}${rules.base}${route}`, { waitUntil: 'load' });
      await page.getByText(text).first().waitFor({ timeout: 20_000 });
    }
  } finally {
    await browser.close();
    await served.close();
  }
}

/** The package as `hull try` runs it: every address, loaded again, without a network, with its worker. */
async function tryPackage(apk: string, { routes = {}, worker }: RealSite): Promise<void> {
  const faults: string[] = [];
  const session = await TrySession.start(await openPackedApp(apk), {
    browser: { executable: reader('chromium') as string },
    onEvent: (event) => {
      if (event.is === 'console' && event.level === 'error' && !/Failed to load resource/.test(event.text))
        faults.push(event.text);
    },
  });
  const { packed } = session.app.settings;
  const base = `${packed?.origin}${packed?.rules.base}`;
  const sees = async (route: string, text: string, when: string) => {
    const found = session.page?.getByText(text).first();
    await found?.waitFor({ timeout: 20_000 }).catch(async () => {
      throw new Error(
        `/${route}, ${when}: no “${text}” in ${session.state().url}: ${(await session.page?.content())?.slice(0, 500)}`,
      );
    });
  };
  try {
    for (const [route, text] of Object.entries(routes)) {
      await session.launchApp(base + route);
      await sees(route, text, 'first');
      await session.reload();
      await sees(route, text, 'again');
    }
    expect(faults).toEqual([]);
    if (worker) {
      const ready = session.page?.evaluate(() => navigator.serviceWorker.ready.then(() => true));
      expect(await ready).toBe(true);
    }
    await session.setNetwork('off');
    for (const [route, text] of Object.entries(routes)) {
      await session.launchApp(base + route);
      await sees(route, text, 'without a network');
    }
  } finally {
    await session.close();
  }
}

describe.skipIf(TAKEN.length === REAL_SITES.length).each(REAL_SITES.filter((site) => !isTaken(site)))(
  '$name',
  () => {
    it.skip('is built with HULL_REAL_SITES=all', () => undefined);
  },
);

describe.each(TAKEN)('$name', (site) => {
  it('has just the faults that are true of it', async () => {
    const ran = await hull(['survey', folderOf(site), '--json', '--fail-on', 'never']);
    const { findings, counts } = JSON.parse(ran.out) as {
      findings: Finding[];
      counts: { notJudged: number };
    };
    const of = (severity: Finding['severity']) =>
      [...new Set(findings.filter((one) => one.severity === severity).map(({ code }) => code))].sort();
    expect({ errors: of('error'), warnings: of('warning') }).toEqual({
      errors: [...site.errors].sort(),
      warnings: Object.keys(site.warnings).sort(),
    });
    expect(counts.notJudged).toBeGreaterThan(0);
  });

  const { routes, begun } = site;
  // What is fetched is surveyed each time; those with a worker are run too.
  if (routes === undefined || !(site.worker || 'app' in site.source || isThorough)) return;

  readerTest('chromium', 'runs when it is packed, at every address and without a network', async () => {
    const dir = temporaryFolder();
    cpSync(folderOf(site), join(dir, 'dist'), { recursive: true });
    writeFileSync(
      join(dir, 'logo.svg'),
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64"><path fill="#0b4f6c" d="M8 36h48l-8 16H16z"/></svg>',
    );
    const env = { HULL_KEY_PASSWORD: 'only-for-this-test' };
    const steps = [
      ['begin', 'dist', '--yes', '--id', 'example.saltmarsh.ferry', '--name', 'Ferry', '--icon', 'logo.svg'],
      ['keys', 'new', '--yes'],
      ['pack', 'apk'],
    ];
    for (const args of steps) {
      const ran = await hull(args, { cwd: dir, env });
      expect(ran.code, ran.err).toBe(0);
    }
    const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
    for (const [key, value] of Object.entries(begun ?? {})) {
      const [section = '', name = ''] = key.split('.');
      expect(config[section][name], key).toBe(value);
    }
    const apk = readdirSync(join(dir, 'out')).find((name) => name.endsWith('.apk'));
    await tryPackage(join(dir, 'out', apk ?? ''), site);
    if (site.worker) await driveWorker(join(dir, 'out', apk ?? ''), site);
  });
});
