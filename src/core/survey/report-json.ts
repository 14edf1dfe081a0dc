import { sheets } from '../site/site.js';
import { familyOf } from './rule.js';
import { countBySeverity, type SurveyReport } from './survey.js';

/** The report as one JSON document: everything that the terminal shows, and every finding in full. */
export function reportJson(report: SurveyReport): object {
  const { site, browser, findings, verdicts, capabilities } = report;
  const of = (is: string) => verdicts.filter((verdict) => verdict.is === is);
  return {
    site: {
      kind: site.kind,
      name: site.name,
      base: site.base.href,
      start: site.start.href,
      pages: site.pages.length,
      scripts: site.scripts.length,
      styles: sheets(site).length,
      files: site.folder?.files.length ?? null,
      manifest: site.manifest?.name ?? null,
      workers: site.workers.map(({ url, scope }) => ({ url: url?.href ?? null, scope: scope?.href ?? null })),
    },
    browser: browser?.browser ?? null,
    counts: {
      ...countBySeverity(findings),
      ignored: of('ignored').length,
      passed: of('passed').length,
      notJudged: of('not-judged').length,
    },
    findings: findings.map((finding) => ({
      rule: finding.rule,
      family: familyOf({ id: finding.rule as `secure.${string}` }),
      severity: finding.severity,
      place: finding.place,
      saw: finding.saw,
      means: finding.means,
      remedy: finding.remedy,
      more: finding.more ?? 0,
    })),
    capabilities,
    rules: verdicts.map(({ rule, ...verdict }) => ({
      id: rule.id,
      verdict: verdict.is,
      ...('because' in verdict ? { because: verdict.because } : {}),
      ...('reason' in verdict ? { reason: verdict.reason } : {}),
    })),
    ...(browser
      ? {
          views: browser.views.map(({ screenshot: _screenshot, ...view }) => view),
          failures: {
            offline: browser.offline,
            notFound: browser.notFound,
            serverError: browser.serverError,
          },
        }
      : {}),
  };
}
