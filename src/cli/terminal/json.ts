import { isAbsolute, relative, resolve, sep } from 'node:path';
import type { Location } from '../../core/errors.js';
import type { Finding } from '../../core/finding.js';
import type { Outputs } from '../outputs.js';
import { safeJson } from './format.js';
import type { Io } from './io.js';
import { fixText, optionName } from './say-task.js';

/** A location as documents have it: its file relative to the project. */
export type JsonLocation = Location;

/** A finding as documents have it. */
export interface JsonFinding {
  readonly code: string;
  readonly severity: Finding['severity'];
  readonly location: JsonLocation;
  readonly observed: string;
  readonly impact: string;
  /** What to change, with commands written out. */
  readonly fix: string;
  /** How many more locations have the same. */
  readonly more: number;
}

/** A path as documents have it: relative to the project's folder, with `/`; as it is where it has nothing to do with disk. */
export function jsonPath(io: Io, file: string): string {
  const path = relative(io.projectDir, resolve(file));
  return path === '' ? '.' : isAbsolute(path) ? path : path.split(sep).join('/');
}

export function jsonLocation(io: Io, location: Location): JsonLocation {
  const { file, option } = location;
  return {
    ...location,
    ...(file === undefined || /^https?:\/\//.test(file) ? {} : { file: jsonPath(io, file) }),
    ...(option === undefined ? {} : { option: optionName(option) }),
  };
}

export const jsonFinding = (io: Io, finding: Finding): JsonFinding => ({
  code: finding.code,
  severity: finding.severity,
  location: jsonLocation(io, finding.location),
  observed: finding.observed,
  impact: finding.impact,
  fix: fixText(finding.fix),
  more: finding.more ?? 0,
});

export const jsonFindings = (io: Io, findings: readonly Finding[]): JsonFinding[] =>
  findings.map((finding) => jsonFinding(io, finding));

/** Version of the documents: it rises where a member changes its meaning or goes away. */
const FORMAT = 1;

/**
 * Prints the one document of a command, in the envelope that every command has.
 *
 * @param ok whether the command exits with 0
 */
export function emit<C extends keyof Outputs>(io: Io, command: C, value: Outputs[C], ok = true): void {
  io.out(safeJson({ format: FORMAT, command, ok, ...value }));
}

interface ShownError {
  readonly code: string;
  readonly message: string;
  readonly location?: Location | undefined;
  /** With commands written out. */
  readonly fix?: string | undefined;
}

/** An error as documents have it. */
export const jsonError = (io: Io, { code, message, location, fix }: ShownError) => ({
  code,
  message,
  location: location ? jsonLocation(io, location) : null,
  fix: fix ?? null,
});

/** The envelope of an error. */
export function emitError(io: Io, error: ShownError): void {
  io.out(safeJson({ format: FORMAT, command: io.command, ok: false, error: jsonError(io, error) }));
}
