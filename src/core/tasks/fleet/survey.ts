import { bySeverity, type Finding } from '../../finding.js';
import { ParsedTexts } from '../../site/parsed-texts.js';
import { type SurveyOptions, surveyProject } from '../survey-project.js';
import { type BrandRun, type FleetRunOptions, overBrands } from './run.js';

export interface FleetSurveyOptions
  extends FleetRunOptions<BrandSurvey>,
    Omit<SurveyOptions, 'project' | 'target' | 'onProgress' | 'parsed'> {}

/** What a survey of one brand found. */
export interface BrandSurvey {
  readonly findings: readonly Finding[];
}

/** One finding, and the brands that have it. */
export interface SharedFinding {
  readonly finding: Finding;
  readonly brands: readonly string[];
}

export interface SurveyedFleet {
  readonly brands: readonly BrandRun<BrandSurvey>[];
  /** Each finding once, worst first. */
  readonly findings: readonly SharedFinding[];
}

/** Findings of several brands, each once with those that have it; worst first. */
export function shareFindings(
  brands: readonly { readonly name: string; readonly findings: readonly Finding[] }[],
): SharedFinding[] {
  const found = new Map<string, { finding: Finding; brands: string[] }>();
  for (const { name, findings } of brands) {
    for (const finding of findings) {
      const { code, severity, location, observed } = finding;
      const key = JSON.stringify([code, severity, location, observed]);
      const known = found.get(key);
      if (known === undefined) found.set(key, { finding, brands: [name] });
      else if (known.brands.at(-1) !== name) known.brands.push(name);
    }
  }
  const shared = [...found.values()].map((one) => ({ one, severity: one.finding.severity }));
  return bySeverity(shared).map(({ one }) => one);
}

/**
 * Surveys brands as {@link surveyProject} does a project. Scripts and styles that they share are parsed once.
 *
 * @throws HullError `fleet.*`, `config.*`
 */
export async function surveyFleet(options: FleetSurveyOptions): Promise<SurveyedFleet> {
  const { onBrand: _onBrand, ...rest } = options;
  const parsed = new ParsedTexts();
  const brands = await overBrands(options, async (project) => {
    const { findings } = await surveyProject({ ...rest, project, parsed });
    return { findings };
  });
  const surveyed = brands.flatMap((one) =>
    one.is === 'done' ? [{ name: one.name, findings: one.result.findings }] : [],
  );
  return { brands, findings: shareFindings(surveyed) };
}
