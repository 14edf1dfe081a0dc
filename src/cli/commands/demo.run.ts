import { mkdtempSync, readdirSync } from 'node:fs';
import { cp } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { VerifierFetcher } from '../../core/domains/fetch-documents.js';
import { fromSystemError, HullError } from '../../core/errors.js';
import { changeProject } from '../../core/project/edit.js';
import { readProject } from '../../core/project/project.js';
import { CATALOG_FILE } from '../../core/store/catalog/read.js';
import { gatherDomains, verifierAccess } from '../../core/tasks/gather-domains.js';
import { makeFolder } from '../../core/util/files.js';
import { packagedPath } from '../../core/util/packaged.js';
import { startVerifier } from '../../drydock/verifier.js';
import { domainsOptions } from '../options/domains.js';
import type { CommonOptions, Io } from '../terminal/io.js';
import { emit } from '../terminal/json.js';
import { PASSWORD_VARIABLE } from '../terminal/passwords.js';
import { run as begin } from './begin.run.js';
import { run as domainsExplain } from './domains-explain.run.js';
import { run as domainsVerify } from './domains-verify.run.js';
import { run as domainsWrite } from './domains-write.run.js';
import { run as drydockTeam } from './drydock-team.run.js';
import { run as inspect } from './inspect.run.js';
import { run as keysNew } from './keys-new.run.js';
import { runApk } from './pack.run.js';
import { run as packIpa } from './pack-ipa.run.js';
import { serveProject, verifyOptions } from './serving.js';
import { run as survey } from './survey.run.js';

const APP_ID = 'example.saltmarsh.ferry';
/** Protects a key that is worth nothing; printed, so that the folder can be played with afterwards. */
const DEMO_PASSWORD = 'only-for-this-demo';

/** What every step is given. */
interface StepOptions {
  readonly project: string;
  readonly color: true;
  readonly yes: true;
  readonly json?: true;
  readonly quiet?: true;
  readonly verbose?: true;
}

async function workFolder(folder: string | undefined): Promise<string> {
  if (folder === undefined) return mkdtempSync(join(tmpdir(), 'saltmarsh-ferry-'));
  const dir = resolve(folder);
  await makeFolder(dir);
  if (readdirSync(dir).length > 0) {
    throw new HullError('demo.folder-not-empty', 'This folder is not empty; nothing was written into it.', {
      location: { file: dir },
      fix: 'Name a new folder, or none for a temporary one.',
    });
  }
  return dir;
}

/** Where the hosts of this run are found. */
interface FoundHosts extends StepOptions {
  readonly ca: string;
  readonly resolve: readonly string[];
}

type Step = (title: string, command: string, run: (io: Io) => Promise<unknown>) => Promise<void>;

/** Changes the rules of links after an install, and asks the stand-in what it still holds. */
async function showStale(io: Io, found: FoundHosts): Promise<void> {
  const own = domainsOptions(io, found);
  const app = () => gatherDomains({ ...own, certificates: 'if-known' });
  const hosts = (await app()).plans.map(({ host }) => host);
  const source = new VerifierFetcher(verifierAccess(own, hosts));
  const verifier = await startVerifier({
    port: 0,
    source,
    hosts,
    app,
    onEvent: io.json ? () => undefined : io.out,
  });
  const address = `http://127.0.0.1:${verifier.port}`;
  try {
    const headers = { authorization: `Bearer ${verifier.token}` };
    await fetch(`${address}/install`, { method: 'POST', headers });
    await changeProject(readProject('.'), [{ path: ['links', 0, 'paths'], value: ['/*', '!/privacy.html'] }]);
    const quiet = { ...io, out: () => undefined, note: () => undefined };
    await domainsWrite(quiet, found);
    if (!io.json) io.out(`$ hull domains verify … --verifier ${address}`);
    await domainsVerify(io, { ...found, verifier: address }, []);
  } finally {
    await verifier.close();
    source.close();
  }
}

