import { mkdtempSync, readdirSync } from 'node:fs';
import { cp } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { fromSystemError, HullError } from '../../core/errors.js';
import { makeFolder } from '../../core/files.js';
import { packagedPath } from '../../core/packaged.js';
import { type CommonOptions, type Io, outJson } from '../io.js';
import { PASSWORD_VARIABLE } from '../passwords.js';
import { begin } from './begin.js';
import { inspect } from './inspect.js';
import { keysNew } from './keys-new.js';
import { packApkCommand } from './pack-apk.js';
import { survey } from './survey.js';

const APP_ID = 'example.saltmarsh.ferry';
/** Protects a key that is worth nothing; printed, so that the folder can be played with afterwards. */
const DEMO_PASSWORD = 'only-for-this-demo';

async function workFolder(folder: string | undefined): Promise<string> {
  if (folder === undefined) return mkdtempSync(join(tmpdir(), 'saltmarsh-ferry-'));
  const dir = resolve(folder);
  await makeFolder(dir);
  if (readdirSync(dir).length > 0) {
    throw new HullError('demo.folder-not-empty', 'This folder is not empty; nothing was written into it.', {
      place: { file: dir },
      remedy: 'Name a new folder, or none for a temporary one.',
    });
  }
  return dir;
}

export async function demo(io: Io, options: CommonOptions, folder?: string): Promise<void> {
  const dir = await workFolder(folder);
  const site = join(dir, 'site');
  try {
    await cp(packagedPath('demo/site'), site, { recursive: true });
  } catch (error) {
    throw fromSystemError(error, site);
  }
  // From here on every path is told as someone who works in that folder would see it.
  process.chdir(dir);
  const collected: Record<string, unknown> = {};
  const step = async (title: string, command: string, run: (io: Io) => Promise<unknown>): Promise<void> => {
    if (!io.json) io.out(`\n${io.paint.bold(title)}\n${io.paint.name(`$ ${command}`)}`);
    // Each step speaks for itself, and without its hint of what comes next: the demo goes on by itself.
    await run({
      ...io,
      env: { ...io.env, [PASSWORD_VARIABLE]: DEMO_PASSWORD },
      interactive: false,
      out: io.json ? (text) => void Object.assign(collected, { [title]: JSON.parse(text) }) : io.out,
      note: (text) => {
        if (!/\bnext\b/.test(text)) io.note(text);
      },
    });
  };
  const common = { ...options, project: '.', yes: true };

  if (!io.json) {
    io.out('Saltmarsh Ferry, a made-up island ferry line, has a web app and wants it on phones.');
    io.out(io.paint.dim(`$ cd ${dir}`));
  }
  await step('1. See what stands between it and a good app', 'hull survey site', (inner) =>
    survey(inner, common, 'site'),
  );
  await step('2. Describe the app', `hull begin site --id ${APP_ID} --yes`, (inner) =>
    begin(inner, { ...common, id: APP_ID }, 'site'),
  );
  await step(
    '3. Make the identity it is signed with',
    `${PASSWORD_VARIABLE}=${DEMO_PASSWORD} hull keys new --yes`,
    (inner) => keysNew(inner, { ...common, bits: '3072', years: '30' }, 'release'),
  );
  await step('4. Make the signed package', `${PASSWORD_VARIABLE}=${DEMO_PASSWORD} hull pack apk`, (inner) =>
    packApkCommand(inner, common),
  );
  const [name] = readdirSync('out');
  const file = `out/${name ?? ''}`;
  await step('5. See what is in it', `hull inspect out/${name}`, (inner) => inspect(inner, common, file));

  if (io.json) {
    outJson(io, { folder: dir, package: join(dir, file), steps: collected });
    return;
  }
  io.out(`\n${io.paint.good('Done.')} An installable Android app: ${io.paint.bold(join(dir, file))}`);
  io.out('What to try next:');
  io.out(`  cd ${dir}`);
  io.out('  open site/index.html, change a word, and run step 4 again');
  io.out('  hull inspect out/*.apk --json | jq .signature');
  io.out('  hull begin <your own web folder> in a folder of your own');
}
