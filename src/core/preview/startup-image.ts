import type { Reference } from '../site/page-facts.js';
import { resolveReference, type SitePage } from '../site/site.js';
import type { HeldScreen } from './screens.js';

/** A start-up image that a page names for a screen. */
export interface NamedStartup {
  readonly reference: Reference;
  readonly url: URL;
}

/** Whether a media query of a start-up image holds on a screen; features that nobody uses for it count as not holding. */
export function mediaHolds(
  media: string,
  { device, orientation }: HeldScreen,
  scheme: 'light' | 'dark',
): boolean {
  const facts: Readonly<Record<string, string>> = {
    'device-width': `${device.width}px`,
    'device-height': `${device.height}px`,
    '-webkit-device-pixel-ratio': String(device.ratio),
    orientation: orientation === 'portrait' ? 'portrait' : 'landscape',
    'prefers-color-scheme': scheme,
  };
  return media.split(',').some((query) => {
    const features = [...query.matchAll(/\(\s*([\w-]+)\s*:\s*([^)]+?)\s*\)/g)];
    const rest = query.replaceAll(/\([^)]*\)/g, ' ').replaceAll(/\b(and|screen|all|only)\b/gi, ' ');
    if (rest.trim() !== '') return false;
    return features.every(([, name = '', value = '']) => facts[name.toLowerCase()] === value.toLowerCase());
  });
}

/** The start-up image that a device takes: the last one whose media query holds, as for other links of a kind. */
export function startupFor(
  page: SitePage,
  screen: HeldScreen,
  scheme: 'light' | 'dark',
): NamedStartup | undefined {
  const fitting = page.facts.references.filter(
    ({ kind, media }) => kind === 'startup-image' && mediaHolds(media ?? '', screen, scheme),
  );
  const reference = fitting.at(-1);
  const url = reference && resolveReference(page, reference);
  return reference && url ? { reference, url } : undefined;
}