/** Serves the folder, proves it, and shows why a change is not seen at once: a device asks at install alone. */
async function verifyHere(step: Step, common: StepOptions): Promise<void> {
  const serving = await serveProject(readProject('.'), {
    https: true,
    port: 0,
    fault: undefined,
    onRequest: () => undefined,
  });
  const { hosts, secure } = serving;
  if (secure === undefined) throw new Error('no host with TLS');
  const found = {
    ...common,
    ca: secure.authority,
    resolve: hosts.map((host) => `${host}=127.0.0.1:${secure.port}`),
  };
  try {
    await step(
      '7. Verify it from both sides, on a server of this machine',
      `hull serve --https &\n$ hull domains verify ${verifyOptions(serving)}`,
      async (inner) => {
        const code = await domainsVerify(inner, found, []);
        if (code !== 0) throw new Error('the demo is not verified');
      },
    );
    await step('8. Ask what opens a link', `hull domains explain https://${hosts[0]}/tickets.html`, (inner) =>
      domainsExplain(inner, found, [`https://${hosts[0]}/tickets.html`]),
    );
    await step(
      '9. See why a change is not seen at once',
      `hull drydock verifier ${verifyOptions(serving)} &; then "!/privacy.html" in hull.json, and hull domains write`,
      (inner) => showStale(inner, found),
    );
  } finally {
    await serving.close();
  }
}

export async function run(io: Io, options: CommonOptions, folder: string | undefined): Promise<void> {
  const dir = await workFolder(folder);
  const site = join(dir, 'site');
  try {
    await cp(packagedPath('demo/site'), site, { recursive: true });
    await cp(packagedPath('demo/catalog.json'), join(dir, CATALOG_FILE));
    // Other lines that sail with the same pages.
    await cp(packagedPath('demo/fleet'), dir, { recursive: true });
  } catch (error) {
    throw fromSystemError(error, site);
  }
  // From here on every path is shown as someone who works in that folder would see it.
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
  const common: StepOptions = {
    project: '.',
    color: true,
    yes: true,
    ...(options.json ? { json: true } : {}),
    ...(options.quiet ? { quiet: true } : {}),
    ...(options.verbose ? { verbose: true } : {}),
  };

  if (!io.json) {
    io.out('Saltmarsh Ferry, a made-up island ferry line, has a web app and wants it on phones.');
    io.out(io.paint.dim(`$ cd ${dir}`));
  }
  await step('1. See what stands between it and a good app', 'hull survey site', (inner) =>
    survey(inner, { ...common, failOn: 'never', speed: true }, 'site'),
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
    runApk(inner, common),
  );
  const [name] = readdirSync('out');
  const file = `out/${name ?? ''}`;
  await step('5. See what is in it', `hull inspect out/${name}`, (inner) => inspect(inner, common, file));

  await step('6. Let links open in the app', 'hull domains write', (inner) => domainsWrite(inner, common));
  await verifyHere(step, common);
  await step(
    '10. Make the package for Apple’s devices, below a test authority',
    `export ${PASSWORD_VARIABLE}=${DEMO_PASSWORD}\n$ hull drydock team && hull pack ipa`,
    async (inner) => {
      await drydockTeam({ ...inner, json: false, out: inner.json ? () => undefined : inner.out }, common);
      const code = await packIpa(inner, common);
      if (code !== 0) throw new Error('the demo is not packed');
    },
  );

  if (io.json) {
    emit(io, 'demo', { folder: dir, package: join(dir, file), steps: collected });
    return;
  }
  io.out(`\n${io.paint.good('Done.')} An installable Android app: ${io.paint.bold(join(dir, file))}`);
  io.out('What to try next:');
  io.out(`  cd ${dir}`);
  io.out('  open site/index.html, change a word, and run step 4 again');
  io.out('  hull inspect out/*.apk --json | jq .signature');
  io.out('  hull drydock store --review 30s &');
  io.out('  hull catalog check && hull release check');
  io.out('  hull drydock device --apple &');
  io.out('  hull install out/*.ipa');
  io.out('  hull begin <your own web folder> in a folder of your own');
}
