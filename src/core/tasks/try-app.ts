import { readProject } from '../project/project.js';
import { openPackedApp, type PackedApp } from '../try/packed-app.js';
import { openProjectApp, type ProjectApp } from '../try/project-app.js';
import { type SessionOptions, TrySession } from '../try/session.js';
import { picture, readSteps, runSteps, type StepResult, Witness } from '../try/steps.js';

export interface TryOptions extends Omit<SessionOptions, 'onEvent'> {
  /** Folder of `hull.json`. */
  readonly project?: string | undefined;
  /** An `.apk`, `.aab` or `.ipa`; by default the app of the project, as it would be packed. */
  readonly file?: string | undefined;
  readonly onEvent?: SessionOptions['onEvent'] | undefined;
}

export interface TriedApp {
  readonly app: PackedApp;
  readonly session: TrySession;
  /** Where the app is that of a project: its files, which may change. */
  readonly own: ProjectApp | undefined;
}

/**
 * Starts an app from its package in a browser.
 *
 * @throws HullError `try.no-pages`, `package.unknown`, `zip.*`, `config.*`, `browser.*`
 */
export async function tryApp(options: TryOptions): Promise<TriedApp> {
  const { project = '.', file, onEvent = () => undefined, ...rest } = options;
  const own = file === undefined ? await openProjectApp(readProject(project)) : undefined;
  const app = own ?? (await openPackedApp(file as string));
  try {
    return { app, own, session: await TrySession.start(app, { ...rest, onEvent }) };
  } catch (error) {
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
  const { app, session } = await tryApp({
    ...rest,
    device: rest.device ?? steps.device,
    onEvent: (event) => {
      witness.note(event);
      onEvent?.(event);
    },
  });
  try {
    const results = await runSteps(session, steps, witness, onResult);
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
