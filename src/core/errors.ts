/**
 * Every way in which Jolly Hull refuses, with the exit code of each. `docs/errors.md` explains each code, and a
 * test holds the two lists equal.
 *
 * Exit codes: 1 a check found something, 2 wrong usage, configuration or input, 3 something outside failed
 * (network, device, store, disk), 70 an internal error.
 */
export const ERROR_CODES = {
  'app.bad-id': 2,
  'app.bad-language': 2,
  'app.bad-version': 2,
  'apk.readback': 70,
  'apple.no-identity': 2,
  'apple.no-profile': 2,
  'art.icon-missing': 2,
  'art.icon-too-large': 2,
  'art.icon-too-small': 2,
  'art.icon-unreadable': 2,
  'art.source-is-output': 2,
  'axml.malformed': 2,
  'begin.build-cache': 2,
  'begin.config-exists': 2,
  'begin.missing-value': 2,
  'begin.other-site': 2,
  'browser.failed': 3,
  'bundle.malformed': 2,
  'browser.missing': 2,
  'browser.no-driver': 2,
  'catalog.faulty': 2,
  'catalog.final': 2,
  'catalog.malformed': 2,
  'catalog.other-item': 2,
  'catalog.price-refused': 2,
  'cli.cancelled': 2,
  'cli.missing-answer': 2,
  'cli.usage': 2,
  'config.bad-pattern': 2,
  'config.bad-value': 2,
  'config.missing': 2,
  'config.other-version': 2,
  'config.syntax': 2,
  'config.unknown-key': 2,
  'demo.folder-not-empty': 2,
  'device.damaged': 2,
  'device.gone': 3,
  'device.no-bridge': 3,
  'device.no-usbmuxd': 3,
  'device.none': 3,
  'device.offline': 3,
  'device.port-taken': 2,
  'device.protocol': 3,
  'device.refused': 3,
  'device.several': 2,
  'device.silent': 3,
  'device.unauthorized': 3,
  'device.unknown': 2,
  'disk.exists': 2,
  'disk.full': 3,
  'disk.io': 3,
  'disk.read-only': 3,
  'domains.bad-option': 2,
  'domains.bad-url': 2,
  'domains.live-unreadable': 3,
  'domains.foreign-document': 2,
  'domains.none': 2,
  'domains.not-json': 2,
  'domains.not-named': 2,
  'domains.one-document': 2,
  'domains.too-large': 2,
  'file.missing': 2,
  'fleet.bad-table': 2,
  'fleet.malformed': 2,
  'fleet.missing': 2,
  'fleet.no-brand': 2,
  'fleet.no-group': 2,
  'fleet.no-revision': 2,
  'fleet.shared-file': 2,
  'file.bad-path': 2,
  'file.locked': 3,
  'file.not-regular': 2,
  'file.over-budget': 2,
  'file.too-large': 2,
  'git-index.malformed': 2,
  'ico.malformed': 2,
  'install.incomplete': 70,
  'keys.bad-certificate': 2,
  'keys.bad-capability': 2,
  'keys.bad-name': 2,
  'keys.bad-since': 2,
  'keys.bad-subject': 2,
  'keys.damaged': 2,
  'keys.exists': 2,
  'keys.in-web-folder': 2,
  'keys.no-alias': 2,
  'keys.no-certificate': 2,
  'keys.no-issuer': 2,
  'keys.no-lineage': 2,
  'keys.no-request': 2,
  'keys.none': 2,
  'keys.password-missing': 2,
  'keys.password-unfit': 2,
  'keys.public-only': 2,
  'keys.unsupported': 2,
  'keys.wrong-key-password': 2,
  'keys.wrong-old-password': 2,
  'keys.wrong-password': 2,
  'ipa.malformed': 2,
  'ipa.readback': 70,
  'listing.malformed': 2,
  'links.bad-host': 2,
  'links.bad-path': 2,
  'links.matches-nothing': 2,
  'macho.malformed': 2,
  'manifest.not-json': 2,
  'manifest.too-large': 2,
  'manifest.wrong-type': 2,
  'net.http-status': 3,
  'net.not-html': 2,
  'net.private-address': 2,
  'net.redirect-loop': 3,
  'net.timeout': 3,
  'net.tls': 3,
  'net.too-large': 3,
  'net.unreachable': 3,
  'pack.no-shop': 2,
  'package.unknown': 2,
  'permission.no-reason': 2,
  'permission.unknown': 2,
  'permission.contradiction': 2,
  'plist.malformed': 2,
  'profile.malformed': 2,
  'project.exists': 2,
  'project.folder-not-empty': 2,
  'project.not-exported': 2,
  'provenance.malformed': 2,
  'provenance.missing': 2,
  'record.malformed': 2,
  'release.bad-notes': 2,
  'release.bad-share': 2,
  'release.bad-track': 2,
  'release.build-used': 2,
  'release.no-package': 2,
  'release.not-sent': 2,
  'release.wrong-package': 2,
  'resources.malformed': 2,
  'signing.lineage': 2,
  'signing.malformed': 2,
  'signing.unsupported': 2,
  'serve.port-taken': 2,
  'store.account-in-project': 2,
  'store.account-refused': 3,
  'store.bad-account': 2,
  'store.bad-address': 2,
  'store.clock': 3,
  'store.no-account': 2,
  'store.not-json': 3,
  'store.processing': 3,
  'store.refused': 3,
  'store.unreachable': 3,
  'store.upload-damaged': 3,
  'try.bad-steps': 2,
  'try.no-pages': 2,
  'try.not-in-engine': 2,
  'try.other-app': 2,
  'string-pool.malformed': 2,
  'survey.bad-baseline': 2,
  'survey.bad-option': 2,
  'survey.bad-target': 2,
  'survey.no-rule': 2,
  'tags.marks': 2,
  'tags.no-head': 2,
  'tags.no-pages': 2,
  'version.goes-back': 2,
  'watch.no-page': 3,
  'web.case-clash': 2,
  'web.changed-while-packing': 3,
  'web.entry-outside': 2,
  'web.holds-project': 2,
  'web.link-outside': 2,
  'web.link-loop': 2,
  'web.no-folder': 2,
  'web.no-index': 2,
  'web.server-side': 2,
  'web.start-missing': 2,
  'web.start-outside': 2,
  'web.unreadable-name': 2,
  'zip.duplicate': 2,
  'zip.limit': 2,
  'zip.malformed': 2,
  'zip.path': 2,
} as const satisfies Record<string, 1 | 2 | 3 | 70>;

