import { proposeListing, type WrittenListing } from '../../core/tasks/project-listing.js';
import type { OptionsOf } from '../define-command.js';
import { siteReading } from '../options/site.js';
import { labelled, safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';
import { emit, jsonPath } from '../terminal/json.js';
import type { declare } from './release-listing.js';

export async function run(io: Io, options: OptionsOf<typeof declare>): Promise<void> {
  const { end, ...reading } = siteReading(io, options);
  const written = await proposeListing({ ...reading, project: options.project }).finally(end);
  if (io.json) {
    emit(io, 'release listing', {
      folder: jsonPath(io, written.folder),
      written: written.written.map(({ file, origin }) => ({ file: jsonPath(io, file), origin })),
      kept: written.kept.map((file) => jsonPath(io, file)),
      notes: written.notes,
    });
    return;
  }
  showListing(io, written);
  io.note(`${io.paint.dim('next')} edit it, then hull release check`);
}

/** What was written, and what was there already. */
function showListing(io: Io, { written, kept, notes }: WrittenListing): void {
  const { paint } = io;
  for (const { file, origin } of written)
    io.out(`${paint.good('written')} ${safe(file)}  ${paint.dim(`from ${safe(origin)}`)}`);
  for (const file of kept) io.out(`${paint.dim('kept')} ${safe(file)}`);
  for (const note of notes) io.note(labelled(paint.warn('note'), safe(note), io.width));
}
