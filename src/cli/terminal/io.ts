import { resolve } from 'node:path';
import type { Command } from 'commander';
import pc from 'picocolors';

/** Columns of prose at most, however wide the terminal is. */
const WIDEST = 100;
const NARROWEST = 40;

/** What a command may know of its surroundings. */
export interface Io {
  /** Results. With `--json` only one document goes here. */
  out(text: string): void;
  /** Notes and progress, on standard error; silent with `--quiet`. */
  note(text: string): void;
  /** Warnings and errors, on standard error, whatever was said about notes. */
  complain(text: string): void;
  /** Words of the command that runs, as in `keys new`. */
  readonly command: string;
  /** Folder of `hull.json`, absolute. */
  readonly projectDir: string;
  readonly json: boolean;
  readonly quiet: boolean;
  readonly verbose: boolean;
  /** Whether questions may be asked. */
  readonly interactive: boolean;
  /** Whether progress can be drawn over itself. */
  readonly drawsProgress: boolean;
  /** Columns that prose may take. */
  readonly width: number;
  readonly paint: Paint;
  /** For files: no colours. */
  readonly plain: Paint;
  readonly env: NodeJS.ProcessEnv;
  /** Told when the user stops the program; from the first time it is asked for, Ctrl-C waits for what is under way. */
  readonly signal: AbortSignal;
  /** The whole command line as declared. */
  readonly program: Command;
}

export interface Paint {
  bold(text: string): string;
  dim(text: string): string;
  good(text: string): string;
  bad(text: string): string;
  warn(text: string): string;
  name(text: string): string;
}

/** Options that every command takes. */
export interface CommonOptions {
  readonly project?: string | undefined;
  readonly json?: boolean | undefined;
  readonly quiet?: boolean | undefined;
  readonly verbose?: boolean | undefined;
  readonly color?: boolean | undefined;
  readonly yes?: boolean | undefined;
}

/** Where a program's words go and its answers come from; tests give one of their own. */
export interface Surroundings {
  readonly stdout: { write(text: string): unknown; readonly isTTY?: boolean; readonly columns?: number };
  readonly stderr: { write(text: string): unknown; readonly isTTY?: boolean };
  readonly stdin: { readonly isTTY?: boolean };
  readonly env: NodeJS.ProcessEnv;
  readonly stopSignal: () => AbortSignal;
  /** Whether the user has stopped the program: what fails then is not reported. */
  readonly isStopping: () => boolean;
  /** Told the words of a command before it runs. */
  readonly onCommand?: (words: string) => void;
}

function paintFor(color: boolean): Paint {
  const c = pc.createColors(color);
  return { bold: c.bold, dim: c.dim, good: c.green, bad: c.red, warn: c.yellow, name: c.cyan };
}

export function makeIo(command: string, options: CommonOptions, around: Surroundings, program: Command): Io {
  const { stdout, stderr, env, stopSignal } = around;
  const noColor = options.color === false || (env.NO_COLOR !== undefined && env.NO_COLOR !== '');
  const json = options.json ?? false;
  const quiet = options.quiet ?? false;
  const columns = stdout.columns ?? (Number(env.COLUMNS) || WIDEST);
  return {
    out: (text) => void stdout.write(`${text}\n`),
    note: (text) => {
      if (!quiet) stderr.write(`${text}\n`);
    },
    complain: (text) => void stderr.write(`${text}\n`),
    command,
    projectDir: resolve(options.project ?? '.'),
    json,
    quiet,
    verbose: options.verbose ?? false,
    interactive: !json && options.yes !== true && stderr.isTTY === true && around.stdin.isTTY === true,
    drawsProgress: stderr.isTTY === true && !quiet && !json,
    width: Math.max(NARROWEST, Math.min(WIDEST, columns)),
    paint: paintFor(!noColor && !json && (stdout.isTTY === true || env.FORCE_COLOR !== undefined)),
    plain: paintFor(false),
    env,
    get signal() {
      return stopSignal();
    },
    program,
  };
}
