import { resolve } from 'node:path';
import { HullError } from '../../core/errors.js';
import { replaceFile } from '../../core/util/files.js';
import { safe } from '../terminal/format.js';
import type { Io } from '../terminal/io.js';

/**
 * In which form a report is made: one rule for every command.
 *
 * `--json` prints the command's document on standard output, always. `--format` says in which form the report itself is
 * made: text by default, or the same document with `--json`. With `--out` the report goes into a file, and standard output
 * says so, or has the document with `--json`. Two forms cannot both go to standard output.
 *
 * @throws HullError `cli.usage`
 */
export function reportForm<F extends string>(
  io: Io,
  { format, out }: { readonly format?: F | undefined; readonly out?: string | undefined },
): F | 'text' | 'json' {
  if (io.json && format !== undefined && format !== 'json' && out === undefined) {
    throw new HullError('cli.usage', `--json and --format ${format} would both go to standard output.`, {
      location: { option: '--format' },
      fix: 'Leave one of them out, or write the report into a file with --out.',
    });
  }
  if (format === undefined) return io.json ? 'json' : 'text';
  return format;
}

/** Writes what a report prints into a file, without colours, and says so. Throws `disk.*`. */
export async function writeReport(io: Io, file: string, report: (inner: Io) => void): Promise<void> {
  const parts: string[] = [];
  report({ ...io, paint: io.plain, out: (text) => void parts.push(text) });
  await replaceFile(resolve(file), new TextEncoder().encode(`${parts.join('\n')}\n`));
  if (!io.json) io.out(`${io.paint.bold(safe(file))} written`);
}
