import type { App } from '../app/app.js';
import type { Finding } from '../finding.js';
import { GROUPS_SINCE } from '../links/levels.js';
import { sayMoreThanPaths } from '../links/links.js';
import {
  type AndroidOptions,
  delegateIsFound,
  playsInBackground,
  shellName,
} from '../platforms/android/app/options.js';
import { originRules } from '../platforms/android/app/page-port.js';
import { onAndroid } from '../platforms/android/app/permission-table.js';
import { unusedPermissions } from '../platforms/android/app/unused-permissions.js';
import type { Project } from '../project/project.js';
import { pointerStep } from '../util/json-locations.js';

/** What users of a package will not get as `hull.json` says, or reviewers will ask about. */
export async function packFindings(
  project: Project,
  app: App,
  android: AndroidOptions,
  debuggable: boolean,
): Promise<Finding[]> {
  const found: Finding[] = [];
  const warn = (name: string, pointer: string, parts: Pick<Finding, 'observed' | 'impact' | 'fix'>) =>
    found.push({ code: `pack.${name}`, severity: 'warning', location: project.location(pointer), ...parts });
  const isBrowser = android.engine === 'browser';
  if (debuggable) {
    warn('debuggable', '/app', {
      observed: 'The package is debuggable.',
      impact: 'Anyone who has it can look inside the running app; stores refuse it.',
      fix: 'Pack it again for release.',
    });
  }
  if (isBrowser && app.display === 'minimal-ui') {
    warn('display', '/look/display', {
      observed: 'The browser engine has no bar for minimal-ui.',
      impact: 'Pages are shown as with standalone.',
      fix: 'Write "display": "standalone", or use the webview engine.',
    });
  }
  if (shellName(android) === 'tabs' && app.share?.method === 'POST') {
    warn('share-target', '/share_target', {
      observed: 'What is shared is posted, which only a browser takes that shows the pages full screen.',
      impact: 'In other browsers this package, which has no view of its own, opens the start page instead.',
      fix: 'Let the share target use GET, or set android.otherwise to "webview".',
    });
  }
  if (android.backgroundAudio && isBrowser) {
    found.push({
      code: 'pack.background-audio',
      severity: 'suggestion',
      location: project.location('/android/background_audio'),
      observed: 'background_audio does nothing with the browser engine.',
      impact: 'What pages play goes on as the browser lets it.',
      fix: 'Remove it.',
    });
  }
  if (playsInBackground(android) && originRules(app.inside) === undefined) {
    warn('background-audio', '/web/inside', {
      observed: 'A rule of web.inside has a host that web views have no words for.',
      impact: 'What pages play stops with the app, and has no controls on the lock screen.',
      fix: 'Name whole hosts, or *. before one: https://*.saltmarsh.example/*',
    });
  }
  const delegate = delegateIsFound(app, android);
  if (delegate === 'not') {
    warn('delegation', '/links', {
      observed: `Links to ${app.base.href} do not open in the app, so browsers do not find its service.`,
      impact: 'Notifications and location are asked for in the browser’s name, and managed in its settings.',
      fix: `Let links include "${app.base.pathname}".`,
    });
  }
  if (delegate === 'added') {
    found.push({
      code: 'pack.scope-links',
      severity: 'suggestion',
      location: project.location('/permissions'),
      observed: `Links to ${app.base.href} open in the app too.`,
      impact: 'By them browsers find the app’s own service for notifications and location.',
      fix: 'Nothing needs to be done; links says which of them are to open in the app.',
    });
  }
  const unused = isBrowser ? [] : await unusedPermissions(app);
  for (const { name } of app.permissions) {
    const pointer = `/permissions/${pointerStep(name)}`;
    if (!isBrowser && onAndroid(name)?.webview === 'never') {
      warn('not-in-web-view', pointer, {
        observed: `${name} is not supported in a web view.`,
        impact: 'Pages find that it is missing.',
        fix: 'Use the browser engine, or remove the permission.',
      });
    }
    if (unused.includes(name)) {
      warn('unused-permission', pointer, {
        observed: `${name} is declared, and no packed page or script uses it.`,
        impact: 'Reviewers ask what it is for.',
        fix: 'Remove it, unless a hosted script uses it.',
      });
    }
  }
  if (app.links.some(({ rules }) => sayMoreThanPaths(rules)) && android.minSdk < GROUPS_SINCE) {
    found.push({
      code: 'pack.link-rules',
      severity: 'suggestion',
      location: project.location('/links'),
      observed: 'Links have rules that exclude paths, or look at queries or fragments.',
      impact:
        'Before Android 15 the system knows paths alone: the app opens such a link too, and hands it to the browser.',
      fix: 'Nothing needs to be done; without such rules no app is opened on the way.',
    });
  }
  return found;
}
