import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import type { Metadata } from 'sharp';
import { type Location, task, withTasks } from '../errors.js';
import type { Finding } from '../finding.js';
import { formatBytes } from '../util/sizes.js';
import {
  LISTING_FIELDS,
  type ListingField,
  NOTES,
  PICTURE_CLASSES,
  type PictureClass,
  storeLength,
} from './fields.js';
import { type StoreName, storeLanguage } from './languages.js';
import { type LanguageListing, type Listing, notesFor, picturesOf } from './read.js';

const STORE_WORDS: Readonly<Record<StoreName, string>> = {
  android: 'The Android store',
  apple: 'Apple’s store',
};

const found = (
  code: string,
  location: Location,
  parts: Pick<Finding, 'observed' | 'impact' | 'fix'>,
  severity: Finding['severity'] = 'error',
): Finding => ({ code: `listing.${code}`, severity, location, ...parts });

/** What is too long, with how it was counted where that is not how people count. */
function lengthFinding(field: ListingField, store: StoreName, value: string, location: Location): Finding[] {
  const most = field.limits[store];
  const length = storeLength(value);
  if (most === undefined || length <= most) return [];
  const characters = [...value].length;
  const counted =
    characters === length
      ? ''
      : ` Stores count an emoji as two or more: ${characters} characters count as ${length}.`;
  return [
    found('too-long', location, {
      observed: `The ${field.called[store]} has ${length} characters, ${length - most} too many.${counted}`,
      impact: `${STORE_WORDS[store]} takes at most ${most}, and refuses it.`,
      fix: `Shorten "${field.key}".`,
    }),
  ];
}

function textFindings(listing: LanguageListing, store: StoreName, version: string): Finding[] {
  const { file, texts } = listing;
  return LISTING_FIELDS.flatMap((field): Finding[] => {
    if (field.called[store] === undefined) return [];
    const text = field.key === NOTES ? notesFor(listing, version) : texts.get(field.key);
    if (text) return lengthFinding(field, store, text.value, text.location);
    if (!field.needed.includes(store)) return [];
    const where =
      field.from === 'section' ? `a section "# ${field.key}"` : `"${field.key}:" to the lines at the top`;
    return [
      found(
        'missing',
        { file },
        {
          observed: `${basename(file)} has no ${field.called[store]}.`,
          impact: `${STORE_WORDS[store]} does not publish without one.`,
          fix: `Add ${where}.`,
        },
      ),
    ];
  });
}

function languageFindings({ language, file }: LanguageListing, store: StoreName): Finding[] {
  if (storeLanguage(store, language) !== undefined) return [];
  return [
    found(
      'unknown-language',
      { file },
      {
        observed: `${STORE_WORDS[store]} has no listing in "${language}".`,
        impact: 'It is not sent there; visitors see the default language.',
        fix: 'Name the file for a language that the store has, or leave it for the other store.',
      },
      'warning',
    ),
  ];
}

/** What is wrong with a picture, by what its store asks. @param bytes of the file */
export async function pictureFaults(of: PictureClass, bytes: Uint8Array): Promise<string[]> {
  const { default: sharp } = await import('sharp');
  const faults: string[] = [];
  let facts: Metadata;
  try {
    facts = await sharp(bytes, { limitInputPixels: 100_000_000 }).metadata();
    // A header alone says nothing of the pixels.
    await sharp(bytes, { limitInputPixels: 100_000_000, failOn: 'error' }).stats();
  } catch {
    return ['It is damaged, or not an image.'];
  }
  const { format, width = 0, height = 0, hasAlpha } = facts;
  if (!(of.formats as readonly string[]).includes(format ?? ''))
    faults.push(
      `It is ${(format ?? 'unknown').toUpperCase()}, not ${of.formats.join(' or ').toUpperCase()}.`,
    );
  if (bytes.length > of.largest)
    faults.push(`It has ${formatBytes(bytes.length)}, more than ${formatBytes(of.largest)}.`);
  const fits = ([w, h]: readonly [number, number]) =>
    (w === width && h === height) || (of.turns === true && w === height && h === width);
  if (of.sizes && !of.sizes.some(fits))
    faults.push(`It is ${width}×${height}, not ${of.sizes.map(([w, h]) => `${w}×${h}`).join(' or ')}.`);
  const [short, long] = [Math.min(width, height), Math.max(width, height)];
  if (of.sides && (short < of.sides[0] || long > of.sides[1]))
    faults.push(`It is ${width}×${height}; each side has to be ${of.sides[0]} to ${of.sides[1]} px.`);
  if (of.ratio && long > short * of.ratio)
    faults.push(`It is ${width}×${height}: the longer side is more than ${of.ratio} times the shorter one.`);
  if (of.alpha === 'refused' && hasAlpha) faults.push('It has an alpha channel.');
  return faults;
}

