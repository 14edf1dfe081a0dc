// Packs the app that the Android shell's tests run on: node scripts/pack-shell-fixture.mjs <properties file>
// Also tells the test runner where the package is.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { webServerAnswers } from './ask-web-server.mjs';
import { internals } from './internals.mjs';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const shell = join(root, 'shell/android');
const hull = join(root, 'dist/cli/hull.cjs');
if (!existsSync(hull)) {
  console.error('The shell’s tests run on a package made by hull: run npm run build first.');
  process.exit(1);
}
const env = { ...process.env, HULL_KEY_PASSWORD: 'only-for-these-tests' };
const run = (...args) =>
  execFileSync(process.execPath, [hull, ...args], { env, stdio: ['ignore', 'inherit', 'inherit'] });
const project = join(shell, 'src/test');
const out = join(shell, 'target/fixture');
rmSync(out, { recursive: true, force: true });
if (!existsSync(join(shell, 'target/test-key.p12')))
  run('keys', 'new', 'test', '--quiet', '--yes', '--project', project);
run('pack', 'apk', '--quiet', '--project', project, '--out', out);
const [apk] = readdirSync(out).filter((name) => name.endsWith('.apk'));

/**
 * Addresses about the hosts of the fixture's links, and what hull says of each: whether the filters take it before API 35
 * and from then on, and whether the shell lets it in.
 */
async function linkVerdicts() {
  const { LinkResolver, inspectPackage, resolveApp, readProject } = await internals('shell-fixture', {
    'domains/explain': ['LinkResolver'],
    'platforms/android/inspect/inspect': ['inspectPackage'],
    'app/app': ['resolveApp'],
    'project/project': ['readProject'],
  });
  const app = await resolveApp(readProject(project));
  const { linkFilters } = await inspectPackage(join(out, apk));
  const asker = new LinkResolver({
    android: {
      packageName: app.androidId,
      certificates: undefined,
      filters: linkFilters,
      from: apk,
      minSdk: 24,
      links: app.links,
      documents: new Map(),
    },
    apple: undefined,
    web: undefined,
    staysInside: () => true,
  });
  const hosts = [
    'ferry.saltmarsh.example',
    'tickets.saltmarsh.example',
    'hallig.isles.example',
    'isles.example',
    'xn--fhre-loa.example',
    'FERRY.saltmarsh.example',
    'www.ferry.saltmarsh.example',
    'ferry.saltmarsh.example:8443',
  ];
  const paths = [
    '/',
    '/timetable',
    '/timetable/',
    '/timetable/today',
    '/Timetable/today',
    '/timetable/old/1999',
    '/timetable/old',
    '/pier.html',
    '/pierxhtml',
    '/a.bc',
    '/axbc',
    '/a.b/x/c',
    '/a.bcc',
    '/a.bccx',
    '/show',
    '/show?code=1',
    '/show?code=',
    '/show?xcode=1',
    '/show?a=b&code=x%20y',
    '/show?code',
    '/show?code=1#top',
    '/day/3',
    '/day/3?boat=gull-2&seat=a',
    '/day/3?boat=gull-2',
    '/day/3?seat=a&boat=gull-',
    '/day/3?seat=b&boat=gull-2',
    '/day/3?seat=a;boat=gull-2',
    '/day/secret?boat=gull-2&seat=a',
    '/day/secrets',
    '/wallet',
    '/wallet#pay',
    '/wallet/x#payment',
    '/wallet#no',
    '/wallet#p%61y',
    '/f%C3%A4hre/x',
    '/fähre/x',
    '/f%c3%a4hre/',
    '/fahre/x',
    '/a/x/edit',
    '/a/x/y/edit',
    '/a//edit',
    '/a/edit',
    '/a/edit/edit',
    '/insel',
    '/insel/',
    '/Insel',
    '//timetable/x',
    '/timetable%2Fx',
    '/%74imetable/x',
    '/timetable/%C3%28',
  ];
  const urls = hosts.flatMap((host) => [`https://${host}`, ...paths.map((path) => `https://${host}${path}`)]);
  const bit = (value) => (value ? '1' : '0');
  return urls.map((url) => {
    const { before, now } = asker.filterVerdicts(url);
    return `${bit(before)} ${bit(now)} ${bit(asker.staysWithRules(url))} ${url}\n`;
  });
}
const properties = process.argv[2];
const resource = (name) => join(dirname(properties), '../../..', name);
mkdirSync(dirname(properties), { recursive: true });
writeFileSync(resource('link-verdicts.txt'), (await linkVerdicts()).join(''));
const answers = await webServerAnswers(join(project, 'site'));
if (answers !== undefined) writeFileSync(resource('server-answers.txt'), answers);
else {
  rmSync(resource('server-answers.txt'), { force: true });
  if (process.env.HULL_REQUIRE_READERS === '1')
    throw new Error('There is no nginx to compare the packed pages with.');
}
writeFileSync(
  properties,
  `android_resource_apk=${join(out, apk)}\nandroid_custom_package=example.saltmarsh.ferry\n`,
);
