import type { Finding } from '../finding.js';
import type { LanguageListing } from '../listing/read.js';
import { locationIn, manifestText } from '../site/site.js';
import { cutLabel, cutText } from './label.js';
import type { PreviewRequest, StoreListing } from './types.js';
import { startLocation } from './wording.js';

/** Room for a name in a store's list of results: px, and the font's size. */
export const LIST_ROOM = 212;
export const LIST_SIZE = 16;
/** Characters (stores' listing limits). */
const STORE_NAME = 30;
const STORE_SHORT = 80;

/** What the project's own listing says: its faults are those of its own check. */
function ownListings({ texts }: LanguageListing, name: string): StoreListing[] {
  return (['android', 'apple'] as const).map((platform) => {
    const shown = cutText(texts.get('name')?.value ?? name, STORE_NAME).shown;
    const short = texts.get(platform === 'android' ? 'summary' : 'subtitle')?.value;
    return {
      platform,
      name: shown,
      inList: cutLabel(shown, LIST_ROOM, LIST_SIZE),
      short:
        short === undefined
          ? undefined
          : cutText(short, platform === 'android' ? STORE_SHORT : STORE_NAME).shown,
    };
  });
}

export function listingsOf(
  { site, app, project, listing }: PreviewRequest,
  warnings: Finding[],
): StoreListing[] {
  if (listing) return ownListings(listing, app.name);
  const description = manifestText(site, 'description');
  if (description === undefined) {
    warnings.push({
      code: 'preview-store.no-description',
      severity: 'warning',
      location: site.manifest ? locationIn(site.kind, site.manifest.name) : startLocation(site),
      observed: 'The web app manifest has no description.',
      impact: 'The store listing begins without one.',
      fix: 'Add "description" to the manifest: one sentence of at most 80 characters.',
    });
  }
  return (['android', 'apple'] as const).map((platform) => {
    const name = cutText(app.name, STORE_NAME);
    const short = cutText(description ?? '', STORE_SHORT);
    if (name.isCut && platform === 'android') {
      warnings.push({
        code: 'preview-store.name-too-long',
        severity: 'warning',
        location: project.location('/app/name'),
        impact: 'The store cuts it or refuses it.',
        observed: `The name has ${[...app.name].length} characters; stores accept ${STORE_NAME}.`,
        fix: 'Shorten app.name in hull.json.',
      });
    }
    if (short.isCut && platform === 'android') {
      warnings.push({
        code: 'preview-store.description-too-long',
        severity: 'warning',
        location: site.manifest ? locationIn(site.kind, site.manifest.name) : startLocation(site),
        impact: 'The store cuts it or refuses it.',
        observed: `The description has ${[...(description ?? '')].length} characters; a short description has at most ${STORE_SHORT}.`,
        fix: 'Write a shorter one for the listing.',
      });
    }
    return {
      platform,
      name: name.shown,
      inList: cutLabel(name.shown, LIST_ROOM, LIST_SIZE),
      // A subtitle is written for the store; the manifest has no member for it.
      short: platform === 'android' ? short.shown : undefined,
    };
  });
}