async function setFindings(
  listing: Listing,
  of: PictureClass,
  language: LanguageListing,
): Promise<Finding[]> {
  const files = picturesOf(listing, of, language.language);
  const where = files[0] === undefined ? { file: language.file } : { file: files[0] };
  const store = STORE_WORDS[of.store];
  const findings: Finding[] = [];
  if (files.length < of.least) {
    const fix =
      of.holds === 'one'
        ? withTasks`Make it with ${task('makeArt')}, or put one at ${listing.folder}/pictures/${of.name}.png.`
        : `Put them into ${listing.folder}/pictures/${of.name}/: PNG or JPEG without alpha.`;
    findings.push(
      found('few-pictures', where, {
        observed:
          files.length === 0
            ? `There are no pictures of ${of.shows} for ${language.language}.`
            : `There is ${files.length} picture of ${of.shows}.`,
        impact: `${store} asks for at least ${of.least}.`,
        fix,
      }),
    );
  }
  if (files.length > of.most) {
    findings.push(
      found('many-pictures', where, {
        observed: `There are ${files.length} pictures of ${of.shows}.`,
        impact: `${store} takes at most ${of.most}.`,
        fix: 'Take some away.',
      }),
    );
  }
  return findings;
}

async function pictureFindings(listing: Listing, store: StoreName): Promise<Finding[]> {
  const findings: Finding[] = [];
  const judged = new Set<string>();
  for (const of of PICTURE_CLASSES.filter((one) => one.store === store)) {
    const lacking = new Set<string>();
    for (const language of listing.languages) {
      for (const one of await setFindings(listing, of, language)) {
        // Languages that share pictures lack the same: it is said once.
        const key = `${one.code} ${picturesOf(listing, of, language.language).join()}`;
        if (!lacking.has(key)) findings.push(one);
        lacking.add(key);
      }
      for (const file of picturesOf(listing, of, language.language)) {
        if (judged.has(file)) continue;
        judged.add(file);
        for (const fault of await pictureFaults(of, readFileSync(file))) {
          findings.push(
            found(
              'bad-picture',
              { file },
              {
                observed: fault,
                impact: `${STORE_WORDS[store]} refuses it as a picture of ${of.shows}.`,
                fix: 'Export it again.',
              },
            ),
          );
        }
      }
    }
  }
  return findings;
}

/**
 * Everything of a listing that a store would refuse or not show.
 *
 * @param version whose release notes are judged
 * @param main language that the store falls back on, BCP 47
 */
export async function checkListing(
  listing: Listing,
  store: StoreName,
  { version, main }: { readonly version: string; readonly main: string },
): Promise<Finding[]> {
  if (listing.languages.length === 0) {
    return [
      found(
        'none',
        { file: listing.folder },
        {
          observed: 'There is no listing.',
          impact: 'No store publishes an app without texts and pictures.',
          fix: withTasks`Write ${listing.folder}/${main}.md: name and summary between lines of three hyphens, then "# Description". ${task('proposeListing')} makes a first one from the web app manifest.`,
        },
      ),
    ];
  }
  const isMain = ({ language }: LanguageListing) =>
    storeLanguage(store, language) === storeLanguage(store, main);
  const known = listing.languages.filter(({ language }) => storeLanguage(store, language) !== undefined);
  const findings: Finding[] = listing.languages.flatMap((one) => languageFindings(one, store));
  if (!known.some(isMain)) {
    findings.push(
      found(
        'no-main-language',
        { file: listing.folder },
        {
          observed: `The listing does not have the app’s own language, ${main}.`,
          impact: 'Visitors whose language is not there would see nothing.',
          fix: `Write ${listing.folder}/${main}.md, or set app.language to a language of the listing.`,
        },
      ),
    );
  }
  findings.push(...known.flatMap((one) => textFindings(one, store, version)));
  findings.push(...(await pictureFindings({ ...listing, languages: known }, store)));
  return [...findings, ...listing.findings];
}
