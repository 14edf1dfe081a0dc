import { HullError } from '../errors.js';
import type { Finding } from '../finding.js';
import { asText, isObject, type JsonObject } from '../util/json-object.js';

/** One finding of an earlier report. */
export interface BaselineEntry {
  readonly code: string;
  /** File or address, as the report names it. */
  readonly place: string;
  readonly observed: string;
}

const membersOf = (value: unknown): JsonObject => (isObject(value) ? value : {});

/** An earlier report, as far as a new one is compared with it. */
export interface Baseline {
  readonly findings: readonly BaselineEntry[];
  /** Its whole document. */
  readonly document: unknown;
}

/**
 * An earlier report, by its JSON document.
 *
 * @param file for errors
 * @throws HullError `survey.bad-baseline`
 */
export function readBaseline(file: string, report: string): Baseline {
  let value: unknown;
  try {
    value = JSON.parse(report);
  } catch {
    value = undefined; // said below, in words of its own
  }
  const { command, findings } = membersOf(value);
  if (command !== 'survey' || !Array.isArray(findings)) {
    throw new HullError('survey.bad-baseline', 'This is not a report of a survey.', {
      location: { file },
      fix: 'Give the JSON document of an earlier survey.',
    });
  }
  const entries = findings.map((item) => {
    const { code, location, observed } = membersOf(item);
    const { file: path, url } = membersOf(location);
    return { code: asText(code), place: asText(path) || asText(url), observed: asText(observed) };
  });
  return { findings: entries, document: value };
}

/**
 * Findings that an earlier report has not. Lines do not count, since they move with every edit: as many findings of one rule,
 * file and text are known as the report has.
 *
 * @param placeOf file or address of a finding, as the report names it
 */
export function newFindings(
  findings: readonly Finding[],
  baseline: readonly BaselineEntry[],
  placeOf: (finding: Finding) => string,
): Finding[] {
  const key = ({ code, place, observed }: BaselineEntry) => JSON.stringify([code, place, observed]);
  const left = new Map<string, number>();
  for (const entry of baseline) left.set(key(entry), (left.get(key(entry)) ?? 0) + 1);
  return findings.filter((finding) => {
    const { code, observed } = finding;
    const own = key({ code, place: placeOf(finding), observed });
    const count = left.get(own) ?? 0;
    if (count > 0) left.set(own, count - 1);
    return count === 0;
  });
}
