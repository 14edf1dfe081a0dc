import type { App } from '../app/app.js';
import { task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { manifestText, resolveReference, type Site } from '../site/site.js';
import { cutLabel } from './label.js';
import { webpAddress } from './pictures.js';
import { HOME_SCREENS } from './screens.js';
import type { Preview, PreviewRequest } from './types.js';
import { quoted, startLocation } from './wording.js';

/** What Apple's home screen writes under a web app's icon. */
function webClipTitle(site: Site, app: App): string {
  const meta = site.startPage?.facts.metas.find(({ name }) => name === 'apple-mobile-web-app-title')?.content;
  const title = meta ?? manifestText(site, 'short_name') ?? manifestText(site, 'name');
  return title?.trim() || site.startPage?.facts.head.title?.trim() || app.name;
}

export function homeLabels({ site, app, project }: PreviewRequest, warnings: Finding[]): Preview['labels'] {
  const labels = HOME_SCREENS.map((screen) => {
    const of = screen.platform === 'android' ? app.shortName : webClipTitle(site, app);
    return { screen, of, label: cutLabel(of, screen.labelRoom, screen.labelSize) };
  });
  for (const platform of ['android', 'apple'] as const) {
    const cut = labels.filter(({ screen, label }) => screen.platform === platform && label.isCut);
    const [first] = cut;
    if (!first) continue;
    warnings.push({
      code: 'preview-home.label-cut',
      severity: 'warning',
      location: platform === 'android' ? project.location('/app/short_name') : startLocation(site),
      impact: 'Users see a name that ends in the middle.',
      observed: `The label ${quoted(first.of)} is cut to ${quoted(first.label.shown)} on: ${cut.map(({ screen }) => screen.name).join('; ')}.`,
      fix:
        platform === 'android'
          ? 'Shorten app.short_name in hull.json; 10 to 13 letters are seen everywhere.'
          : withTasks`Give the pages a shorter apple-mobile-web-app-title: ${task('writeTags')} sets it to app.short_name.`,
    });
  }
  return labels;
}

/** A site's picture as a data address; `undefined` where it is none, which is reported where it is used. */
export const webpOf = (bytes: Uint8Array, side: number) =>
  webpAddress(bytes, side, 84).catch(() => undefined);

export async function touchIconOf(site: Site, planned: string, warnings: Finding[]): Promise<string> {
  const page = site.startPage;
  const reference = page?.facts.references.filter(({ kind }) => kind === 'touch-icon').at(-1);
  if (!page || !reference) {
    warnings.push({
      code: 'preview-home.no-touch-icon',
      severity: 'warning',
      location: startLocation(site),
      observed: 'The start page names no touch icon.',
      impact: 'Apple’s home screen shows a picture of the page instead.',
      fix: withTasks`${task('writeTags')} names the one that ${task('makeArt')} makes.`,
    });
    return planned;
  }
  const url = resolveReference(page, reference);
  const bytes = url && site.bytes(url);
  const picture = bytes && (await webpOf(bytes, 240));
  if (picture) return picture;
  warnings.push({
    code: 'preview-home.touch-icon',
    severity: 'warning',
    location: startLocation(site),
    observed: `The touch icon ${reference.text} could not be shown.`,
    impact: 'Apple’s home screen may show a picture of the page instead.',
    fix: withTasks`See what is wrong with it: ${task('surveyProject')}`,
  });
  return planned;
}
