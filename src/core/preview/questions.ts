import type { Finding } from '../finding.js';
import { type CapabilityOnAndroid, onAndroid } from '../platforms/android/app/permission-table.js';
import { onApple } from '../platforms/apple/app/permission-table.js';
import type { Engine } from '../project/config.js';
import type { Project } from '../project/project.js';
import { isVague } from '../survey/rules/permission.js';
import { pointerStep } from '../util/json-locations.js';
import type { PreviewQuestion } from './types.js';
import { quoted } from './wording.js';

type Asking = Pick<PreviewQuestion['android'], 'by' | 'shows'>;
const NOBODY: Asking = { by: 'Nobody is asked', shows: [] };
const BY_ANDROID: Readonly<Record<CapabilityOnAndroid['webview'], Asking>> = {
  system: { by: 'The app says why, then the system asks', shows: ['reason', 'system'] },
  app: { by: 'The app asks; the system has no question for it', shows: ['app'] },
  nobody: NOBODY,
  never: { by: 'Not supported in a web view', shows: [] },
};
const BY_BROWSER: Readonly<Record<CapabilityOnAndroid['browser'], Asking>> = {
  browser: { by: 'The browser asks, in the name of the site', shows: ['site'] },
  app: {
    by: 'The browser hands it to the app, which says why; then the system asks',
    shows: ['reason', 'system'],
  },
  nobody: NOBODY,
};
const BY_APPLE = {
  system: 'The system asks, with this reason',
  page: 'The system asks when the page does, with words of its own',
  nobody: 'Nobody is asked',
  never: 'Not supported on Apple’s systems',
} as const;

export function questionsOf(project: Project, engine: Engine, warnings: Finding[]): PreviewQuestion[] {
  return Object.entries(project.settings.permissions).map(([name, reason]) => {
    const [android, apple] = [onAndroid(name), onApple(name)];
    if (isVague(reason, name)) {
      warnings.push({
        code: 'preview-asking.vague-reason',
        severity: 'warning',
        location: project.location(`/permissions/${pointerStep(name)}`),
        observed: `The reason for ${name}, ${quoted(reason)}, tells users nothing new.`,
        impact: 'Users refuse, and so do reviewers.',
        fix: `Say in hull.json under permissions.${name} what the user gets.`,
      });
    }
    if (android && engine === 'webview' && android.webview === 'never') {
      warnings.push({
        code: 'preview-asking.not-in-web-view',
        severity: 'warning',
        location: project.location(`/permissions/${pointerStep(name)}`),
        observed: `${name} is not supported in a web view.`,
        impact: 'Pages find that it is missing.',
        fix: 'Choose "android": { "engine": "browser" }, or do without it in the app.',
      });
    }
    const byAndroid =
      engine === 'browser' ? android && BY_BROWSER[android.browser] : android && BY_ANDROID[android.webview];
    return {
      name,
      reason,
      android: { ...(byAndroid ?? NOBODY), allow: android?.allow ?? name },
      apple: {
        by: apple ? BY_APPLE[apple.asks] : 'Nobody is asked',
        allow: apple?.allow ?? name,
        ...(apple?.usage === undefined ? {} : { usage: apple.usage }),
      },
      ...(android?.review === undefined ? {} : { review: android.review }),
    };
  });
}
