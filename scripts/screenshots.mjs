// Takes the pictures in docs/screenshots from the built program and the demo data:
//   npm run screenshots     needs Xvfb, xterm, ImageMagick, Chromium and webkit2gtk-driver, from Debian's packages
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';
import sharp from 'sharp';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const out = join(root, 'docs/screenshots');
// A fixed place, so that the pictures change only where the program does.
const work = join(tmpdir(), 'saltmarsh-ferry');
rmSync(work, { recursive: true, force: true });
mkdirSync(work);
const DISPLAY = ':97';
const env = { ...process.env, DISPLAY, HULL_KEY_PASSWORD: 'only-for-this-demo', FORCE_COLOR: '1', PS1: '' };

/** A line that is run and not shown. */
const hidden = (line) => ({ hidden: line });

/** Runs lines in a terminal window of 1280x800 and takes its picture. */
async function terminal(name, lines) {
  const script = join(work, `${name}.sh`);
  const shown = lines.map((line) =>
    typeof line !== 'string'
      ? line.hidden
      : `printf '\\033[36m$ %s\\033[0m\\n' '${line.replaceAll("'", "'\\''")}'; ${line}${line.endsWith('&') ? '' : ';'} echo`,
  );
  writeFileSync(
    script,
    `cd ${work}\nhull() { node ${join(root, 'dist/cli/hull.cjs')} "$@"; }\n${shown.join('\n')}\ntouch ${script}.done\nsleep 30\n`,
  );
  const window = spawn(
    'xterm',
    [
      '-fa',
      'DejaVu Sans Mono',
      '-fs',
      '10.5',
      '-geometry',
      '144x46+0+0',
      '-b',
      '14',
      '-bg',
      '#101d23',
      '-fg',
      '#e8eef0',
      '-e',
      'bash',
      script,
    ],
    { env, stdio: 'ignore' },
  );
  for (let i = 0; i < 100; i += 1) {
    await wait(200);
    if (readdirSync(work).includes(`${name}.sh.done`)) break;
  }
  await wait(500);
  execFileSync('import', ['-window', 'root', join(work, `${name}.png`)], { env });
  window.kill();
  await sharp(join(work, `${name}.png`))
    .png({ palette: true, compressionLevel: 9 })
    .toFile(join(out, `${name}.png`));
}

/** What runs until the pictures are taken, or something goes wrong. */
const servers = [];

function serve(words, stdio) {
  const server = spawn(process.execPath, [join(root, 'dist/cli/hull.cjs'), ...words], {
    cwd: work,
    env,
    stdio,
  });
  servers.push(server);
  return server;
}

/** The answer of a server that is starting. */
async function answered(address) {
  for (let tries = 0; tries < 100; tries += 1) {
    try {
      return await fetch(address);
    } catch {
      await wait(200);
    }
  }
  throw new Error(`${address} does not answer`);
}

/** The stand-in store's page, after a release of the demo. */
async function storePage() {
  const cli = join(root, 'dist/cli/hull.cjs');
  const hull = (...args) =>
    execFileSync(process.execPath, [cli, ...args], { cwd: work, env, stdio: 'ignore' });
  hull('art', '--quiet');
  hull('release', 'listing');
  const phone = join(work, 'listing/pictures/phone');
  cpSync(join(phone, '01.png'), join(phone, '02.png'));
  const file = join(work, 'hull.json');
  const before = readFileSync(file, 'utf8');
  const contact = { release: { contact: { email: 'crew@ferry.saltmarsh.example' } } };
  writeFileSync(file, JSON.stringify({ ...JSON.parse(before), ...contact }, undefined, 2));
  serve(['drydock', 'store', '--port', '8497'], 'ignore');
  const home = await answered('http://127.0.0.1:8497/');
  const token = /name="token" content="([^"]+)"/.exec(await home.text())[1];
  const build = () => String(JSON.parse(readFileSync(file, 'utf8')).app.build);
  const approve = (track, builds = build()) =>
    fetch('http://127.0.0.1:8497/review', {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      body: JSON.stringify({ app: 'example.saltmarsh.ferry', track, builds, decision: 'approve' }),
    });
  hull('pack', 'aab', '--quiet');
  hull('release', 'send', '--to', 'production');
  await approve('production');
  hull('version', 'build');
  hull('pack', 'aab', '--quiet');
  hull('release', 'send', '--to', 'internal');
  await approve('internal');
  hull('release', 'move', 'internal', 'production', '--share', '10%');
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto('http://127.0.0.1:8497/app/example.saltmarsh.ferry');
  await page.screenshot({ path: join(out, 'store.png') });
  await browser.close();
  writeFileSync(file, before);
}

