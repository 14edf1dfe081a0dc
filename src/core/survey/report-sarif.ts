import { isAbsolute, relative, sep } from 'node:path';
import { pathToFileURL } from 'node:url';
import type { Invocation, Log, Result, Location as SarifLocation } from 'sarif';
import { formatFix, type Location, type SayTask } from '../errors.js';
import type { Finding, Severity } from '../finding.js';
import { FAMILIES, familyOf } from './rule.js';
import { RULES } from './rules/all.js';
import type { SurveyReport } from './survey.js';

/** Levels of SARIF 2.1.0, section 3.27.10. */
const LEVEL: Readonly<Record<Severity, 'error' | 'warning' | 'note'>> = {
  error: 'error',
  warning: 'warning',
  suggestion: 'note',
};

/** A place as a SARIF location (section 3.28): a file below the working folder is given from there. */
function sarifLocation(location: Location, from: string): SarifLocation {
  const { file, url, line, column, pointer, entry } = location;
  const uri = file !== undefined && !/^https?:\/\//.test(file) ? fileUri(file, from) : (url ?? file);
  if (uri === undefined)
    return { logicalLocations: [{ fullyQualifiedName: location.option ?? entry ?? 'hull' }] };
  return {
    physicalLocation: {
      artifactLocation: { uri },
      ...(line === undefined
        ? {}
        : { region: { startLine: line, ...(column === undefined ? {} : { startColumn: column }) } }),
    },
    ...(pointer ? { logicalLocations: [{ fullyQualifiedName: pointer, kind: 'value' }] } : {}),
  };
}

function fileUri(file: string, from: string): string {
  const path = isAbsolute(file) ? relative(from, file) : file;
  if (path.startsWith('..') || isAbsolute(path)) return pathToFileURL(file).href;
  return path.split(sep).map(encodeURIComponent).join('/');
}

const IDS: readonly string[] = RULES.map(({ id }) => id);

const sarifRules = () =>
  RULES.map((rule) => ({
    id: rule.id,
    shortDescription: { text: rule.title },
    fullDescription: { text: rule.why },
    help: { text: `${rule.why}\n\nSource: ${rule.source}` },
    defaultConfiguration: { level: LEVEL[rule.severity] },
    properties: {
      family: FAMILIES[familyOf(rule.id)],
      platforms: rule.platforms,
      engines: rule.engines,
    },
  }));

const sarifResult = (finding: Finding, from: string, say: SayTask | undefined): Result => ({
  ruleId: finding.code,
  ruleIndex: IDS.indexOf(finding.code),
  level: LEVEL[finding.severity],
  message: { text: `${finding.observed}. ${finding.impact} Fix: ${formatFix(finding.fix, say)}` },
  locations: [sarifLocation(finding.location, from)],
  ...(finding.more ? { occurrenceCount: finding.more + 1 } : {}),
});

const SCHEMA = 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json';

/**
 * Findings as SARIF 2.1.0 (OASIS Static Analysis Results Interchange Format), for code hosts and editors.
 *
 * @param version of this program
 * @param from folder that relative paths start from, absolute
 * @param invocations what is said of the run itself
 */
export const findingsSarif = (
  findings: readonly Finding[],
  version: string,
  from: string,
  say?: SayTask,
  invocations?: Invocation[],
): Log => ({
  $schema: SCHEMA,
  version: '2.1.0',
  runs: [
    {
      tool: { driver: { name: 'Jolly Hull survey', semanticVersion: version, rules: sarifRules() } },
      columnKind: 'utf16CodeUnits',
      ...(invocations ? { invocations } : {}),
      results: findings.map((finding) => sarifResult(finding, from, say)),
    },
  ],
});

/** A report as {@link findingsSarif}, with the rules that were not judged, and those that are ignored. */
export function reportSarif(report: SurveyReport, version: string, from: string, say?: SayTask): Log {
  const ignored = report.verdicts.filter((verdict) => verdict.is === 'ignored').map(({ rule }) => rule.id);
  const notJudged = report.verdicts.flatMap((verdict) => (verdict.is === 'not-judged' ? [verdict] : []));
  const note = (id: string, text: string) => ({
    level: 'note' as const,
    message: { text },
    associatedRule: { id, index: IDS.indexOf(id) },
  });
  return findingsSarif(report.findings, version, from, say, [
    {
      executionSuccessful: true,
      // A rule that was not run has not passed: each is reported (section 3.20.21).
      toolExecutionNotifications: [
        ...notJudged.map(({ rule, because }) => note(rule.id, `${rule.id} could not be judged: ${because}.`)),
        ...ignored.map((id) => note(id, `${id} is ignored in hull.json.`)),
      ],
    },
  ]);
}
