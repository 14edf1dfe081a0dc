import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, symlinkSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Surroundings } from '../../src/cli/terminal/io.js';
import { checkDocument } from './documents.js';

export const ROOT = dirname(dirname(dirname(fileURLToPath(import.meta.url))));
export const HULL = join(ROOT, 'dist/cli/hull.cjs');
export const DEMO_SITE = join(ROOT, 'demo/site');
export const PASSWORD = 'only-for-these-tests';

if (!existsSync(HULL))
  throw new Error('dist is missing: these tests drive the built program (npm run build)');

export interface Ran {
  readonly code: number | null;
  readonly signal: NodeJS.Signals | null;
  readonly out: string;
  readonly err: string;
}

export interface RunOptions {
  readonly cwd?: string;
  readonly env?: Readonly<Record<string, string | undefined>>;
  /** Called with the running process, to send it a signal or type into it. */
  readonly meanwhile?: (child: ReturnType<typeof spawn>) => void;
}

/** Runs any program to its end. */
export function run(command: string, args: readonly string[], options: RunOptions = {}): Promise<Ran> {
  return new Promise((resolve, reject) => {
    const env = { ...process.env, NO_COLOR: '1', FORCE_COLOR: undefined, ...options.env };
    const child = spawn(command, args, { cwd: options.cwd, env, stdio: ['ignore', 'pipe', 'pipe'] });
    let out = '';
    let err = '';
    child.stdout.on('data', (chunk: Buffer) => {
      out += chunk;
    });
    child.stderr.on('data', (chunk: Buffer) => {
      err += chunk;
    });
    child.on('error', reject);
    child.on('close', (code, signal) => resolve({ code, signal, out, err }));
    options.meanwhile?.(child);
  });
}

/** A command of the built `hull` that runs until it is stopped. */
export interface Running<T> {
  /** The document that it prints when it is ready. */
  readonly document: T;
  /** What it has told so far. */
  notes(): string;
  stop(): Promise<void>;
}

/** Starts such a command with `--json`, and waits until it is ready. */
export async function startHull<T>(cwd: string, ...args: readonly string[]): Promise<Running<T>> {
  const child = spawn(process.execPath, [HULL, ...args, '--json'], { cwd });
  let notes = '';
  child.stderr.on('data', (chunk: Buffer) => {
    notes += chunk;
  });
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  const document = await new Promise<T>((resolve, reject) => {
    let text = '';
    child.stdout.on('data', (chunk: Buffer) => {
      text += chunk;
      if (/\n}\s*$/.test(text)) resolve(JSON.parse(text));
    });
    child.once('exit', () => reject(new Error(text + notes)));
  });
  return {
    document,
    notes: () => notes,
    stop: () => {
      child.kill('SIGINT');
      return ended;
    },
  };
}

/**
 * Runs the built `hull` in a terminal of its own and answers as someone would who reads: each answer is typed once the
 * text that it answers is shown.
 */
export function converse(
  command: string,
  cwd: string,
  answers: readonly (readonly [shown: string, answer: string])[],
): Promise<Ran> {
  return new Promise((resolve, reject) => {
    const env = { ...process.env, NO_COLOR: '1', HULL_KEY_PASSWORD: undefined, TERM: 'xterm', CI: undefined };
    const child = spawn(
      'script',
      ['-qec', `stty cols 80 rows 40; '${process.execPath}' '${HULL}' ${command}`, '/dev/null'],
      {
        cwd,
        env,
      },
    );
    const left = [...answers];
    let [out, fresh] = ['', ''];
    child.stdout.on('data', (chunk: Buffer) => {
      out += chunk;
      fresh += chunk;
      const [next] = left;
      if (next === undefined || !fresh.includes(next[0])) return;
      left.shift();
      fresh = '';
      // A prompt is shown a moment before it listens.
      setTimeout(() => child.stdin.write(next[1]), 250);
    });
    child.on('error', reject);
    child.on('close', (code, signal) => resolve({ code, signal, out, err: '' }));
  });
}

/** Runs the built `hull`, in a process of its own, with the tests' password in its environment. */
export async function hullProcess(args: readonly string[], options: RunOptions = {}): Promise<Ran> {
  const ran = await run(process.execPath, [HULL, ...args], {
    ...options,
    env: { HULL_KEY_PASSWORD: PASSWORD, ...options.env },
  });
  if (options.meanwhile === undefined) checkDocument(args, ran);
  return ran;
}

/** One run at a time: the working folder belongs to the whole process. */
let running: Promise<unknown> = Promise.resolve();

/** A terminal that remembers what it is shown, and is none: nobody is asked, and nothing is drawn over itself. */
function fakeTerminal(env: Readonly<Record<string, string | undefined>>) {
  const shown = { out: '', err: '' };
  const around: Surroundings = {
    stdout: {
      write: (text) => {
        shown.out += text;
      },
    },
    stderr: {
      write: (text) => {
        shown.err += text;
      },
    },
    stdin: {},
    env: { ...process.env, NO_COLOR: '1', FORCE_COLOR: undefined, HULL_KEY_PASSWORD: PASSWORD, ...env },
    stopSignal: () => new AbortController().signal,
    isStopping: () => false,
  };
  return { shown, around };
}

/** What `dist/cli/hull.cjs` starts, as the build bundled it: what is wrong in the bundle alone is found too. */
function builtProgram(): typeof import('../../src/cli/main.js') {
  return createRequire(import.meta.url)(join(dirname(HULL), 'program.cjs'));
}

/** Drawn icons are kept by what they are drawn from: what one test has drawn, no other draws again. */
const DRAWN = join(ROOT, 'node_modules/.cache/hull-drawn');

function shareDrawn(cwd: string): void {
  const cache = join(cwd, '.hull/cache/art');
  if (!existsSync(join(cwd, 'hull.json')) || existsSync(cache)) return;
  mkdirSync(DRAWN, { recursive: true });
  mkdirSync(dirname(cache), { recursive: true });
  symlinkSync(DRAWN, cache);
}

async function runHere(args: readonly string[], { cwd, env = {} }: RunOptions): Promise<Ran> {
  if (cwd !== undefined) shareDrawn(cwd);
  const { run: runProgram } = builtProgram();
  const { shown, around } = fakeTerminal(env);
  const before = process.cwd();
  if (cwd !== undefined) process.chdir(cwd);
  try {
    const code = await runProgram(args, around);
    return { code, signal: null, ...shown };
  } finally {
    process.chdir(before);
  }
}

/**
 * Runs the built `hull` in this process, before a terminal that remembers; with the tests' password in its
 * environment. A document of `--json` is checked against its schema.
 */
export function hull(args: readonly string[], options: RunOptions = {}): Promise<Ran> {
  if (options.meanwhile !== undefined) return hullProcess(args, options);
  const ran = running.then(() => runHere(args, options));
  running = ran.catch(() => undefined);
  return ran.then((one) => {
    checkDocument(args, one);
    return one;
  });
}
