import type { Io } from './io.js';

/** From this many items on, work takes long enough to show how far it is. */
const FROM_ITEMS = 300;

export interface Progress {
  readonly update: (done: number, total: number) => void;
  /** Ends the bar; safe to call again. */
  readonly end: () => void;
}

export interface ProgressWords {
  /** `reading`, `packing` … */
  readonly doing: string;
  readonly what: string;
  /** What is counted where nobody knows how much there is. */
  readonly openWhat?: string;
  /** Items from which on it is shown. */
  readonly from?: number;
}

/**
 * How far work is, told as it goes on: a bar on a terminal, a line now and then elsewhere, nothing for small jobs or with
 * `--quiet`.
 */
export function openProgress(io: Io, words: ProgressWords): Progress {
  if (io.quiet || io.json) return { update: () => undefined, end: () => undefined };
  return io.drawsProgress ? drawn(words) : lines(io, words);
}

function lines(io: Io, { doing, what, openWhat = what, from = FROM_ITEMS }: ProgressWords): Progress {
  let told = 0;
  let quarter = 0;
  return {
    update: (done, total) => {
      if (!Number.isFinite(total)) {
        // Where nobody knows how much there is to do, every hundred is worth a line.
        if (done < told + FROM_ITEMS / 3) return;
        told = done;
        io.note(`${doing} ${openWhat}: ${done} so far`);
        return;
      }
      if (total < from) return;
      const now = Math.floor((done / total) * 4);
      if (now > quarter) io.note(`${doing} ${what}: ${done} of ${total}`);
      quarter = now;
    },
    end: () => undefined,
  };
}

interface Bar {
  setTotal(total: number): void;
  update(value: number): void;
  stop(): void;
}

async function openBar(doing: string, what: string): Promise<Bar> {
  // A CommonJS package: bundled, all of it is in its default export.
  const { default: progress } = await import('cli-progress');
  const bar = new progress.SingleBar({
    format: `${doing} {bar} {value} of {total} ${what}`,
    barCompleteChar: '━',
    barIncompleteChar: '·',
    // A program that is ended at once could not show it again.
    hideCursor: false,
    clearOnComplete: true,
    stopOnComplete: false,
    fps: 12,
    stream: process.stderr,
  });
  bar.start(1, 0);
  return bar;
}

function drawn({ doing, what, openWhat = what, from = FROM_ITEMS }: ProgressWords): Progress {
  let bar: Bar | 'coming' | 'ended' | undefined;
  let latest = { done: 0, total: 1 };
  const draw = () => {
    if (typeof bar !== 'object') return;
    bar.setTotal(latest.total);
    bar.update(latest.done);
  };
  return {
    update: (done, total) => {
      latest = { done, total: Number.isFinite(total) ? total : done };
      if (bar !== undefined) {
        draw();
        return;
      }
      if (Number.isFinite(total) && total < from) return;
      bar = 'coming';
      void openBar(doing, Number.isFinite(total) ? what : openWhat).then((opened) => {
        if (bar === 'ended') opened.stop();
        else bar = opened;
        draw();
      });
    },
    end: () => {
      if (typeof bar === 'object') bar.stop();
      bar = 'ended';
    },
  };
}