/** The packed demo on the page of hull try: the app asks for the location. */
async function tryPage() {
  const cli = join(root, 'dist/cli/hull.cjs');
  execFileSync(process.execPath, [cli, 'pack', 'apk', '--quiet'], { cwd: work, env, stdio: 'ignore' });
  const [file] = readdirSync(join(work, 'out')).filter((name) => name.endsWith('.apk'));
  const tried = serve(['try', join('out', file), '--json'], 'pipe');
  const address = await new Promise((resolve) => {
    let text = '';
    tried.stdout.on('data', (piece) => {
      text += piece;
      const found = /"address": "([^"]+)"/.exec(text);
      if (found) resolve(found[1]);
    });
  });
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
  const page = await browser.newPage({ viewport: { width: 1280, height: 860 } });
  await page.goto(address);
  await page.fill('#address', '/pier.html');
  await page.press('#address', 'Enter');
  await page.waitForSelector('#view:not([hidden])');
  await wait(1500);
  const box = await page.locator('#view').boundingBox();
  await page.mouse.click(box.x + box.width / 2, box.y + box.height * 0.443);
  await page.waitForSelector('.ask:not([hidden])');
  await wait(500);
  await sharp(await page.screenshot())
    .png({ palette: true, compressionLevel: 9 })
    .toFile(join(out, 'try.png'));
  await browser.close();
}

/** The survey's report as a page, from its pictures on. */
async function reportPage() {
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 860 } });
  await page.goto(`file://${join(work, 'survey.html')}`);
  await page.evaluate(() =>
    document.querySelector('.views').previousElementSibling.previousElementSibling.scrollIntoView(),
  );
  await sharp(await page.screenshot())
    .png({ palette: true, compressionLevel: 9 })
    .toFile(join(out, 'survey-page.png'));
  await browser.close();
}

/** The preview's start, of the demo with its images and tags in place. */
async function previewPage() {
  const dir = join(work, 'preview');
  mkdirSync(dir);
  cpSync(join(root, 'demo/site'), join(dir, 'site'), { recursive: true });
  for (const command of [
    ['begin', 'site', '--yes'],
    ['art'],
    ['tags', '--write'],
    ['preview', '--engine', 'webkit'],
  ])
    execFileSync(process.execPath, [join(root, 'dist/cli/hull.cjs'), ...command], {
      cwd: dir,
      env,
      stdio: 'ignore',
    });
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 1130 } });
  await page.goto(`file://${join(dir, 'out/preview.html')}`);
  await page.evaluate(() => document.querySelector('.walls').scrollIntoView());
  await sharp(await page.screenshot())
    .png({ palette: true, compressionLevel: 9 })
    .toFile(join(out, 'preview.png'));
  await browser.close();
  rmSync(dir, { recursive: true });
}

/** Some of the images that hull art makes, from the demo's icon and from a plain white logo. */
async function artSheet() {
  const dir = join(work, 'logos');
  mkdirSync(dir);
  cpSync(join(root, 'demo/site'), join(dir, 'site'), { recursive: true });
  const hull = (...args) =>
    execFileSync(process.execPath, [join(root, 'dist/cli/hull.cjs'), ...args], {
      cwd: dir,
      env,
      stdio: 'ignore',
    });
  hull('begin', 'site', '--yes');
  writeFileSync(
    join(dir, 'white.svg'),
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 120 100"><path d="M8 58h104L96 84H26zM56 8h8v44h-8zM68 14l30 38H68z" fill="#fff"/></svg>',
  );
  const tiles = [];
  let y = 16;
  for (const source of ['site/icons/icon.svg', 'white.svg']) {
    hull('art', '--source', source);
    let x = 16;
    for (const [file, width, height] of [
      ['site/art/icon-512.png', 150, 150],
      ['site/art/maskable-512.png', 150, 150],
      ['site/art/touch-180.png', 150, 150],
      ['site/art/monochrome-512.png', 150, 150],
      ['art/android/res/mipmap-xxxhdpi/icon_round.webp', 150, 150],
      ['art/android/res/drawable-xhdpi/splash_icon.webp', 150, 150],
      ['site/art/start/1170x2532-3x.png', 150, 325],
    ]) {
      tiles.push({
        input: await sharp(join(dir, file)).resize(width, height).png().toBuffer(),
        left: x,
        top: y,
      });
      x += width + 26;
    }
    x = 16;
    for (const [file, width, height] of [
      ['site/art/link-preview.png', 290, 152],
      ['art/android/store/feature-1024x500.png', 312, 152],
      ['site/art/start/2532x1170-3x-dark.png', 330, 152],
    ]) {
      tiles.push({
        input: await sharp(join(dir, file)).resize(width, height).png().toBuffer(),
        left: x,
        top: y + 173,
      });
      x += width + 26;
    }
    y += 365;
  }
  await sharp({ create: { width: 1280, height: 730, channels: 3, background: '#9fb3b6' } })
    .composite(tiles)
    .png({ palette: true, compressionLevel: 9 })
    .toFile(join(out, 'art.png'));
  rmSync(dir, { recursive: true });
}