export type ErrorCode = keyof typeof ERROR_CODES;
export type ExitCode = 1 | 2 | 3 | 70;

/** Where an error was seen: the parts that apply, each as a user can find it again. */
export interface Location {
  /** A file's path, as the user gave it or relative to the project. */
  readonly file?: string;
  /** 1-based line in `file`, or in what `url` answered. */
  readonly line?: number;
  /** 1-based column in `line`, in UTF-16 units. */
  readonly column?: number;
  /** A JSON pointer (RFC 6901) inside `file`. */
  readonly pointer?: string;
  readonly url?: string;
  /** An entry's path inside the package `file`. */
  readonly entry?: string;
  /** Byte offset inside the file or entry. */
  readonly offset?: number;
  /** A command-line option or an environment variable. */
  readonly option?: string;
}

/** What a user can ask for, by the name of its function in `core/tasks`. */
export type TaskName =
  | 'beginProject'
  | 'surveyProject'
  | 'surveyInWebKit'
  | 'explainRules'
  | 'makeArt'
  | 'writeTags'
  | 'createKey'
  | 'importKey'
  | 'requestCertificate'
  | 'showKey'
  | 'checkKeys'
  | 'rotateKey'
  | 'writeDomains'
  | 'verifyDomains'
  | 'explainLinks'
  | 'packProject'
  | 'packFromBundle'
  | 'packForInspection'
  | 'packSourceProject'
  | 'inspectPackage'
  | 'setVersion'
  | 'refitProject'
  | 'startDevice'
  | 'startAppleDevice'
  | 'makeTeam'
  | 'proposeListing'
  | 'checkRelease'
  | 'sendRelease'
  | 'releaseStatus'
  | 'checkCatalog'
  | 'sendCatalog'
  | 'startStore';

/** A task as part of a fix: the command line shows it as a command, a library user calls the function. */
export interface Task {
  readonly task: TaskName;
  /** What it is given, in order: a name, a file, an address. */
  readonly args: readonly string[];
}

/** What to change, in the imperative: prose, lines to paste, and tasks that do it. */
export type Fix = string | readonly (string | Task)[];

export const task = (name: TaskName, ...args: readonly string[]): Task => ({ task: name, args });

/** A fix that names tasks: `` withTasks`Make one: ${task('createKey')}` ``. */
export function withTasks(texts: TemplateStringsArray, ...values: readonly (string | Task)[]): Fix {
  return texts
    .flatMap((text, index) => [text, ...(index < values.length ? [values[index] as string | Task] : [])])
    .filter((part) => part !== '');
}

/** The parts of a fix, to put others behind them. */
export const fixParts = (fix: Fix): readonly (string | Task)[] => (typeof fix === 'string' ? [fix] : fix);

