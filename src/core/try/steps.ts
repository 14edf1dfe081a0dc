import { writeFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { fromSystemError, HullError, type Location } from '../errors.js';
import type { Orientation } from '../preview/screens.js';
import { extensionOf, MEDIA_TYPES } from '../site/media-types.js';
import { readRegularFile, readTextFile } from '../util/files.js';
import { escapeHtml } from '../util/html.js';
import { parseLocatedJson } from '../util/json-locations.js';
import { checkJson } from '../util/json-schema.js';
import { parseUrl } from '../util/url-path.js';
import type { AppSession, TextSize } from './app-session.js';
import type { TryEvent } from './events.js';
import type { PackedApp } from './packed-app.js';
import type { Network } from './requests.js';
import type { DeviceKind, Scheme } from './screen-plan.js';
import type { TrySession } from './session.js';
import { validate } from './steps-schema.generated.js';

/** What is done, and what is expected; members in the order in which they are done. */
export interface Step {
  readonly name?: string;
  readonly within?: number;
  readonly update?: true;
  readonly start?: true;
  readonly resume?: true;
  readonly home?: true;
  readonly back?: true;
  readonly end_process?: true;
  readonly shortcut?: string;
  readonly share?: { readonly title?: string; readonly text?: string; readonly file?: string };
  readonly link?: string;
  readonly opens?: 'app' | 'browser';
  readonly turn?: Orientation;
  readonly scheme?: Scheme;
  readonly network?: Network;
  readonly text_size?: TextSize;
  readonly language?: string;
  readonly permit?: string;
  readonly refuse?: string;
  readonly tap?: string;
  readonly type?: string;
  readonly into?: string;
  readonly see?: string;
  readonly miss?: string;
  readonly at?: string;
  readonly left?: string;
  readonly stored?: string;
  readonly quiet?: true;
  readonly png?: string;
}

export interface Steps {
  readonly file: string;
  readonly device: DeviceKind | undefined;
  readonly steps: readonly { readonly step: Step; readonly location: Location }[];
}

/** What became of a step. */
export interface StepResult {
  readonly name: string;
  readonly location: Location;
  readonly is: 'passed' | 'failed' | 'skipped';
  readonly milliseconds: number;
  /** Why it failed. */
  readonly why: string | undefined;
}

const WITHIN = 10_000;
const LOOK = 50;

/**
 * Reads a file of steps.
 *
 * @throws HullError `try.bad-steps`, `file.missing`
 */
export function readSteps(file: string): Steps {
  const fix = 'docs/try.md describes every step.';
  const json = parseLocatedJson(file, readTextFile(file), { comments: true, code: 'try.bad-steps', fix });
  checkJson(json, validate, 'try.bad-steps', fix);
  const { device, steps } = json.value as { device?: DeviceKind; steps: Step[] };
  return {
    file,
    device,
    steps: steps.map((step, index) => ({ step, location: json.location(`/steps/${index}`) })),
  };
}

/** What a step is called where it has no name: what it does, in its own words. */
function nameOf({ name, within: _within, ...step }: Step): string {
  return (
    name ??
    Object.entries(step)
      .map(([key, value]) => (value === true ? key : `${key} ${value}`))
      .join(', ')
  );
}

/** What has happened since the app was started, as far as steps ask about it. */
export class Witness {
  readonly #errors: string[] = [];
  readonly #left: string[] = [];

  note(event: TryEvent): void {
    if (event.is === 'console' && event.level === 'error') this.#errors.push(event.text);
    if (event.is === 'outside') this.#left.push(event.url);
  }

  get errors(): readonly string[] {
    return this.#errors;
  }

  hasLeft(start: string): boolean {
    return this.#left.some((url) => url.startsWith(start));
  }
}

/** Looks until something holds. Throws what it still lacks when time ends. */
async function until(end: number, missing: () => Promise<string | undefined>): Promise<void> {
  for (;;) {
    const why = await missing();
    if (why === undefined) return;
    if (Date.now() + LOOK > end) throw new Error(why);
    await wait(LOOK);
  }
}

const pageOf = (session: TrySession) => {
  const { page } = session;
  if (page === undefined || session.state().shows === 'home') throw new Error('The app is not open.');
  return page;
};

/** What people would tap: a control of that name, else the text itself. */
async function tap(session: TrySession, name: string, end: number): Promise<void> {
  const page = pageOf(session);
  const controls = (['button', 'link', 'tab', 'menuitem', 'checkbox', 'radio', 'textbox'] as const).map(
    (role) => page.getByRole(role, { name }),
  );
  const named = controls
    .reduce((all, one) => all.or(one))
    .or(page.getByText(name))
    .first();
  await named.tap({ timeout: Math.max(1, end - Date.now()) }).catch((error: unknown) => {
    throw new Error(`Nothing named "${name}" can be tapped: ${String(error).split('\n')[0]}`);
  });
}

async function isVisible(session: TrySession, text: string): Promise<boolean> {
  const found = pageOf(session).getByText(text);
  const count = Math.min(await found.count(), 20);
  for (let index = 0; index < count; index += 1) if (await found.nth(index).isVisible()) return true;
  return false;
}

/** MIME types of files that people share, by their endings; another is bytes. */
const typeOf = (file: string): string => MEDIA_TYPES[extensionOf(file)] ?? 'application/octet-stream';

async function share(session: TrySession, { title, text, file }: NonNullable<Step['share']>): Promise<void> {
  const refused = await session.share({
    title,
    text,
    file:
      file === undefined
        ? undefined
        : { name: basename(file), type: typeOf(file), bytes: readRegularFile(file) },
  });
  if (refused !== undefined) throw new Error(refused);
}

async function update(session: TrySession, next: PackedApp | undefined): Promise<void> {
  if (next === undefined) throw new Error('There is no older package that the app could be updated from.');
  await session.update(next);
}

async function act(session: TrySession, step: Step, end: number, next: PackedApp | undefined): Promise<void> {
  if (step.permit !== undefined) session.presetAnswer(step.permit, true);
  if (step.refuse !== undefined) session.presetAnswer(step.refuse, false);
  if (step.network !== undefined) await session.setNetwork(step.network);
  if (step.scheme !== undefined) await session.setScheme(step.scheme);
  if (step.turn !== undefined) await session.setScreen(session.state().device, step.turn);
  if (step.text_size !== undefined) await session.setTextSize(step.text_size);
  if (step.language !== undefined) await session.setLanguage(step.language);
  if (step.end_process) await session.endProcess();
  if (step.update) await update(session, next);
  if (step.start) await session.launchApp();
  if (step.resume) await session.resume();
  if (step.shortcut !== undefined) await session.openShortcut(step.shortcut);
  if (step.share !== undefined) await share(session, step.share);
  if (step.home) session.home();
  if (step.back) await session.back();
  if (step.link !== undefined) {
    const { opens, why } = await session.openLink(step.link);
    if (step.opens !== undefined && step.opens !== opens)
      throw new Error(`It opens in the ${opens}: ${why}.`);
  }
  if (step.type !== undefined) {
    if (step.into === undefined) await session.text(step.type);
    else
      await pageOf(session)
        .getByLabel(step.into)
        .first()
        .fill(step.type, { timeout: Math.max(1, end - Date.now()) })
        .catch(() => {
          throw new Error(`There is no field "${step.into}".`);
        });
  }
  if (step.tap !== undefined) await tap(session, step.tap, end);
}

async function expectAll(session: TrySession, step: Step, witness: Witness, end: number): Promise<void> {
  const { see, miss, at, left, stored, quiet } = step;
  if (see !== undefined)
    await until(end, async () =>
      (await isVisible(session, see)) ? undefined : `"${see}" is not to be seen.`,
    );
  if (miss !== undefined)
    await until(end, async () =>
      (await isVisible(session, miss)) ? `"${miss}" is still to be seen.` : undefined,
    );
  if (at !== undefined)
    await until(end, async () => {
      const url = parseUrl(pageOf(session).url());
      const now = url === undefined ? '' : at.includes('?') ? url.pathname + url.search : url.pathname;
      return now === at ? undefined : `The page is at ${now}, not at ${at}.`;
    });
  if (left !== undefined)
    await until(end, async () => (witness.hasLeft(left) ? undefined : `The app has not left for ${left}.`));
  if (stored !== undefined)
    await until(end, async () =>
      (await session.stored()).some(({ name }) => name === stored)
        ? undefined
        : `Nothing is stored under "${stored}".`,
    );
  if (quiet && witness.errors.length > 0) throw new Error(`The page reports: ${witness.errors[0]}`);
}

/** Keeps a picture of the page that is open: PNG. Throws HullError `disk.*`. */
export async function picture(session: AppSession, file: string): Promise<void> {
  const bytes = await session.picture();
  if (bytes === undefined) throw new Error('The app is not open.');
  try {
    await writeFile(file, bytes);
  } catch (error) {
    throw fromSystemError(error, file);
  }
}

/**
 * Does the steps one after the other; after one that fails, the others are skipped.
 *
 * @param onResult called with each as it ends
 * @param next what the app is updated to
 * @throws HullError `disk.*` where a picture cannot be written
 */
export async function runSteps(
  session: TrySession,
  { steps }: Steps,
  witness: Witness,
  onResult: (result: StepResult) => void = () => undefined,
  next?: PackedApp,
  signal?: AbortSignal,
): Promise<StepResult[]> {
  const results: StepResult[] = [];
  let hasFailed = false;
  for (const { step, location } of steps) {
    const began = Date.now();
    let why: string | undefined;
    if (!hasFailed) {
      const end = began + (step.within ?? WITHIN);
      try {
        await act(session, step, end, next);
        await expectAll(session, step, witness, end);
        if (step.png !== undefined) await picture(session, step.png);
      } catch (error) {
        if (error instanceof HullError && error.code.startsWith('disk.')) throw error;
        // Somebody who ends it wants no results.
        signal?.throwIfAborted();
        why = error instanceof Error ? error.message : String(error);
      }
    }
    const is: StepResult['is'] = hasFailed ? 'skipped' : why === undefined ? 'passed' : 'failed';
    const result = { name: nameOf(step), location, is, milliseconds: Date.now() - began, why } as const;
    results.push(result);
    onResult(result);
    hasFailed ||= is === 'failed';
  }
  return results;
}

const xmlText = (text: string): string =>
  // biome-ignore lint/suspicious/noControlCharactersInRegex: XML 1.0 has no way to write them
  escapeHtml(text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f]/g, '\uFFFD'));

/** Results in the form that servers for builds read: one suite, a case for each step. */
export function junitOf(file: string, results: readonly StepResult[]): string {
  const of = (is: StepResult['is']) => results.filter((one) => one.is === is).length;
  const seconds = (milliseconds: number) => (milliseconds / 1000).toFixed(3);
  const total = results.reduce((sum, { milliseconds }) => sum + milliseconds, 0);
  const cases = results.map(({ name, is, why, milliseconds, location }) => {
    const place = `${location.file ?? file}${location.line === undefined ? '' : `:${location.line}`}`;
    const inner =
      is === 'failed'
        ? `\n    <failure message="${xmlText(why ?? '')}">${xmlText(place)}</failure>\n  `
        : is === 'skipped'
          ? '<skipped/>'
          : '';
    return `  <testcase classname="${xmlText(file)}" name="${xmlText(name)}" time="${seconds(milliseconds)}">${inner}</testcase>`;
  });
  return `<?xml version="1.0" encoding="UTF-8"?>
<testsuite name="${xmlText(file)}" tests="${results.length}" failures="${of('failed')}" skipped="${of('skipped')}" time="${seconds(total)}">
${cases.join('\n')}
</testsuite>
`;
}