/** How fast the demo's pages feel: times, filmstrip and requests. */
async function speedPage() {
  execFileSync(
    process.execPath,
    [
      join(root, 'dist/cli/hull.cjs'),
      'survey',
      'site',
      '--browser',
      '--format',
      'html',
      '--out',
      'speed.html',
    ],
    { cwd: work, env, stdio: 'ignore' },
  );
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 860 } });
  await page.goto(`file://${join(work, 'speed.html')}`);
  await page.evaluate(() => document.querySelector('#speed').scrollIntoView());
  await sharp(await page.screenshot())
    .png({ palette: true, compressionLevel: 9 })
    .toFile(join(out, 'speed.png'));
  await browser.close();
}

const display = spawn('Xvfb', [DISPLAY, '-screen', '0', '1280x800x24'], { stdio: 'ignore' });
try {
  await wait(1000);
  execFileSync('cp', ['-r', join(root, 'demo/site'), join(work, 'site')]);
  mkdirSync(join(work, 'art'));
  // What someone's first look at an unfinished app would show.
  cpSync(join(root, 'demo/site'), join(work, 'draft'), { recursive: true });
  const spoil = (name, from, to) => {
    const file = join(work, 'draft', name);
    writeFileSync(file, readFileSync(file, 'utf8').replace(from, to));
  };
  spoil('index.html', 'src="/js/timetable.js"', 'src="/js/timetables.js"');
  spoil('pier.html', 'href="/tickets.html"', 'href="/ticket.html"');
  spoil('js/app.js', "register('/sw.js')", "register('/js/sw.js')");
  spoil(
    'pier.html',
    '</main>',
    '<div class="card" style="width: 520px">Sea chart of the harbour</div></main>',
  );
  await terminal('survey', ['hull survey draft']);
  execFileSync(
    process.execPath,
    [
      join(root, 'dist/cli/hull.cjs'),
      'survey',
      'draft',
      '--browser',
      'webkit',
      '--format',
      'html',
      '--out',
      join(work, 'survey.html'),
      '--fail-on',
      'never',
    ],
    { cwd: work, env, stdio: 'ignore' },
  );
  await reportPage();
  rmSync(join(work, 'draft'), { recursive: true });
  await terminal('begin', ['hull begin site --id example.saltmarsh.ferry --yes']);
  await terminal('pack', ['hull keys new --yes', 'hull pack apk', 'hull pack aab']);
  await previewPage();
  await artSheet();
  await terminal('inspect', ['hull inspect out/example.saltmarsh.ferry-1.0.0-1.apk']);
  await speedPage();
  await terminal('compare', [
    'hull version minor',
    `sed -i 's/"camera": .*/"microphone": "Records a note for the crew."/' hull.json`,
    'hull pack apk --quiet | head -1',
    'hull compare out/example.saltmarsh.ferry-1.0.0-1.apk out/example.saltmarsh.ferry-1.1.0-2.apk',
    'hull compare out/example.saltmarsh.ferry-1.1.0-2.apk out/example.saltmarsh.ferry-1.0.0-1.apk | head -6',
  ]);
  await terminal('keys', [
    'hull keys new next --curve P-256 --yes --quiet | head -1',
    'hull keys rotate release next',
    'hull keys show',
    'hull sign out/example.saltmarsh.ferry-1.0.0-1.apk --out out/signed.apk',
    'hull sign out/signed.apk --verify-only',
    'rm *.sh; chmod 644 keys/next.p12; hull keys check',
  ]);
  // As it was before, for what follows.
  rmSync(join(work, 'out'), { recursive: true });
  rmSync(join(work, 'keys'), { recursive: true });
  rmSync(join(work, 'hull.json'));
  for (const command of [
    ['begin', 'site', '--id', 'example.saltmarsh.ferry', '--yes'],
    ['keys', 'new', '--yes'],
    ['pack', 'apk'],
  ])
    execFileSync(process.execPath, [join(root, 'dist/cli/hull.cjs'), ...command], {
      cwd: work,
      env,
      stdio: 'ignore',
    });
  const plain = readFileSync(join(work, 'hull.json'));
  await terminal('apple', [
    'hull keys request',
    'hull drydock team --quiet | head -1',
    'hull pack ipa',
    'hull inspect out/example.saltmarsh.ferry-1.0.0-1.ipa | head -7',
  ]);
  await terminal('apple-device', [
    'hull drydock device --apple --port 27016 --trust asked --developer-mode off --quiet > /dev/null 2>&1 &',
    hidden('server=$!; sleep 2'),
    'hull install --usbmuxd 127.0.0.1:27016',
    'hull drydock device --apple --port 27017 --serial 00008030-00000000000000FF --dir .hull/other --quiet > /dev/null 2>&1 &',
    hidden('other=$!; sleep 2'),
    'hull install --usbmuxd 127.0.0.1:27017',
    'hull sign out/example.saltmarsh.ferry-1.0.0-1.ipa --out out/again.ipa',
    'hull sign out/again.ipa --verify-only',
    hidden('pkill -P $server; pkill -P $other'),
  ]);
  writeFileSync(join(work, 'hull.json'), plain);
  await terminal('device', [
    'hull drydock device --port 5599 --quiet > /dev/null 2>&1 &',
    hidden('server=$!; sleep 1'),
    'hull install --bridge 127.0.0.1:5599',
    'sed -i \'s/"build": 1/"build": 2/\' hull.json; hull pack apk --quiet | head -1',
    'hull install --bridge 127.0.0.1:5599 --no-start',
    'hull install out/example.saltmarsh.ferry-1.0.0-1.apk --bridge 127.0.0.1:5599',
    'hull pack apk --debuggable --quiet | head -1',
    'hull install out/example.saltmarsh.ferry.debug-1.0.0-2.apk --bridge 127.0.0.1:5599',
    'hull watch --bridge 127.0.0.1:5599 --for 8',
    hidden('pkill -P $server'),
  ]);
  rmSync(join(work, 'out'), { recursive: true });
  const hullFile = join(work, 'hull.json');
  const linked = JSON.parse(readFileSync(hullFile, 'utf8'));
  linked.links = [{ host: 'ferry.saltmarsh.example', paths: ['/*', '!/admin/*'] }];
  linked.apple = { team: 'A1B2C3D4E5' };
  const original = readFileSync(hullFile);
  writeFileSync(hullFile, JSON.stringify(linked, undefined, 2));
  const found = '--resolve ferry.saltmarsh.example=127.0.0.1:8443 --ca .hull/serve-ca.pem';
  await terminal('domains', [
    'hull domains write',
    'hull serve --https --port 8443 > /dev/null 2>&1 &',
    hidden('server=$!; sleep 2'),
    `hull domains verify ${found}`,
    hidden('pkill -P $server; sleep 1'),
    'hull serve --https --port 8443 --fault redirect > /dev/null 2>&1 &',
    hidden('server=$!; sleep 2'),
    `hull domains verify ${found} 2> /dev/null | head -7`,
    'hull domains explain https://ferry.saltmarsh.example/admin/ --steps | head -13',
    hidden('pkill -P $server'),
  ]);
  // Someone proves it meanwhile, so that there is something to log.
  const prove = `sleep 3; node ${join(root, 'dist/cli/hull.cjs')} domains verify ${found}`;
  const prover = spawn('sh', ['-c', prove], { cwd: work, env, stdio: 'ignore' });
  await terminal('serve', ['hull serve --https --port 8443 & sleep 6']);
  prover.kill();
  spawnSync('pkill', ['-f', 'hull.cjs serve']);
  writeFileSync(hullFile, original);
  await tryPage();
  await storePage();
  cpSync(join(root, 'demo/fleet'), work, { recursive: true });
  await terminal('fleet', [
    'hull fleet list | head -3',
    'hull fleet survey --quiet | head -9',
    'hull fleet pack --quiet',
    hidden('cp -r out released; hull version build >/dev/null; hull fleet pack --quiet >/dev/null'),
    'hull fleet compare released --quiet',
    'hull inspect out/heron-point/*-2.apk --provenance | tail -8',
  ]);
} finally {
  for (const server of servers) server.kill('SIGINT');
  display.kill();
  // A server that was told to end may still write there.
  rmSync(work, { recursive: true, force: true, maxRetries: 10, retryDelay: 300 });
}
