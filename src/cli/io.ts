import pc from 'picocolors';
import { safeJson } from './format.js';

/** What a command may know of its surroundings. */
export interface Io {
  /** Results. With `--json` only one document goes here. */
  out(text: string): void;
  /** Notes and progress, on standard error; silent with `--quiet`. */
  note(text: string): void;
  readonly json: boolean;
  readonly quiet: boolean;
  readonly verbose: boolean;
  /** Whether questions may be asked. */
  readonly interactive: boolean;
  /** Whether progress can be drawn over itself. */
  readonly drawsProgress: boolean;
  readonly paint: Paint;
  readonly env: NodeJS.ProcessEnv;
  /** Told when the user stops the program; from the first time it is asked for, Ctrl-C waits for what is under way. */
  readonly signal: AbortSignal;
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
  readonly project?: string;
  readonly json?: boolean;
  readonly quiet?: boolean;
  readonly verbose?: boolean;
  readonly color?: boolean;
  readonly yes?: boolean;
}

function paintFor(color: boolean): Paint {
  const c = pc.createColors(color);
  return { bold: c.bold, dim: c.dim, good: c.green, bad: c.red, warn: c.yellow, name: c.cyan };
}

export function makeIo(options: CommonOptions, stopSignal: () => AbortSignal): Io {
  const { env } = process;
  const noColor = options.color === false || (env.NO_COLOR !== undefined && env.NO_COLOR !== '');
  const json = options.json ?? false;
  const quiet = options.quiet ?? false;
  return {
    out: (text) => void process.stdout.write(`${text}\n`),
    note: (text) => {
      if (!quiet) process.stderr.write(`${text}\n`);
    },
    json,
    quiet,
    verbose: options.verbose ?? false,
    interactive:
      process.stdin.isTTY === true && process.stderr.isTTY === true && !json && options.yes !== true,
    drawsProgress: process.stderr.isTTY === true && !quiet && !json,
    paint: paintFor(!noColor && !json && (process.stdout.isTTY === true || env.FORCE_COLOR !== undefined)),
    env,
    get signal() {
      return stopSignal();
    },
  };
}

/** One JSON document, the only thing on standard output. */
export function outJson(io: Io, value: unknown): void {
  io.out(safeJson(value));
}
