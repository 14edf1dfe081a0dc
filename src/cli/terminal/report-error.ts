import { type ErrorCode, HullError } from '../../core/errors.js';
import { VERSION } from '../../core/util/version.js';
import { labelled, safe, wrap } from './format.js';
import type { Io } from './io.js';
import { emitError } from './json.js';
import { fixText, locationText } from './say-task.js';

const INTERNAL_EXIT = 70;

/** What the command line has for an error that the library knows nothing of: its options and variables. */
const HINTS: Partial<Record<ErrorCode, string>> = {
  'config.missing': 'Another folder is named with --project <dir>.',
  'disk.exists': 'Another name is given with --out.',
  'disk.full': 'Another folder is named with --out.',
  'domains.bad-option': 'See --live, --from <file> and --from-site.',
  'domains.not-named': 'Or pack anyway: --skip-origin-check',
  'keys.none': 'A key of hull.json is chosen with --key <name>.',
  'keys.no-certificate': 'Its file is named with --certificate <file>.',
  'keys.wrong-key-password': 'It is given with --key-password-file <file>, or at the prompt.',
  'keys.wrong-password': 'It comes from HULL_KEY_PASSWORD, --password-file <file> or the prompt.',
  'net.tls': 'An authority is named with --ca <file>.',
  'provenance.missing': 'Record with hull pack apk --record; name a file with --provenance <file>.',
  'project.exists': 'Another folder is named with --out.',
  'project.folder-not-empty': 'Another folder is named with --out.',
};

/** The fix of an error in words of the command line, of one or two lines. */
export function fixOf({ code, fix }: HullError): string | undefined {
  const parts = [fix === undefined ? undefined : fixText(fix), HINTS[code]].filter(
    (one) => one !== undefined,
  );
  // A command at the end of the first is copied as it is.
  return parts.length === 0 ? undefined : parts.join('\n');
}

/** Shows an error and gives the exit code for it. */
export function reportError(error: unknown, io: Io): number {
  if (!(error instanceof HullError)) return reportInternal(error, io);
  const fix = fixOf(error);
  const { code, message, location } = error;
  if (io.json) emitError(io, { code, message, location, ...(fix === undefined ? {} : { fix }) });
  const { paint } = io;
  const lines = [`${paint.bad('error')} ${paint.bold(code)}`, `  ${wrap(safe(message), io.width - 2, '  ')}`];
  const where = location === undefined ? '' : locationText(location);
  if (where !== '') lines.push(`  ${paint.dim('at ')} ${safe(where)}`);
  if (fix !== undefined) {
    const text = fix.split('\n').map(safe).join('\n');
    lines.push(labelled(paint.dim('fix'), text, io.width, '  '));
  }
  if (error.exitCode === INTERNAL_EXIT || io.verbose) lines.push(stackOf(error));
  io.complain(lines.join('\n'));
  return error.exitCode;
}

function reportInternal(error: unknown, io: Io): number {
  if (io.json) emitError(io, { code: 'internal', message: String(error) });
  io.complain(
    [
      `${io.paint.bad('error')} internal error (please report it)`,
      stackOf(error),
      `  hull ${VERSION} on Node.js ${process.version}, ${process.platform} ${process.arch}`,
      '  Please report these lines with the command that led to them.',
    ].join('\n'),
  );
  return INTERNAL_EXIT;
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
