import { manifestList, manifestText, type Site } from '../site/site.js';
import { isObject } from '../util/json-object.js';
import { parseUrl } from '../util/url-path.js';
import { PICTURES } from './read.js';

/** A file that a listing begins with. */
export interface ProposedFile {
  /** Inside the listing's folder, with `/`. */
  readonly path: string;
  readonly bytes: Uint8Array;
  /** Where it comes from. */
  readonly origin: string;
}

export interface ProposedListing {
  readonly files: readonly ProposedFile[];
  /** Categories of the manifest: stores ask for one in their console. */
  readonly categories: readonly string[];
  readonly notes: readonly string[];
}

const SUMMARY = 80;
const SUBTITLE = 30;

/** The first sentence that fits, else the words that do. */
export function shortened(text: string, most: number): string {
  const whole = text.replaceAll(/\s+/g, ' ').trim();
  if (whole.length <= most) return whole;
  const sentence = /^[^.!?]+[.!?](?=\s)/.exec(whole)?.[0];
  if (sentence !== undefined && sentence.length <= most) return sentence;
  const words = whole
    .slice(0, most + 1)
    .split(' ')
    .slice(0, -1)
    .join(' ');
  return (words === '' ? whole.slice(0, most) : words).replace(/[\s,;:–—-]+$/, '');
}

/** A text as a value of YAML: in quotes, where it could be taken for something else. */
const quoted = (text: string): string => JSON.stringify(text);

function firstText(name: string, description: string | undefined, version: string): string {
  const lines = [
    '---',
    `name: ${quoted(shortened(name, 30))}`,
    `summary: ${quoted(description === undefined ? '' : shortened(description, SUMMARY))}`,
    `subtitle: ${quoted(description === undefined ? '' : shortened(description, SUBTITLE))}`,
    'keywords: []',
    '---',
    '',
    '# Description',
    '',
    description ?? '',
    '',
    '# What’s new',
    '',
    `## ${version}`,
    '',
    'First release.',
    '',
  ];
  return lines.join('\n');
}

/** Categories of the web app manifest. */
export const categoriesOf = (site: Site): string[] =>
  manifestList(site, 'categories').filter((one): one is string => typeof one === 'string');

interface Screenshot {
  readonly src: string;
  readonly wide: boolean;
}

function screenshotsOf(site: Site): Screenshot[] {
  return manifestList(site, 'screenshots').flatMap((one): Screenshot[] => {
    if (!isObject(one) || typeof one.src !== 'string') return [];
    const { src, form_factor: form, sizes } = one;
    const [width = 0, height = 0] = typeof sizes === 'string' ? sizes.split('x').map(Number) : [];
    return [{ src, wide: form === 'wide' || (form === undefined && width > height) }];
  });
}

/**
 * A picture as stores take it: PNG without alpha, no side shorter than 320 px or more than twice the other; where it is, the background
 * fills what is missing.
 */
async function storePicture(bytes: Uint8Array, background: string): Promise<Uint8Array | undefined> {
  const { default: sharp } = await import('sharp');
  try {
    const { width = 0, height = 0 } = await sharp(bytes).metadata();
    const [short, long] = [Math.min(width, height), Math.max(width, height)];
    if (short < 160 || long > 3840) return undefined;
    const missing = Math.max(0, Math.ceil(long / 2) - short, 320 - short);
    const before = Math.floor(missing / 2);
    const [x, y] = width < height ? [before, 0] : [0, before];
    const [right, bottom] = width < height ? [missing - before, 0] : [0, missing - before];
    const drawn = sharp(bytes)
      .flatten({ background })
      .extend({ left: x, right, top: y, bottom, background })
      .removeAlpha();
    return new Uint8Array(await drawn.png({ compressionLevel: 9 }).toBuffer());
  } catch {
    return undefined;
  }
}

/**
 * A first listing from what the web app says of itself.
 */
export async function proposeListing(
  site: Site,
  app: {
    readonly name: string;
    readonly language: string;
    readonly version: string;
    readonly background: string;
  },
): Promise<ProposedListing> {
  const description = manifestText(site, 'description');
  const notes: string[] = [];
  if (description === undefined)
    notes.push('The web app manifest has no description: write one into the listing.');
  const text = firstText(app.name, description, app.version);
  const files: ProposedFile[] = [
    {
      path: `${app.language}.md`,
      bytes: new TextEncoder().encode(text),
      origin: site.manifest?.name ?? 'hull.json',
    },
  ];
  const counts = { phone: 0, 'tablet-10': 0 };
  for (const { src, wide } of screenshotsOf(site)) {
    const url = site.manifest && parseUrl(src, new URL(site.manifest.url));
    const bytes = url && site.bytes(url);
    const picture = bytes && (await storePicture(bytes, app.background));
    if (picture === undefined) {
      notes.push(`The screenshot ${src} is not there, or cannot be shown by stores; left out.`);
      continue;
    }
    const kind = wide ? 'tablet-10' : 'phone';
    counts[kind] += 1;
    const name = `${String(counts[kind]).padStart(2, '0')}.png`;
    files.push({ path: `${PICTURES}/${kind}/${name}`, bytes: picture, origin: src });
  }
  return { files, categories: categoriesOf(site), notes };
}
