import { isAbsolute, relative } from 'node:path';
import { formatPlace, HullError, type Place } from '../core/errors.js';
import { safe, wrap } from './format.js';
import type { Io } from './io.js';
import { outJson } from './io.js';
import { VERSION } from './version.js';

const WIDTH = 92;
const FAULT_EXIT = 70;

/** Shows an error and gives the exit code for it. */
export function reportError(error: unknown, io: Io): number {
  if (error instanceof HullError) {
    if (io.json) {
      outJson(io, {
        error: {
          code: error.code,
          message: error.message,
          place: error.place ?? null,
          remedy: error.remedy ?? null,
        },
      });
    }
    const { paint } = io;
    const lines = [
      `${paint.bad('error')} ${paint.bold(error.code)}`,
      `  ${wrap(safe(error.message), WIDTH, '  ')}`,
    ];
    const place = error.place === undefined ? '' : formatPlace(nearby(error.place));
    if (place !== '') lines.push(`  ${paint.dim('at ')} ${safe(place)}`);
    if (error.remedy !== undefined) {
      const remedy = error.remedy.split('\n').map(safe).join('\n');
      lines.push(`  ${paint.dim('fix')} ${wrap(remedy, WIDTH - 4, '      ')}`);
    }
    if (error.exitCode === FAULT_EXIT || io.verbose) lines.push(stackOf(error));
    process.stderr.write(`${lines.join('\n')}\n`);
    return error.exitCode;
  }
  if (io.json) {
    outJson(io, { error: { code: 'internal', message: String(error), place: null, remedy: null } });
  }
  process.stderr.write(
    [
      `${io.paint.bad('error')} internal error (please report it)`,
      stackOf(error),
      `  hull ${VERSION} on Node.js ${process.version}, ${process.platform} ${process.arch}`,
      '  Please report these lines with the command that led to them.\n',
    ].join('\n'),
  );
  return FAULT_EXIT;
}

/** A place with a file below the working folder told from there. */
function nearby(place: Place): Place {
  if (place.file === undefined || !isAbsolute(place.file)) return place;
  const path = relative(process.cwd(), place.file);
  return path === '' || path.startsWith('..') ? place : { ...place, file: path };
}

function stackOf(error: unknown): string {
  const parts: string[] = [];
  for (let item: unknown = error; item !== undefined && item !== null; ) {
    parts.push(item instanceof Error ? (item.stack ?? item.message) : String(item));
    item = item instanceof Error ? item.cause : undefined;
  }
  return parts
    .join('\ncaused by ')
    .split('\n')
    .map((line) => `  ${safe(line)}`)
    .join('\n');
}
