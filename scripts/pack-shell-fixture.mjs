// Packs the app that the Android shell's tests run on: node scripts/pack-shell-fixture.mjs <properties file>
// Also tells the test runner where the package is.
import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

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

const properties = process.argv[2];
mkdirSync(dirname(properties), { recursive: true });
writeFileSync(
  properties,
  `android_resource_apk=${join(out, apk)}\nandroid_custom_package=example.saltmarsh.ferry\n`,
);
