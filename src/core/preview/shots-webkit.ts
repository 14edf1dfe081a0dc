import { APPLE_AS_APP, type Insets } from '../browser/app-display.js';
import { servedAddress } from '../browser/launch.js';
import { serveFolder } from '../browser/serve-folder.js';
import { type AppWindow, asAppWindow, openInApp } from '../browser/webkit/app-window.js';
import { type WebKitOptions, type WebKitSession, withWebKit } from '../browser/webkit/session.js';
import type { Site } from '../site/site.js';
import { MEASURE } from '../survey/browser/in-page.js';
import type { Measured } from '../survey/browser-facts.js';
import type { Scheme, Shot, ShotPlan, Shots } from './shots.js';

const SCALE = 2;
const NONE: Insets = { top: 0, right: 0, bottom: 0, left: 0 };

interface Taken {
  readonly picture: Uint8Array;
  readonly measured: Measured;
}

/** A page at 1 px a CSS px, as the pictures of other engines are. */
async function take(session: WebKitSession, address: string, { layout, mode }: ShotPlan): Promise<Taken> {
  const { page, safeArea } = layout;
  await session.resize(page.width, page.height);
  await openInApp(session, address, mode);
  const picture = await session.picture();
  const measured = await session.run<Measured>(
    `return (${MEASURE})(${JSON.stringify({ insets: safeArea, width: page.width, height: page.height })})`,
  );
  const { default: sharp } = await import('sharp');
  const small = await sharp(picture)
    .resize(page.width, page.height, { fit: 'fill' })
    .jpeg({ quality: 74 })
    .toBuffer();
  return { picture: new Uint8Array(small), measured };
}

/**
 * Takes pictures of the start page in WebKit, light and dark, at 1 px a CSS px. A hosted page is not told of what covers a
 * screen's edges: the driver cannot.
 *
 * @throws HullError `browser.failed`
 */
export async function takeWebKitShots(
  site: Site,
  plans: readonly ShotPlan[],
  options: WebKitOptions,
): Promise<Shots> {
  const faults = new Map<string, string>();
  const taken = new Map<string, Partial<Record<Scheme, Taken>>>();
  let now: Pick<ShotPlan, 'mode' | 'shows' | 'layout'> | undefined;
  const window: AppWindow = {
    mode: () => now?.mode ?? 'standalone',
    insets: () => now?.layout.safeArea ?? NONE,
    script: () => (now?.shows === 'web-clip' ? APPLE_AS_APP : ''),
  };
  const served = site.folder
    ? await serveFolder(site.base, site.folder.files, site.folder.answers.rules, asAppWindow(window))
    : undefined;
  const side = Math.max(...plans.flatMap(({ layout: { page } }) => [page.width, page.height]));
  let name = '';
  const inScheme = (scheme: Scheme) =>
    withWebKit(options, { scale: SCALE, scheme, largest: { width: side, height: side } }, async (session) => {
      ({ name } = session);
      for (const plan of plans) {
        options.signal?.throwIfAborted();
        now = plan;
        try {
          const address = servedAddress(site, served?.origin ?? site.base.origin, plan.url);
          taken.set(plan.key, { ...taken.get(plan.key), [scheme]: await take(session, address, plan) });
        } catch (error) {
          options.signal?.throwIfAborted();
          faults.set(plan.key, (error instanceof Error ? error.message : String(error)).split('\n')[0] ?? '');
        }
        if (scheme === 'light') options.onStep?.(`WebKit ${plan.key}`);
      }
    });
  try {
    // One after the other: both ask the same server, which answers for the screen that is shown.
    await inScheme('light');
    await inScheme('dark');
  } finally {
    await served?.close();
  }
  const shots = new Map<string, Shot>();
  for (const [key, { light, dark }] of taken) {
    if (!light || !dark) continue;
    const { underCutout, scrollWidth, textLength } = light.measured;
    shots.set(key, {
      pictures: { light: light.picture, dark: dark.picture },
      ...{ underCutout, scrollWidth, textLength },
    });
  }
  return { browser: name, shots, faults };
}
