import type { Command, OptionValues } from '@commander-js/extra-typings';
import { HullError } from '../../core/errors.js';
import { type HostAccess, readAuthority } from '../../core/tasks/host-access.js';
import type { SiteReading } from '../../core/tasks/read-site.js';
import type { Arguments } from '../define-command.js';
import type { Io } from '../terminal/io.js';
import { openProgress } from '../terminal/progress.js';
import { Option } from './typed.js';

/** Header fields for hosts, one a line. */
const HEADERS_VARIABLE = 'HULL_HEADERS';

const again = (value: string, earlier: readonly string[] = []): readonly string[] => [...earlier, value];

/** How hosts are reached that are not public yet, or want to be asked slowly. */
export const access = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  command
    .addOption(
      new Option(
        '--resolve <host=address:port>',
        'where to find a host that is not public yet; may be given again (HULL_RESOLVE does the same)',
      ).argParser(again),
    )
    .option('--ca <file>', 'certificate authority to trust as well, PEM (or HULL_CA)')
    .addOption(
      new Option(
        '--header <field>',
        `header field for the app’s host, as in "Cookie: session=1"; may be given again (${HEADERS_VARIABLE} does the same, a field a line)`,
      ).argParser(again),
    )
    .option('--rate <number>', 'requests a second, at most')
    .option('--timeout <seconds>', 'seconds that one answer may take (default: 15)');

/** How much of a web app is read, and how its host is reached. */
export const site = <A extends Arguments, O extends OptionValues>(command: Command<A, O>) =>
  access(
    command
      .option('--pages <number>', 'pages to read at most (default: 200 of a host, 50000 of a folder)')
      .option('--depth <number>', 'links to follow from the start page at most (default: 8)')
      .option('--ignore-robots', 'read pages that the host’s robots.txt asks not to read'),
  );

export interface AccessOptions {
  readonly resolve?: readonly string[] | undefined;
  readonly ca?: string | undefined;
  readonly header?: readonly string[] | undefined;
  readonly rate?: string | undefined;
  readonly timeout?: string | undefined;
}

export interface SiteOptions extends AccessOptions {
  readonly pages?: string | undefined;
  readonly depth?: string | undefined;
  readonly ignoreRobots?: boolean | undefined;
}

/** A number above 0, with a fraction where it has one. Throws `survey.bad-option`. */
function positive(text: string | undefined, option: string, most: number): number | undefined {
  if (text === undefined) return undefined;
  const value = /^\d{1,4}(\.\d{1,3})?$/.test(text) ? Number(text) : 0;
  if (value > 0 && value <= most) return value;
  throw new HullError('survey.bad-option', `"${text}" is not a number that ${option} takes.`, {
    location: { option },
    fix: `Give a number above 0, up to ${most}.`,
  });
}

function wholeNumber(text: string | undefined, option: string): number | undefined {
  if (text === undefined) return undefined;
  if (/^[1-9]\d{0,6}$/.test(text)) return Number(text);
  throw new HullError('survey.bad-option', `"${text}" is not a number of ${option.slice(2)}.`, {
    location: { option },
    fix: 'Give a whole number from 1 on.',
  });
}

/** Header fields of the environment and of options, the latter counting. Throws `survey.bad-option`. */
function headerFields(io: Io, given: readonly string[] | undefined): Map<string, string> {
  const fields = new Map<string, string>();
  const lines = (io.env[HEADERS_VARIABLE] ?? '').split(/\r?\n/).filter((line) => line.trim() !== '');
  for (const [index, text] of [...lines, ...(given ?? [])].entries()) {
    const match = /^\s*([!#$%&'*+.^_`|~0-9A-Za-z-]+):\s*([\t\x20-\x7e\x80-\xff]*)$/.exec(text);
    if (!match) {
      // Such fields are often secret, so it is not repeated.
      throw new HullError('survey.bad-option', 'This is not a header field.', {
        location: { option: index < lines.length ? HEADERS_VARIABLE : '--header' },
        fix: 'Write it as --header "Cookie: session=1".',
      });
    }
    fields.set((match[1] ?? '').toLowerCase(), match[2] ?? '');
  }
  return fields;
}

/** `host[:port]=address:port`, or `host:port:address`, as often as given. Throws `survey.bad-option`. */
export function resolutions(given: readonly string[] | undefined): Map<string, string> {
  const map = new Map<string, string>();
  for (const text of given ?? []) {
    const other = /^([^=:]+):(\d+):(\[[^\]]+\]|[^:=]+)$/.exec(text);
    const written = other ? `${other[1]}:${other[2]}=${other[3]}:${other[2]}` : text;
    const match = /^([^=:]+)(?::(\d+))?=(\[[^\]]+\]|[^:]+):(\d+)$/.exec(written);
    if (!match) {
      throw new HullError('survey.bad-option', `"${text}" does not say where a host is found.`, {
        location: { option: '--resolve' },
        fix: 'Write it as --resolve ferry.saltmarsh.example=127.0.0.1:8443 (port 443 unless the host has one: host:80=…)',
      });
    }
    const [, host = '', port = '443', address = '', to = ''] = match;
    map.set(`${host.toLowerCase()}:${port}`, `${address}:${to}`);
  }
  return map;
}

/** Throws `survey.bad-option`, `file.missing`. */
export function hostAccess(io: Io, options: AccessOptions): HostAccess {
  const { HULL_RESOLVE: resolve = '', HULL_CA: authority } = io.env;
  const listed = resolve.split(/[\s,]+/).filter((text) => text !== '');
  const ca = options.ca ?? (authority === '' ? undefined : authority);
  return {
    resolve: resolutions([...listed, ...(options.resolve ?? [])]),
    ...(ca === undefined ? {} : { ca: readAuthority(ca, options.ca === undefined ? 'HULL_CA' : '--ca') }),
    headers: headerFields(io, options.header),
    rate: positive(options.rate, '--rate', 100),
    timeout: positive(options.timeout, '--timeout', 600),
  };
}

/** How a web app is read. Throws `survey.bad-option`, `file.missing`. */
export const quietReading = (io: Io, options: SiteOptions): SiteReading => ({
  ...hostAccess(io, options),
  pages: wholeNumber(options.pages, '--pages'),
  depth: wholeNumber(options.depth, '--depth'),
  robots: options.ignoreRobots ? 'ignore' : 'respect',
});

/** As {@link quietReading}; shows how far it is. Close the progress after use. */
export function siteReading(io: Io, options: SiteOptions): SiteReading & { readonly end: () => void } {
  const progress = openProgress(io, { doing: 'reading', what: 'files', openWhat: 'addresses' });
  return { ...quietReading(io, options), onProgress: progress.update, end: progress.end };
}
