import { prepareIconSet } from '../art/icon-set.js';
import { HullError, task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { type Difference, shotDifferences, withAppleShots } from './differences.js';
import { homeLabels, touchIconOf } from './home.js';
import { listingsOf } from './listings.js';
import { maskLosses, previewPictures } from './pictures.js';
import { questionsOf } from './questions.js';
import { plansOf, scenesOf } from './scenes.js';
import { type Shots, takeShots } from './shots.js';
import { takeWebKitShots } from './shots-webkit.js';
import type { Preview, PreviewRequest } from './types.js';
import { startLocation } from './wording.js';

/**
 * Computes everything that users see before the first tap and of the first page.
 *
 * @throws HullError `art.*`
 */
export async function previewApp(request: PreviewRequest): Promise<Preview> {
  const { project, app, site, inputs, cacheDir, browser } = request;
  const warnings: Finding[] = [];
  const { icons, notes, unseenAtStart, background } = await prepareIconSet(inputs);
  const labels = homeLabels(request, warnings);
  for (const observed of notes) {
    const isStart = observed === unseenAtStart;
    warnings.push({
      code: isStart ? 'preview-start.unseen' : 'preview-home.art',
      severity: 'warning',
      location: project.location(isStart ? '/look/background_color' : '/look/icon'),
      observed,
      impact: isStart ? 'Users see an empty screen at the start.' : 'The icon does not look as it was drawn.',
      fix: withTasks`See all images with ${task('makeArt')}.`,
    });
  }
  const [pictures, losses] = await Promise.all([
    previewPictures(icons, cacheDir),
    maskLosses(icons, cacheDir),
  ]);
  const touchIcon = await touchIconOf(site, pictures.appleIcon, warnings);
  const cropped = losses.filter(({ share }) => share > 0);
  if (cropped.length > 0) {
    warnings.push({
      code: 'preview-home.icon-cut',
      severity: 'warning',
      location: project.location('/look/icon'),
      impact: 'Users see a part of the icon.',
      observed: `Launchers cut off part of what is drawn: ${cropped.map(({ mask, share }) => `${mask} ${(share * 100).toFixed(0)} %`).join(', ')}.`,
      fix: 'Give a picture with more space around the symbol, or look.art.padding for "foreground".',
    });
  }
  const plans = plansOf(site, app);
  let shots: Shots | undefined;
  let noBrowser = 'missing' in browser ? browser.missing : undefined;
  const differences: Difference[] = [];
  if (!('missing' in browser)) {
    try {
      shots = await takeShots(site, plans, browser);
    } catch (error) {
      const isBrowser = error instanceof HullError && /^browser\.(failed|no-driver)$/.test(error.code);
      if (!isBrowser) throw error;
      noBrowser = error.message;
    }
  }
  if (request.webkit) {
    const apple = plans.filter(({ layout }) => layout.screen.device.platform === 'apple');
    const inWebKit = await takeWebKitShots(site, apple, request.webkit);
    if (shots) differences.push(...shotDifferences(apple, shots, inWebKit));
    shots = shots ? withAppleShots(apple, shots, inWebKit) : inWebKit;
  }
  for (const { observed, impact } of differences) {
    warnings.push({
      code: 'preview-start.differs',
      severity: 'warning',
      location: startLocation(site),
      observed,
      impact,
      fix: withTasks`See more of it with ${task('surveyInWebKit')}.`,
    });
  }
  const engine = project.settings.android.engine;
  return {
    name: app.name,
    host: app.base.host,
    engine,
    version: app.version,
    background,
    backgroundColor: app.backgroundColor,
    themeColor: app.themeColor,
    pictures,
    touchIcon,
    losses,
    labels,
    scenes: await scenesOf(request, plans, shots, warnings),
    questions: questionsOf(project, engine, warnings),
    listings: listingsOf(request, warnings),
    findings: warnings,
    ...(shots ? { browser: shots.browser } : {}),
    ...(noBrowser === undefined ? {} : { noBrowser }),
  };
}
