import { HullError } from '../core/errors.js';
import { run } from './program.js';

export { run };

/** Milliseconds that what is under way has for cleaning up after itself, also on a busy machine; a second Ctrl-C ends it at once. */
const GRACE = 3000;

const stop = new AbortController();
let isListening = false;

/**
 * Ctrl-C: what is under way cleans up after itself, then the program ends as the signal would have ended it.
 *
 * The program listens only from the moment that somebody asks for this signal: until then there is nothing to clean up, and
 * the system ends it at once, also while a large file is being parsed and nothing could be heard.
 */
function stopSignal(): AbortSignal {
  if (!isListening) listenForStop();
  isListening = true;
  return stop.signal;
}

function listenForStop(): void {
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.once(signal, () => {
      stop.abort(new HullError('cli.cancelled', 'Cancelled.'));
      process.stderr.write('\nCancelled. No partial files were left.\n');
      // Give a write under way the moment that it needs to take its temporary file away.
      const end = () => process.kill(process.pid, signal);
      setTimeout(end, GRACE).unref();
      process.once('beforeExit', end);
    });
  }
}

/**
 * A reader such as `head` may close the pipe before everything is said; that is its right, and no fault. A full disk below the
 * output is one.
 */
function watchOutput(): void {
  process.stdout.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code === 'EPIPE') process.exit();
    const [code, why] =
      error.code === 'ENOSPC'
        ? (['disk.full', 'the disk is full'] as const)
        : (['disk.io', error.message] as const);
    process.stderr.write(`error ${code}\n  The output could not be written: ${why}.\n`);
    process.exit(new HullError(code, why, { fix: '' }).exitCode);
  });
  // There is nowhere left to say that nothing can be said.
  process.stderr.on('error', () => undefined);
}

/**
 * Runs the program with the process's own terminal.
 *
 * @param onCommand told the words of a command before it runs
 */
export async function main(args: readonly string[], onCommand?: (words: string) => void): Promise<void> {
  watchOutput();
  const { stdout, stderr, env } = process;
  const code = await run(args, {
    stdout,
    stderr,
    // Asked for by few commands, and made when it is.
    get stdin() {
      return process.stdin;
    },
    env,
    ...(onCommand ? { onCommand } : {}),
    stopSignal,
    isStopping: () => stop.signal.aborted,
  });
  if (code !== 0) process.exitCode = code;
}
