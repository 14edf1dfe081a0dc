// Turns a folder of built web files into a signed Android package: what a build script does behind its own build.
//
//   node examples/build-script/pack.mjs [project folder]
//
// Without a folder it makes a project of the demo data in a temporary one.
import { cpSync, existsSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { beginProject, createKey, formatFix, formatLocation, HullError, packProject } from 'jolly-hull';

// From the secrets of the build, never from a file of the project. The demo's key is worth nothing.
const password = () => process.env.HULL_KEY_PASSWORD ?? 'only-for-this-demo';

/** A project to pack: the demo's web folder, its hull.json and a new key. */
async function demoProject() {
  const project = mkdtempSync(join(tmpdir(), 'saltmarsh-ferry-'));
  cpSync(new URL('../../demo/site', import.meta.url), join(project, 'site'), { recursive: true });
  await beginProject({
    project,
    target: join(project, 'site'),
    answers: { 'app.id': 'example.saltmarsh.ferry' },
  });
  await createKey({ project, password });
  return project;
}

try {
  const [named] = process.argv.slice(2);
  const project = named !== undefined && existsSync(named) ? named : await demoProject();
  const { file, size, sha256, findings } = await packProject({ project, password });
  console.log(`${file}  ${size} bytes\nSHA-256  ${sha256}`);
  for (const { severity, observed, impact } of findings) console.log(`${severity}: ${observed} ${impact}`);
} catch (error) {
  if (!(error instanceof HullError)) throw error;
  console.error(`${error.code}: ${error.message}`);
  if (error.location) console.error(`  at ${formatLocation(error.location)}`);
  if (error.fix) console.error(`  fix: ${formatFix(error.fix)}`);
  process.exitCode = error.exitCode;
}
