// Prints every figure that the README quotes, as ratios measured in one run: each command in turn with what it is
// compared with, so that a machine's changing mood meets both. --small does the same with small inputs, for CI.
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { generateKeyPairSync } from 'node:crypto';
import {
  cpSync,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { availableParallelism, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { deflateRawSync } from 'node:zlib';
import { internals } from '../scripts/internals.mjs';
import { makeAskProject } from './ask-inputs.mjs';
import { fleetFigures } from './fleet.mjs';
import { makeLargeFolder } from './large-folder.mjs';
import { makeManyPages } from './many-pages.mjs';
import { startStandIn, writeListing } from './release.mjs';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const hull = join(root, 'dist/cli/hull.cjs');
const floor = join(root, 'bench/floor.mjs');
const artFloor = join(root, 'bench/art-floor.mjs');
const parseFloor = join(root, 'bench/parse-floor.mjs');
const askFloor = join(root, 'bench/ask-floor.mjs');
const sealFloor = join(root, 'bench/seal-floor.mjs');
const signFloor = join(root, 'bench/sign-floor.mjs');
const deflateFloor = join(root, 'bench/deflate-floor.mjs');
const dex = join(root, 'shell/android/dist/plain.dex');
await internals('art-plan', { 'art/plan': ['artPlan', 'packedRows'] });
const APP_ID = 'example.saltmarsh.ferry';
const small = process.argv.includes('--small');
const env = { ...process.env, HULL_KEY_PASSWORD: 'only-for-the-bench', NO_COLOR: '1' };
// Reading more authorities takes each start of Node.js up to a tenth of a second, whatever it starts: ratios of short commands would be too small.
delete env.NODE_EXTRA_CA_CERTS;

/**
 * Runs a command to its end: wall time in ms and, where asked for, the peak of its resident memory in bytes (Linux).
 * Watching the memory takes time from what is watched, so it is not done where only the time counts.
 */
function once(command, args, cwd, watch = 'time', codes = [0]) {
  return new Promise((resolve, reject) => {
    const start = performance.now();
    const child = spawn(command, args, { cwd, env, stdio: 'ignore' });
    let peak = 0;
    const look = () => {
      try {
        const match = /VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'));
        if (match) peak = Math.max(peak, Number(match[1]) * 1024);
      } catch {
        // It has ended, or this is no Linux.
      }
    };
    const timer = watch === 'memory' ? setInterval(look, 15) : undefined;
    child.on('error', reject);
    child.on('close', (code) => {
      clearInterval(timer);
      if (codes.includes(code)) resolve({ time: performance.now() - start, peak });
      else reject(new Error(`${command} ${args.join(' ')} exited with ${code}`));
    });
  });
}

const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];

/** Runs several commands in turn, `runs` times after one warm-up: medians, and ratios of the first to each other. */
async function compare(runs, commands) {
  const names = Object.keys(commands);
  const results = Object.fromEntries(names.map((name) => [name, []]));
  // With small inputs only that it works is seen: no round to warm up.
  for (let i = small ? 0 : -1; i < runs; i += 1) {
    for (const name of names) {
      const result = await commands[name]();
      if (i >= 0) results[name].push(result);
    }
  }
  const times = Object.fromEntries(
    names.map((name) => [name, median(results[name].map((item) => item.time))]),
  );
  const ratios = Object.fromEntries(
    names
      .slice(1)
      .map((name) => [
        name,
        median(results[names[0]].map((item, index) => item.time / results[name][index].time)),
      ]),
  );
  return { times, ratios, peak: Math.max(...results[names[0]].map((item) => item.peak)) };
}

const rows = [];
/** One figure beside its aim; `value` and `aim` in the same unit, less is better. */
function figure(name, value, unit, aim) {
  const shown = `${value.toFixed(unit === '×' ? 2 : 1)} ${unit}`;
  rows.push([
    name,
    shown,
    aim === undefined ? '' : `aim ${aim} ${unit}`,
    aim === undefined ? '' : value <= aim ? 'met' : 'missed',
  ]);
}

function project(dir, site) {
  const quiet = { cwd: dir, env, stdio: 'ignore' };
  execFileSync(
    process.execPath,
    [
      hull,
      'begin',
      site,
      '--id',
      APP_ID,
      '--name',
      'Bench',
      '--icon',
      join(site, site.endsWith('demo/site') ? 'icons/icon.svg' : 'icon.svg'),
      '--yes',
    ],
    quiet,
  );
  execFileSync(process.execPath, [hull, 'keys', 'new', '--yes'], quiet);
}

/** A bundle sent to the stand-in store, against the same bytes sent there by nothing but Node.js: both are judged by the stand-in. */
async function benchRelease(dir) {
  await writeListing(dir);
  await once(process.execPath, [hull, 'pack', 'aab', '--quiet'], dir);
  const file = join(
    dir,
    'out',
    readdirSync(join(dir, 'out')).find((one) => one.endsWith('.aab')),
  );
  const bare = join(root, 'bench/bare-upload.mjs');
  let state = 0;
  /** Into a stand-in that is new each time; only the sending is timed. */
  const into = async (send) => {
    state += 1;
    const store = await startStandIn(hull, dir, join(work, `store-${state}`));
    const sent = await send(store);
    await store.stop();
    return sent;
  };
  const sending = await compare(small ? 1 : 3, {
    hull: () =>
      into(({ account, address }) => {
        const args = ['release', 'send', file, '--to', 'internal', '--quiet'];
        return once(process.execPath, [hull, ...args, '--account', account, '--api', address], dir);
      }),
    bare: () =>
      into(({ account, address }) => once(process.execPath, [bare, address, account, APP_ID, file], dir)),
  });
  const name = `bundle of ${(statSync(file).size / 1e6).toFixed(0)} MB`;
  figure(
    `${name}: hull release send to a bare upload into the stand-in`,
    sending.ratios.bare,
    '×',
    small ? undefined : 1.3,
  );
}

/** The packed demo in a browser, where one is installed. */
async function benchTry(demo) {
  const browser = ['/usr/bin/chromium', '/usr/bin/google-chrome'].find((file) => existsSync(file));
  if (browser === undefined) return;
  const name = readdirSync(join(demo, 'out')).find((one) => one.endsWith('.apk'));
  const { measureTry } = await import('./try.mjs');
  const { first, touch } = await measureTry(
    join(demo, 'out', name),
    join(root, 'demo/site'),
    browser,
    small ? 1 : 5,
  );
  figure('demo: hull try to its first picture, to Chromium alone', first, '×', small ? undefined : 1.5);
  figure('demo: hull try from a touch to its picture', touch, 'ms', small ? undefined : 100);
}

/** Addresses asked about, against one regular expression that holds every rule; and how that grows with the rules. */
async function askFigures() {
  const count = small ? 2000 : 100_000;
  const times = [];
  const sizes = [10, 100, 1000];
  let judged;
  for (const rules of sizes) {
    const dir = join(work, `ask-${rules}`);
    makeAskProject(dir, rules, count);
    const urls = join(dir, 'urls.txt');
    judged = await compare(small ? 1 : 5, {
      hull: () =>
        once(process.execPath, [hull, 'domains', 'explain', '--from', urls, '--json', '--quiet'], dir),
      floor: () => once(process.execPath, [askFloor, urls, String(rules)]),
    });
    times.push(judged.times.hull);
  }
  const name = `${count.toLocaleString('en')} addresses and 1,000 rules`;
  figure(`${name}: hull domains explain to its floor`, judged.ratios.floor, '×', small ? undefined : 3);
  rows.push([
    'hull domains explain: time with the rules',
    times.map((time, index) => `${(time / 1000).toFixed(2)} s for ${sizes[index]}`).join(', '),
    `floor ${(judged.times.floor / 1000).toFixed(2)} s for 1000`,
    '',
  ]);
}

/** Many hosts proved at once, served by hull itself; then with one that never answers. */
async function proveFigures() {
  const dir = join(work, 'prove');
  makeAskProject(dir, 1, 1);
  const config = JSON.parse(readFileSync(join(dir, 'hull.json'), 'utf8'));
  const hosts = Array.from({ length: small ? 5 : 50 }, (_none, index) => `pier-${index}.saltmarsh.example`);
  config.web.url = `https://${hosts[0]}/`;
  config.links = hosts.map((host) => ({ host }));
  writeFileSync(join(dir, 'hull.json'), JSON.stringify(config));
  execFileSync(process.execPath, [hull, 'keys', 'new', '--yes'], { cwd: dir, env, stdio: 'ignore' });
  execFileSync(process.execPath, [hull, 'domains', 'write'], { cwd: dir, env, stdio: 'ignore' });
  const server = spawn(process.execPath, [hull, 'serve', '--https', '--json', '--quiet'], { cwd: dir, env });
  const never = createServer(() => undefined);
  await new Promise((resolve) => {
    never.listen(0, '127.0.0.1', resolve);
  });
  try {
    let text = '';
    for await (const chunk of server.stdout) {
      text += chunk;
      if (text.trimEnd().endsWith('}')) break;
    }
    const { port } = JSON.parse(text).https;
    const prove = (list, slow) => {
      const at = (host) => (host === slow ? never.address().port : port);
      const found = list.flatMap((host) => ['--resolve', `${host}=127.0.0.1:${at(host)}`]);
      const args = [hull, 'domains', 'verify', ...list, ...found, '--ca', '.hull/serve-ca.pem', '--quiet'];
      return once(process.execPath, args, dir, 'time', slow ? [0, 1] : [0]);
    };
    const many = await compare(small ? 1 : 5, {
      all: () => prove(hosts),
      one: () => prove(hosts.slice(0, 1)),
    });
    // The time limit of a host that never answers is ten seconds, with inputs of any size.
    const held = small ? undefined : await prove(hosts, hosts[1]);
    rows.push([
      `${hosts.length} hosts: hull domains verify to the same of one host`,
      `${many.ratios.one.toFixed(2)} ×`,
      `${(many.times.all / 1000).toFixed(2)} s${held ? `; with one that never answers ${(held.time / 1000).toFixed(1)} s` : ''}`,
      '',
    ]);
  } finally {
    server.kill();
    never.close();
  }
}

const work = mkdtempSync(join(tmpdir(), 'hull-bench-'));
try {
  const start = await compare(small ? 1 : 21, {
    hull: () => once(process.execPath, [hull, '--version']),
    node: () => once(process.execPath, ['-e', '0']),
  });
  figure('start-up: hull --version to node -e 0', start.ratios.node, '×', 1.6);

  const privateKey = join(work, 'private.der');
  const { privateKey: generated } = generateKeyPairSync('rsa', { modulusLength: 3072 });
  writeFileSync(privateKey, generated.export({ type: 'pkcs8', format: 'der' }));

  const demo = join(work, 'demo');
  execFileSync('mkdir', ['-p', demo]);
  const site = join(root, 'demo/site');
  project(demo, site);
  const cold = await once(process.execPath, [hull, 'pack', 'apk'], demo);
  const packed = await compare(small ? 1 : 15, {
    hull: () => once(process.execPath, [hull, 'pack', 'apk'], demo),
    floor: () => once(process.execPath, [floor, site, dex]),
    least: () => once(process.execPath, [floor, '--signed', privateKey, join(work, 'least.bin'), site, dex]),
  });
  figure('demo: hull pack apk to its floor', packed.ratios.floor, '×', 1.3);
  figure('demo: the same to what a signed package costs at the least', packed.ratios.least, '×');
  rows.push([
    'demo: hull pack apk, wall time',
    `${packed.times.hull.toFixed(0)} ms`,
    `floor ${packed.times.floor.toFixed(0)} ms, at the least ${packed.times.least.toFixed(0)} ms, node -e 0 ${start.times.node.toFixed(0)} ms`,
    '',
  ]);
  rows.push(['demo: the first time, icons drawn', `${cold.time.toFixed(0)} ms`, '', '']);
  const shellShare = ({ parts }) => (parts.shell + parts.signature) / 1000;
  const report = JSON.parse(
    execFileSync(process.execPath, [hull, 'pack', 'apk', '--json'], { cwd: demo, env, encoding: 'utf8' }),
  );
  figure('demo: shell’s share of the package', shellShare(report), 'KB', 60);

  const asHosted = join(work, 'hosted');
  cpSync(demo, asHosted, { recursive: true });
  const hostedConfig = JSON.parse(readFileSync(join(asHosted, 'hull.json'), 'utf8'));
  hostedConfig.web = { url: 'https://ferry.saltmarsh.example/' };
  hostedConfig.look.icon = join(site, 'icons/icon.svg');
  hostedConfig.android = { engine: 'browser', key: 'release' };
  const packHosted = (android) => {
    hostedConfig.android = { ...hostedConfig.android, ...android };
    writeFileSync(join(asHosted, 'hull.json'), JSON.stringify(hostedConfig));
    const args = [hull, 'pack', 'apk', '--json', '--skip-origin-check'];
    return JSON.parse(execFileSync(process.execPath, args, { cwd: asHosted, env, encoding: 'utf8' }));
  };
  const hosted = packHosted({});
  figure('demo, browser engine: the package, as it is by default', hosted.size / 1000, 'KB', 120);
  figure('demo, browser engine: shell’s share', shellShare(hosted), 'KB', 45);
  const withView = packHosted({ otherwise: 'tab' });
  figure('demo, browser engine: shell’s share, with a view of its own', shellShare(withView), 'KB');

  const drawn = () => {
    rmSync(join(demo, 'art'), { recursive: true, force: true });
    rmSync(join(demo, '.hull/art.json'), { force: true });
    rmSync(join(demo, '.hull/cache'), { recursive: true, force: true });
    rmSync(join(demo, 'site/art'), { recursive: true, force: true });
    return once(process.execPath, [hull, 'art'], demo);
  };
  // The web folder is the program's own: a copy, so that nothing is written beside it.
  cpSync(site, join(demo, 'site'), { recursive: true });
  const config = join(demo, 'hull.json');
  const named = JSON.parse(readFileSync(config, 'utf8'));
  named.web.folder = 'site';
  writeFileSync(config, JSON.stringify(named));
  const all = await compare(small ? 1 : 3, {
    hull: drawn,
    floor: () => once(process.execPath, [artFloor, join(site, 'icons/icon.svg')]),
  });
  figure('all images: hull art to its floor', all.ratios.floor, '×', small ? undefined : 1.3);
  const again = await compare(small ? 1 : 15, {
    hull: () => once(process.execPath, [hull, 'art'], demo),
    version: () => once(process.execPath, [hull, '--version']),
  });
  figure('nothing to draw: hull art to hull --version', again.ratios.version, '×', 1.5);
  const icons = readdirSync(join(demo, 'art/android/res'), { recursive: true, encoding: 'utf8' })
    .filter((name) => /mipmap.*webp$/.test(name))
    .reduce((sum, name) => sum + statSync(join(demo, 'art/android/res', name)).size, 0);
  figure('Android launcher icons of the demo', icons / 1000, 'KB', 60);

  const [count, megabytes] = small ? [300, 6] : [5000, 100];
  const large = join(work, 'large');
  const folder = join(large, 'site');
  makeLargeFolder(folder, count, megabytes * 1e6);
  project(large, folder);
  const zipFile = join(work, 'out.zip');
  const hasZip = spawnSync('zip', ['-v'], { stdio: 'ignore' }).status === 0;
  /** Packs as if for the first time, but for the icons. */
  const afresh = (dir, watch) => {
    rmSync(join(dir, '.hull/cache/contents.json'), { force: true });
    return once(process.execPath, [hull, 'pack', 'apk'], dir, watch);
  };
  const big = await compare(small ? 1 : 3, {
    hull: () => afresh(large, 'memory'),
    floor: () => once(process.execPath, [floor, folder, dex]),
    deflate: () => once(process.execPath, [deflateFloor, folder]),
    ...(hasZip
      ? {
          zip: () => {
            rmSync(zipFile, { force: true });
            return once('zip', ['-6', '-q', '-r', zipFile, '.'], folder);
          },
        }
      : {}),
  });
  const name = `${megabytes} MB, ${count} files`;
  figure(`${name}: hull pack apk to its floor`, big.ratios.floor, '×', small ? undefined : 1.5);
  if (hasZip) {
    figure(`${name}: hull pack apk to zip -6 -r`, big.ratios.zip, '×', small ? undefined : 0.6);
    figure(
      `${name}: nothing but deflating, on all cores, to zip -6 -r`,
      big.times.deflate / big.times.zip,
      '×',
    );
  }
  figure(`${name}: peak memory`, big.peak / 1e6, 'MB', 300);
  // What an earlier package holds is taken over: of files as they were, and of files that a build has written again.
  const rewrite = () => {
    for (const item of readdirSync(folder, { recursive: true, withFileTypes: true }))
      if (item.isFile()) utimesSync(join(item.parentPath, item.name), new Date(), new Date());
  };
  const warm = await compare(small ? 1 : 3, {
    again: () => once(process.execPath, [hull, 'pack', 'apk'], large),
    rewritten: () => {
      rewrite();
      return once(process.execPath, [hull, 'pack', 'apk'], large);
    },
    afresh: () => afresh(large),
  });
  figure(`${name}: packed again, to the first time`, warm.ratios.afresh, '×');
  figure(
    `${name}: packed again after a build that wrote every file, to the first time`,
    warm.times.rewritten / warm.times.afresh,
    '×',
  );
  const firstPack = await compare(small ? 1 : 3, {
    first: () => {
      rmSync(join(demo, '.hull/cache'), { recursive: true, force: true });
      return once(process.execPath, [hull, 'pack', 'apk'], demo);
    },
    second: () => once(process.execPath, [hull, 'pack', 'apk'], demo),
    drawn: () => once(process.execPath, [artFloor, join(site, 'icons/icon.svg'), '--packed']),
  });
  figure(
    'demo: the first hull pack apk, with icons, to the second',
    firstPack.ratios.second,
    '×',
    small ? undefined : 2.5,
  );
  figure(
    'demo: nothing but drawing its icons, to the second hull pack apk',
    firstPack.times.drawn / firstPack.times.second,
    '×',
  );
  await fleetFigures({
    ...{ demo, large, figure, median, rounds: small ? 1 : 3 },
    counts: small ? { demo: 2 } : { demo: 100, large: 12, memory: [500, 1000] },
    pack: (dir, words = [], watch = 'time') =>
      once(process.execPath, [hull, 'fleet', 'pack', '--quiet', ...words], dir, watch),
  });
  const [apk] = readdirSync(join(large, 'out'));
  rows.push([
    `${name}: package`,
    `${(statSync(join(large, 'out', apk)).size / 1e6).toFixed(1)} MB`,
    `${(big.times.hull / 1000).toFixed(2)} s`,
    '',
  ]);

  const bundled = await compare(small ? 1 : 9, {
    aab: () => once(process.execPath, [hull, 'pack', 'aab'], demo),
    apk: () => once(process.execPath, [hull, 'pack', 'apk'], demo),
  });
  figure('demo: hull pack aab to hull pack apk', bundled.ratios.apk, '×');

  // Below a test authority: what packing takes is the same.
  execFileSync(process.execPath, [hull, 'drydock', 'team', '--yes'], { cwd: demo, env });
  const apple = await compare(small ? 1 : 15, {
    ipa: () => once(process.execPath, [hull, 'pack', 'ipa'], demo),
    apk: () => once(process.execPath, [hull, 'pack', 'apk'], demo),
  });
  figure('demo: hull pack ipa to hull pack apk', apple.ratios.apk, '×', 1.3);
  const ipa = JSON.parse(
    execFileSync(process.execPath, [hull, 'pack', 'ipa', '--json'], { cwd: demo, env, encoding: 'utf8' }),
  );
  const program = deflateRawSync(readFileSync(join(root, 'shell/apple/dist/device-arm64')), { level: 6 });
  figure('Apple shell: the program, deflated', program.length / 1000, 'KB', 60);
  figure('demo: Apple shell’s share, with profile and signatures', shellShare(ipa.packed), 'KB');

  // A package of about 100 MB; its contents deflate to less than half.
  const whole = small ? large : join(work, 'whole');
  if (!small) {
    makeLargeFolder(join(whole, 'site'), count, 218e6);
    project(whole, join(whole, 'site'));
    await once(process.execPath, [hull, 'pack', 'apk'], whole);
  }
  const wholePackage = join(whole, 'out', readdirSync(join(whole, 'out'))[0]);
  const signed = join(work, 'signed.apk');
  const sign = (file, dir, watch) => {
    // Replacing a file frees the one before, which takes longer than signing a small package.
    rmSync(signed, { force: true });
    return once(process.execPath, [hull, 'sign', file, '--out', signed], dir, watch);
  };
  const ofWhole = `package of ${(statSync(wholePackage).size / 1e6).toFixed(0)} MB, ${count} files`;
  const signing = await compare(small ? 1 : 9, {
    hull: () => sign(wholePackage, whole),
    floor: () => once(process.execPath, [signFloor, wholePackage]),
    least: () => {
      rmSync(signed, { force: true });
      return once(process.execPath, [signFloor, wholePackage, privateKey, signed]);
    },
  });
  figure(`${ofWhole}: hull sign to its floor`, signing.ratios.floor, '×', small ? undefined : 1.2);
  figure(`${ofWhole}: the same to what a signed copy costs at the least`, signing.ratios.least, '×');
  const verifying = await compare(small ? 1 : 9, {
    hull: () => once(process.execPath, [hull, 'sign', wholePackage, '--verify-only'], whole),
    floor: () => once(process.execPath, [signFloor, wholePackage]),
  });
  figure(
    `${ofWhole}: hull sign --verify-only to its floor`,
    verifying.ratios.floor,
    '×',
    small ? undefined : 1.5,
  );
  await benchRelease(whole);
  await benchTry(demo);
  if (!small) rmSync(whole, { recursive: true, force: true });
  if (spawnSync('apksigner', ['version'], { stdio: 'ignore' }).status === 0) {
    const own = join(
      demo,
      'out',
      readdirSync(join(demo, 'out')).find((one) => one.endsWith('.apk')),
    );
    const keys = ['--ks', join(demo, 'keys/release.p12'), '--ks-pass', 'env:HULL_KEY_PASSWORD'];
    const theirs = join(work, 'theirs.apk');
    const against = await compare(small ? 1 : 9, {
      theirs: () => {
        rmSync(theirs, { force: true });
        return once('apksigner', ['sign', ...keys, '--out', theirs, own], demo);
      },
      hull: () => sign(own, demo),
    });
    rows.push([
      'demo: the platform’s signer to hull sign',
      `${against.ratios.hull.toFixed(1)} ×`,
      'aim 5 ×',
      against.ratios.hull >= 5 ? 'met' : 'missed',
    ]);
    const judged = await compare(small ? 1 : 5, {
      theirs: () => once('apksigner', ['verify', own], demo),
      hull: () => once(process.execPath, [hull, 'sign', own, '--verify-only'], demo),
    });
    rows.push([
      'demo: the platform’s verifier to hull sign --verify-only',
      `${judged.ratios.hull.toFixed(1)} ×`,
      '',
      '',
    ]);
  }
  if (!small) {
    const huge = join(work, 'huge');
    makeLargeFolder(join(huge, 'site'), 40, 500e6);
    project(huge, join(huge, 'site'));
    const packing = await once(process.execPath, [hull, 'pack', 'apk'], huge, 'memory');
    figure('500 MB: hull pack apk, peak memory', packing.peak / 1e6, 'MB', 250);
    if (hasZip) {
      const zipped = await once('zip', ['-6', '-q', '-r', zipFile, '.'], join(huge, 'site'));
      figure('500 MB, 40 files: hull pack apk to zip -6 -r', packing.time / zipped.time, '×', 0.6);
      rmSync(zipFile, { force: true });
    }
    const [largest] = readdirSync(join(huge, 'out'));
    execFileSync(process.execPath, [hull, 'drydock', 'team', '--yes'], { cwd: huge, env });
    const forApple = await once(process.execPath, [hull, 'pack', 'ipa'], huge, 'memory');
    figure('500 MB: hull pack ipa, peak memory', forApple.peak / 1e6, 'MB', 250);
    const resigned = await sign(join(huge, 'out', largest), huge, 'memory');
    figure('500 MB: hull sign, peak memory', resigned.peak / 1e6, 'MB', 250);
    const ipaFile = readdirSync(join(huge, 'out')).find((one) => one.endsWith('.ipa'));
    const resignedIpa = await sign(join(huge, 'out', ipaFile), huge, 'memory');
    figure('500 MB: hull sign (.ipa), peak memory', resignedIpa.peak / 1e6, 'MB', 250);
    // Its seals are SHA-1 and SHA-256 of what is unpacked; the floor is SHA-256 alone.
    const sealing = await compare(5, {
      hull: () => sign(join(huge, 'out', ipaFile), huge),
      floor: () => once(process.execPath, [signFloor, join(huge, 'site')]),
      seals: () => once(process.execPath, [sealFloor, join(huge, 'out', ipaFile)]),
    });
    figure('500 MB: hull sign (.ipa) to SHA-256 of the same bytes', sealing.ratios.floor, '×', 1.5);
    figure('500 MB: hull sign (.ipa) to what its seals cost at the least', sealing.ratios.seals, '×', 1.2);
    const { seals, floor: digests } = sealing.times;
    figure('500 MB: what the seals cost at the least, to SHA-256', seals / digests, '×');
    rmSync(huge, { recursive: true, force: true });
  }

  const survey = (dir, watch) =>
    once(process.execPath, [hull, 'survey', dir, '--quiet', '--fail-on', 'never'], work, watch);
  const pages = (count) => {
    const dir = join(work, `pages-${count}`);
    makeManyPages(dir, count);
    return dir;
  };
  const middle = small ? 100 : 1000;
  const many = pages(middle);
  const judged = await compare(small ? 1 : 7, {
    hull: () => survey(many),
    floor: () => once(process.execPath, [parseFloor, many]),
  });
  figure(`${middle} pages: hull survey to its floor`, judged.ratios.floor, '×', small ? undefined : 1.5);
  figure(`${middle} pages: hull survey, peak memory`, (await survey(many, 'memory')).peak / 1e6, 'MB', 400);
  // The slope between two sizes against the one between the next two: 1 is a straight line.
  const sizes = small ? [20, 60, 180] : [100, 1000, 10_000];
  const times = [];
  for (const count of sizes) {
    const dir = pages(count);
    if (!small) await survey(dir);
    const runs = [];
    for (let run = 0; run < (small ? 1 : 3); run += 1) runs.push((await survey(dir)).time);
    times.push(median(runs));
  }
  const slope = (from, to) => (times[to] - times[from]) / (sizes[to] - sizes[from]);
  rows.push([
    'hull survey: ms a page',
    `${slope(0, 1).toFixed(2)} from ${sizes[0]} to ${sizes[1]} pages`,
    `${slope(1, 2).toFixed(2)} from ${sizes[1]} to ${sizes[2]}`,
    `${(times[2] / 1000).toFixed(1)} s for ${sizes[2]} pages`,
  ]);

  await askFigures();
  await proveFigures();
} finally {
  rmSync(work, { recursive: true, force: true });
}

console.log(
  `Node.js ${process.version}, ${availableParallelism()} cores${small ? ', small inputs' : ''}; medians of runs in turn\n`,
);
const widths = [0, 1, 2].map((column) => Math.max(...rows.map((row) => row[column].length)));
for (const row of rows)
  console.log(
    row
      .map((cell, column) => cell.padEnd(widths[column] ?? 0))
      .join('  ')
      .trimEnd(),
  );
