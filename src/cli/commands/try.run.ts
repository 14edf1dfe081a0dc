import { readFileSync, watch } from 'node:fs';
import { readLanguage } from '../../core/app/language.js';
import {
  type TriedApp,
  type TriedSteps,
  type TryOptions,
  tryApp,
  trySteps,
} from '../../core/tasks/try-app.js';
import type { TryEvent } from '../../core/try/events.js';
import { junitOf, picture } from '../../core/try/steps.js';
import { replaceFile, shownPath } from '../../core/util/files.js';
import { packagedPath } from '../../core/util/packaged.js';
import { screenOf } from '../../drydock/try/screen.js';
import { startTryServer, type TryServer } from '../../drydock/try/server.js';
import type { OptionsOf } from '../define-command.js';
import { browserEnvironment, installedBrowser, installedWebKit, noteUnconfined } from '../options/browser.js';
import { loopback } from '../options/loopback.js';
import { portNumber } from '../options/numbers.js';
import type { TryOutput } from '../outputs.js';
import { duration, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonLocation, jsonPath } from '../terminal/json.js';
import { locationText } from '../terminal/say-task.js';
import type { declare } from './try.js';

type Options = OptionsOf<typeof declare>;

/** ms after a file has changed before the page is loaded again: editors write several at once. */
const SETTLED = 150;

/** The store on this computer that sells, and what gives pages their way to it. */
function storeOf({ store, backend }: Options): TryOptions['store'] {
  const origin = loopback(store, '--store');
  return origin === undefined
    ? undefined
    : {
        origin,
        backend: loopback(backend, '--backend'),
        script: readFileSync(packagedPath('pages/stand-in-shop.js'), 'utf8'),
      };
}

function tryOptions(io: Io, options: Options, file: string | undefined): TryOptions {
  const environment = browserEnvironment(io.env);
  const engine =
    options.engine === 'webkit'
      ? { webkit: { programs: installedWebKit(io, '--engine'), environment, signal: io.signal } }
      : { browser: { executable: installedBrowser(io, 'HULL_BROWSER'), environment, signal: io.signal } };
  if (options.engine !== 'webkit') noteUnconfined(io);
  return {
    project: options.project,
    file,
    from: options.from,
    settings: {
      ...(options.device && { device: options.device }),
      ...(options.scheme && { scheme: options.scheme }),
      ...(options.language === undefined
        ? {}
        : { language: readLanguage(options.language, { option: '--language' }) }),
    },
    store: storeOf(options),
    ...engine,
  };
}

export async function run(io: Io, options: Options, file: string | undefined): Promise<number> {
  if (options.steps !== undefined) return runStepsOf(io, options, file, options.steps);
  if (options.png !== undefined) return takePicture(io, options, file, options.png);
  await runPage(io, options, file);
  return 0;
}

/** The app as documents have it. */
const jsonApp = (io: Io, { file, kind, id, name }: TriedSteps['app']): TryOutput['app'] => ({
  file: jsonPath(io, file),
  ...{ kind, id, name },
});

async function runStepsOf(
  io: Io,
  options: Options,
  file: string | undefined,
  steps: string,
): Promise<number> {
  const { paint } = io;
  const painted = { passed: paint.good, failed: paint.bad, skipped: paint.dim } as const;
  const { app, results, ok } = await trySteps({
    ...tryOptions(io, options, file),
    steps,
    png: options.png,
    onResult: ({ is, name, milliseconds, why, location }) => {
      if (io.json) return;
      io.out(
        `${painted[is](is)}  ${safe(name)}${is === 'skipped' ? '' : `  ${paint.dim(duration(milliseconds))}`}`,
      );
      if (why !== undefined)
        io.out(`        ${safe(why)}\n        ${paint.dim(safe(locationText(location)))}`);
    },
  });
  if (options.junit !== undefined)
    await replaceFile(options.junit, new TextEncoder().encode(junitOf(shownPath(steps), results)));
  if (io.json) {
    emit(
      io,
      'try',
      {
        app: jsonApp(io, app),
        steps: results.map(({ name, is, milliseconds, why, location }) => ({
          name,
          result: is,
          milliseconds,
          why: why ?? null,
          location: jsonLocation(io, location),
        })),
      },
      ok,
    );
  }
  return ok ? 0 : 1;
}

async function takePicture(io: Io, options: Options, file: string | undefined, png: string): Promise<number> {
  const { session, app } = await tryApp(tryOptions(io, options, file));
  try {
    await session.launchApp();
    await picture(session, png);
  } finally {
    await session.close();
  }
  if (io.json) emit(io, 'try', { app: jsonApp(io, app), steps: [] });
  else io.out(`${shownPath(png)}  the first page of ${safe(app.name)}`);
  return 0;
}

/** Loads the page again when files of the project change. */
function follow(io: Io, { own, session }: TriedApp, folder: string): () => void {
  let timer: NodeJS.Timeout | undefined;
  const watcher = watch(folder, { recursive: true }, () => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      own
        ?.refresh()
        .then(() => session.reload())
        .catch((error: unknown) => io.note(safe(String(error))));
    }, SETTLED);
  });
  watcher.on('error', () => undefined);
  return () => {
    clearTimeout(timer);
    watcher.close();
  };
}

async function runPage(io: Io, options: Options, file: string | undefined): Promise<void> {
  let server: TryServer | undefined;
  let hasEnded: () => void = () => undefined;
  const ended = new Promise<void>((resolve) => {
    hasEnded = resolve;
  });
  const onEvent = (event: TryEvent) => {
    server?.tell(event);
    if (event.is === 'ended') hasEnded();
  };
  const tried = await tryApp({ ...tryOptions(io, options, file), onEvent });
  const { app, session } = tried;
  try {
    server = await startTryServer(
      screenOf(session, tried.next),
      `Try ${app.name}`,
      portNumber(options.port, '--port', 0),
    );
    const stop = tried.own?.folder === undefined ? () => undefined : follow(io, tried, tried.own.folder);
    if (io.json) emit(io, 'try', { app: jsonApp(io, app), address: server.address, steps: [] });
    else {
      io.out(`${io.paint.bold(safe(app.name))} runs at ${io.paint.bold(server.address)}`);
      io.out(
        '  Open it in a browser: home screen, pages, questions, links, network. The address is for you alone.',
      );
      for (const one of tried.updating) io.out(`  ${io.paint.warn('update')} ${safe(one)}`);
      if (tried.own) io.out('  It follows the web folder: save a file, and see it.');
    }
    io.note(`${io.paint.dim('next')} Ctrl-C ends it`);
    await Promise.race([
      ended,
      new Promise<void>((resolve) => {
        io.signal.addEventListener('abort', () => resolve(), { once: true });
      }),
    ]);
    stop();
    if (!io.signal.aborted) io.note('The browser has ended.');
  } finally {
    await server?.close();
    await session.close();
  }
}
