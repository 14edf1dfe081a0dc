import type { Io } from './io.js';

/** From this many files on, packing takes long enough to show how far it is. */
const FROM_FILES = 300;

export interface Progress {
  readonly update: (done: number, total: number) => void;
  readonly end: () => void;
}

/** How far packing is. */
export function fileProgress(io: Io, files: number): Promise<Progress> {
  return countProgress(io, files, 'packing', 'files');
}

/** A bar on a terminal, a line now and then elsewhere, nothing for small jobs or with `--quiet`. */
export async function countProgress(io: Io, files: number, doing: string, what: string): Promise<Progress> {
  if (files < FROM_FILES || io.quiet || io.json) return { update: () => undefined, end: () => undefined };
  if (!io.drawsProgress) {
    const isOpen = !Number.isFinite(files);
    let told = 0;
    let quarter = 0;
    return {
      update: (done, total) => {
        // Where nobody knows how much there is to do, every hundred is worth a line.
        if (isOpen) {
          if (done >= told + FROM_FILES / 3) {
            told = done;
            io.note(`${doing} ${what}: ${done} so far`);
          }
          return;
        }
        const now = Math.floor((done / total) * 4);
        if (now > quarter) io.note(`${doing} ${what}: ${done} of ${total}`);
        quarter = now;
      },
      end: () => undefined,
    };
  }
  // A CommonJS package: bundled, all of it stands under its default export.
  const { default: progress } = await import('cli-progress');
  const { SingleBar } = progress;
  const bar = new SingleBar({
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
  bar.start(Number.isFinite(files) ? files : 1, 0);
  return {
    update: (done, total) => {
      bar.setTotal(total);
      bar.update(done);
    },
    end: () => bar.stop(),
  };
}