/** How a task is written in a text: as a command line, or as the call of its function. */
export type SayTask = (task: Task) => string;

/** A fix as text. @param say how a task is written; by default as the call of its function */
export function formatFix(fix: Fix, say: SayTask = callOf): string {
  if (typeof fix === 'string') return fix;
  return fix.map((part) => (typeof part === 'string' ? part : say(part))).join('');
}

const callOf = ({ task: name, args }: Task) => `${name}(${args.join(', ')})`;

export interface HullErrorDetails {
  readonly location?: Location;
  readonly fix?: Fix;
  readonly cause?: unknown;
}

/** The one error class: a stable dotted `code`, a message, the place and the remedy. */
export class HullError extends Error {
  readonly code: ErrorCode;
  readonly location: Location | undefined;
  readonly fix: Fix | undefined;

  constructor(code: ErrorCode, message: string, details: HullErrorDetails = {}) {
    super(message, details.cause === undefined ? undefined : { cause: details.cause });
    this.name = 'HullError';
    this.code = code;
    this.location = details.location;
    this.fix = details.fix;
  }

  get exitCode(): ExitCode {
    return ERROR_CODES[this.code];
  }

  /** The same error with a place filled in where it had none of that kind (a reader knows the offset, its caller the file). */
  at(location: Location): HullError {
    const merged = new HullError(this.code, this.message, {
      location: { ...location, ...this.location },
      ...(this.fix === undefined ? {} : { fix: this.fix }),
      cause: this.cause ?? this,
    });
    return merged;
  }
}

/** A place as one line of text: `file:line:column`, `file#/pointer`, `package!entry +0x10`, a URL or an option. */
export function formatLocation(location: Location): string {
  const parts: string[] = [];
  if (location.file !== undefined) {
    let text = location.file;
    if (location.line !== undefined) text += `:${location.line}`;
    if (location.line !== undefined && location.column !== undefined) text += `:${location.column}`;
    if (location.entry !== undefined) text += `!${location.entry}`;
    parts.push(text);
  } else if (location.url !== undefined && location.line !== undefined) {
    parts.push(
      `${location.url}:${location.line}${location.column === undefined ? '' : `:${location.column}`}`,
    );
  } else if (location.entry !== undefined) parts.push(location.entry);
  if (location.pointer !== undefined) parts.push(location.pointer === '' ? '(top level)' : location.pointer);
  if (location.url !== undefined && (location.line === undefined || location.file !== undefined))
    parts.push(location.url);
  if (location.option !== undefined) parts.push(location.option);
  if (location.offset !== undefined) parts.push(`at byte ${location.offset}`);
  return parts.join(' ');
}

/** The system error code (`ENOENT`, …) of an unknown thrown value, if it has one. */
export function systemErrorCode(error: unknown): string | undefined {
  if (error instanceof Error && 'code' in error && typeof error.code === 'string') return error.code;
  return undefined;
}

/**
 * A file-system error as a {@link HullError}: a missing file is the caller's input, a full or read-only disk is
 * something outside. Any other error is returned as it is.
 */
export function fromSystemError(error: unknown, file: string): unknown {
  if (error instanceof HullError) return error;
  const details = (fix: string): HullErrorDetails => ({ location: { file }, fix, cause: error });
  switch (systemErrorCode(error)) {
    case 'ENOENT':
    case 'ENOTDIR':
      return new HullError(
        'file.missing',
        'There is no such file or folder.',
        details('Check the path and its spelling.'),
      );
    case 'ENOSPC':
    case 'EDQUOT':
    case 'EFBIG':
      return new HullError(
        'disk.full',
        'The disk is full. No partial files were left.',
        details('Free some space or choose another folder, then try again.'),
      );
    case 'EROFS':
    case 'EACCES':
    case 'EPERM':
      return new HullError(
        'disk.read-only',
        'Permission denied.',
        details('Check the permissions of the file and its folder, or choose another folder.'),
      );
    case 'ERR_INVALID_ARG_VALUE':
      return new HullError(
        'file.bad-path',
        'The path has a character that no path may have (NUL).',
        details('Write the path without it.'),
      );
    case 'EIO':
    case 'ENXIO':
    case 'ENODEV':
    case 'EMFILE':
    case 'ENFILE':
    case 'EISDIR':
    case 'ENOTEMPTY':
    case 'ENAMETOOLONG':
      return new HullError(
        'disk.io',
        `The system refused: ${(error as Error).message}.`,
        details('Look at the file named here, then try again.'),
      );
    default:
      return error;
  }
}
