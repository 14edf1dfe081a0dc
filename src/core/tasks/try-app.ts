import { HullError } from '../errors.js';
import { readProject } from '../project/project.js';
import type { AppSession } from '../try/app-session.js';
import { openPackedApp, type PackedApp } from '../try/packed-app.js';
import { openProjectApp, type ProjectApp } from '../try/project-app.js';
import { type SessionOptions, TrySession } from '../try/session.js';
import { picture, readSteps, runSteps, type StepResult, Witness } from '../try/steps.js';
import { type WebKitTryOptions, WebKitTrySession } from '../try/webkit-session.js';

export interface TryOptions extends Omit<SessionOptions, 'onEvent' | 'browser'> {
  /** A Chromium; not needed where WebKit is used. */
  readonly browser?: SessionOptions['browser'] | undefined;
  /** Runs it in WebKit, as far as its driver can. */
  readonly webkit?: WebKitTryOptions['webkit'] | undefined;
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** An `.apk`, `.aab` or `.ipa`; by default the app of the project, as it would be packed. */
  readonly file?: string | undefined;
  /** An older package, which the app is started from; it can then be updated. */
  readonly from?: string | undefined;
  readonly onEvent?: SessionOptions['onEvent'] | undefined;
}

export interface TriedApp {
  readonly app: PackedApp;
  readonly session: AppSession;
  /** Where the app is that of a project: its files, which may change. */
  readonly own: ProjectApp | undefined;
  /** What it can be updated to: the app, where it was started from an older package. */
  readonly next: PackedApp | undefined;
  /** What users of the older package find after the update. */
  readonly updating: readonly string[];
}

/** What an update does to what pages have stored, and whether a device takes it. Throws HullError `try.other-app`. */
function judgeUpdate(before: PackedApp, app: PackedApp): string[] {
  if (before.id !== app.id || before.platform !== app.platform) {
    throw new HullError(
      'try.other-app',
      `${before.id} is another app than ${app.id}: it cannot be updated to it.`,
      {
        location: { file: before.file },
        fix: 'Name an older package of the same app.',
      },
    );
  }
  const [old, now] = [before, app].map(({ settings: { packed, start } }) => packed?.origin ?? start.origin);
  const isOlder = Number(app.build) < Number(before.build);
  return [
    ...(old === now
      ? []
      : [`Its pages come from ${now} instead of ${old}: what users have stored is not found there.`]),
    ...(isOlder
      ? [`Its build ${app.build} is lower than ${before.build}: devices and stores refuse that.`]
      : []),
  ];
}

/** Starts an app in the engine that was asked for. */
function startSession(
  app: PackedApp,
  { browser, webkit, from, store }: TryOptions,
  rest: Omit<SessionOptions, 'browser'>,
): Promise<AppSession> {
  if (webkit) {
    if (from !== undefined || store !== undefined) {
      throw new HullError('try.not-in-engine', 'In WebKit, an app is neither updated nor sold to.', {
        fix: 'Try the app in Chromium for that.',
      });
    }
    return WebKitTrySession.start(app, { webkit, settings: rest.settings, onEvent: rest.onEvent });
  }
  if (browser) return TrySession.start(app, { ...rest, browser });
  throw new TypeError('neither browser nor webkit was given');
}

/**
 * Starts an app from its package in a browser.
 *
 * @throws HullError `try.no-pages`, `try.other-app`, `package.unknown`, `zip.*`, `config.*`, `browser.*`
 */
export async function tryApp(options: TryOptions): Promise<TriedApp> {
  const {
    project = '.',
    file,
    from,
    browser: _browser,
    webkit: _webkit,
    onEvent = () => undefined,
    ...rest
  } = options;
  const own = file === undefined ? await openProjectApp(readProject(project)) : undefined;
  const app = own ?? (await openPackedApp(file as string));
  let before: PackedApp | undefined;
  try {
    before = from === undefined ? undefined : await openPackedApp(from);
    const updating = before === undefined ? [] : judgeUpdate(before, app);
    const session = await startSession(before ?? app, options, { ...rest, onEvent });
    return { app, own, session, next: before && app, updating };
  } catch (error) {
    await before?.close();
    await app.close();
    throw error;
  }
}

export interface TryStepsOptions extends TryOptions {
  /** File of steps. */
  readonly steps: string;
  /** File for a picture of the page at the end. */
  readonly png?: string | undefined;
  /** Called with each step as it ends. */
  readonly onResult?: ((result: StepResult) => void) | undefined;
}

export interface TriedSteps {
  readonly app: Pick<PackedApp, 'file' | 'kind' | 'id' | 'name'>;
  readonly results: readonly StepResult[];
  /** Whether all of them passed. */
  readonly ok: boolean;
}

/**
 * Does steps with an app, and says what became of each.
 *
 * @throws HullError `try.bad-steps`, `disk.*`, and as {@link tryApp}
 */
export async function trySteps(options: TryStepsOptions): Promise<TriedSteps> {
  const { steps: file, png, onResult, onEvent, ...rest } = options;
  const steps = readSteps(file);
  const witness = new Witness();
  const { app, session, next } = await tryApp({
    ...rest,
    settings: { ...(steps.device === undefined ? {} : { device: steps.device }), ...rest.settings },
    onEvent: (event) => {
      witness.note(event);
      onEvent?.(event);
    },
  });
  try {
    if (!(session instanceof TrySession)) {
      throw new HullError(
        'try.not-in-engine',
        'Steps are done in Chromium: WebKit’s driver cannot find what is named.',
        {
          fix: 'Leave the engine out.',
        },
      );
    }
    const results = await runSteps(session, steps, witness, onResult, next, rest.browser?.signal);
    if (png !== undefined && session.page) await picture(session, png);
    const { kind, id, name } = app;
    return {
      app: { file: app.file, kind, id, name },
      results,
      ok: results.every(({ is }) => is === 'passed'),
    };
  } finally {
    await session.close();
  }
}
