import type { Io } from './io.js';

/** From this many files on, packing takes long enough to show how far it is. */
const FROM_FILES = 300;

export interface Progress {
  readonly update: (done: number, total: number) => void;
  readonly end: () => void;
}

/** A bar on a terminal, a line now and then elsewhere, nothing for small jobs or with `--quiet`. */
export async function fileProgress(io: Io, files: number): Promise<Progress> {
  if (files < FROM_FILES || io.quiet || io.json) return { update: () => undefined, end: () => undefined };
  if (!io.drawsProgress) {
    let quarter = 0;
    return {
      update: (done, total) => {
        const now = Math.floor((done / total) * 4);
        if (now > quarter) io.note(`packed ${done} of ${total} files`);
        quarter = now;
      },
      end: () => undefined,
    };
  }
  // A CommonJS package: bundled, all of it stands under its default export.
  const { default: progress } = await import('cli-progress');
  const { SingleBar } = progress;
  const bar = new SingleBar({
    format: 'packing {bar} {value} of {total} files',
    barCompleteChar: '━',
    barIncompleteChar: '·',
    hideCursor: true,
    clearOnComplete: true,
    stopOnComplete: false,
    fps: 12,
    stream: process.stderr,
  });
  bar.start(files, 0);
  io.signal.addEventListener('abort', () => bar.stop(), { once: true });
  return { update: (done) => bar.update(done), end: () => bar.stop() };
}
