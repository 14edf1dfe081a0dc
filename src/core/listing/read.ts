import { readdirSync } from 'node:fs';
import { basename, join } from 'node:path';
import { isMap, isScalar, isSeq, LineCounter, parseDocument } from 'yaml';
import { canonicalLanguage } from '../app/language.js';
import { fromSystemError, HullError, type Location, systemErrorCode } from '../errors.js';
import type { Finding } from '../finding.js';
import { nearest } from '../project/nearest.js';
import { readTextFile } from '../util/files.js';
import { LISTING_FIELDS, type ListingKey, NOTES, PICTURE_CLASSES, type PictureClass } from './fields.js';
import { plainText, shownMarkup } from './text.js';

/** A text, and where it is written. */
export interface ListingText {
  readonly value: string;
  readonly location: Location;
}

/** What a store shows in one language. */
export interface LanguageListing {
  /** BCP 47, as the file is named. */
  readonly language: string;
  readonly file: string;
  readonly texts: ReadonlyMap<ListingKey, ListingText>;
  /** Release notes by version; those of no version under `''`. */
  readonly notes: ReadonlyMap<string, ListingText>;
}

/** Pictures of one class: of one language, or of all that have none of their own. */
export interface PictureSet {
  readonly of: PictureClass;
  readonly language: string | undefined;
  /** In the order in which they are shown: that of their names. */
  readonly files: readonly string[];
}

/** What stores show of an app, as the project has it. */
export interface Listing {
  readonly folder: string;
  readonly languages: readonly LanguageListing[];
  readonly pictures: readonly PictureSet[];
  /** What is written, and would not be shown as it is meant. */
  readonly findings: readonly Finding[];
}

const FRONT_KEYS = LISTING_FIELDS.filter(({ from }) => from === 'front matter').map(({ key }) => key);
const SECTIONS = LISTING_FIELDS.filter(({ from }) => from === 'section').map(({ key }) => key);
export const PICTURES = 'pictures';

const malformed = (message: string, location: Location, fix: string) =>
  new HullError('listing.malformed', message, { location, fix });

/** The front matter and the lines below it, each with the number of its first line. */
function splitFrontMatter(text: string, file: string): { readonly yaml: string; readonly body: string[] } {
  const lines = text.replace(/^\ufeff/, '').split(/\r?\n/);
  if (lines[0]?.trim() !== '---') {
    throw malformed(
      'The listing does not begin with its short texts.',
      { file, line: 1 },
      'Begin the file with a line of three hyphens, then name: and summary:, then another such line.',
    );
  }
  const end = lines.findIndex((line, index) => index > 0 && line.trim() === '---');
  if (end < 0) {
    throw malformed(
      'The short texts at the beginning do not end.',
      { file, line: 1 },
      'End them with a line of three hyphens.',
    );
  }
  return { yaml: lines.slice(1, end).join('\n'), body: lines.slice(end + 1) };
}

/** The short texts. Lines count from that behind the first hyphens. */
function readFrontMatter(yaml: string, file: string): Map<ListingKey, ListingText> {
  const counter = new LineCounter();
  const document = parseDocument(yaml, { lineCounter: counter, schema: 'failsafe' });
  const at = (offset: number): Location => ({ file, line: counter.linePos(offset).line + 1 });
  const [error] = document.errors;
  if (error) {
    throw malformed(
      `The short texts are not valid YAML: ${error.message.split('\n')[0]}`,
      at(error.pos[0]),
      'Write each as key: text; put a text with a colon in quotes.',
    );
  }
  const texts = new Map<ListingKey, ListingText>();
  if (document.contents === null) return texts;
  if (!isMap(document.contents)) {
    throw malformed('The short texts are not keys with texts.', { file, line: 2 }, 'Write each as key: text');
  }
  for (const { key, value } of document.contents.items) {
    const name = isScalar(key) ? String(key.value) : '';
    const location = at(isScalar(key) ? (key.range?.[0] ?? 0) : 0);
    const known = FRONT_KEYS.find((one) => one === name);
    if (known === undefined) {
      const near = nearest(name, FRONT_KEYS);
      throw malformed(
        `There is no short text "${name}".`,
        location,
        near === undefined ? `Short texts: ${FRONT_KEYS.join(', ')}.` : `Did you mean "${near}"?`,
      );
    }
    const items = isSeq(value) ? value.items : [value];
    const words = items.map((item) => (isScalar(item) ? String(item.value ?? '').trim() : undefined));
    if (words.includes(undefined) || (isSeq(value) && known !== 'keywords')) {
      throw malformed(`"${name}" is not a text.`, location, 'Write it on one line, in quotes.');
    }
    const text = words.filter((word) => word !== '').join(',');
    if (text !== '') texts.set(known, { value: text, location });
  }
  return texts;
}

const asWritten = (heading: string) => heading.replaceAll("'", '’').toLowerCase();

interface Section {
  readonly key: string;
  readonly line: number;
  readonly lines: string[];
}

function sectionsOf(body: readonly string[], firstLine: number, file: string): Section[] {
  const sections: Section[] = [];
  body.forEach((line, index) => {
    const heading = /^#\s+(.*?)\s*#*$/.exec(line)?.[1];
    const location = { file, line: firstLine + index };
    if (heading !== undefined) {
      const known = SECTIONS.find((one) => asWritten(one) === asWritten(heading));
      if (known === undefined) {
        throw malformed(
          `There is no section "${heading}".`,
          location,
          `Sections: ${SECTIONS.map((one) => `# ${one}`).join(', ')}. Headings inside of them have two marks or more.`,
        );
      }
      sections.push({ key: known, line: location.line, lines: [] });
      return;
    }
    const section = sections.at(-1);
    if (section) section.lines.push(line);
    else if (line.trim() !== '') {
      throw malformed('This text is in no section.', location, 'Put it below # Description.');
    }
  });
  return sections;
}

/** Release notes by version: below headings such as `## 1.4.0`, or for any below none. */
function notesOf({ line, lines }: Section, file: string): Map<string, ListingText> {
  const notes = new Map<string, ListingText>();
  let version = '';
  let start = line;
  let own: string[] = [];
  const end = () => {
    const value = plainText(own);
    if (value !== '') notes.set(version, { value, location: { file, line: start } });
  };
  lines.forEach((text, index) => {
    const heading = /^##\s+v?(\d[\w.+-]*)\s*$/.exec(text)?.[1];
    if (heading === undefined) {
      own.push(text);
      return;
    }
    end();
    version = heading;
    start = line + 1 + index;
    own = [];
  });
  end();
  return notes;
}

function markupFindings({ line, lines }: Section, file: string): Finding[] {
  return lines.flatMap((text, index): Finding[] => {
    const what = shownMarkup(text);
    if (what === undefined) return [];
    return [
      {
        code: 'listing.markup',
        severity: 'warning',
        location: { file, line: line + 1 + index },
        observed: `This line has ${what}.`,
        impact: 'Stores show plain text: visitors see the marks.',
        fix: 'Write it in plain words, with addresses in full.',
      },
    ];
  });
}

function readLanguage(
  file: string,
  language: string,
): { readonly listing: LanguageListing; readonly findings: Finding[] } {
  const { yaml, body } = splitFrontMatter(readTextFile(file), file);
  const texts = readFrontMatter(yaml, file);
  const firstLine = yaml.split('\n').length + 3;
  const sections = sectionsOf(body, firstLine, file);
  let notes = new Map<string, ListingText>();
  for (const section of sections) {
    if (section.key === NOTES) notes = notesOf(section, file);
    const value = plainText(section.lines);
    if (value !== '' && section.key !== NOTES) {
      texts.set(section.key as ListingKey, { value, location: { file, line: section.line } });
    }
  }
  const findings = sections.flatMap((section) => markupFindings(section, file));
  return { listing: { language, file, texts, notes }, findings };
}

function namesIn(dir: string): string[] {
  try {
    return readdirSync(dir)
      .filter((name) => !name.startsWith('.'))
      .sort();
  } catch (error) {
    if (systemErrorCode(error) === 'ENOENT') return [];
    throw fromSystemError(error, dir);
  }
}

const IMAGE = /\.(png|jpe?g)$/i;

/** Pictures of a folder: `icon.png`, `feature.png`, and a folder for each kind of device. */
function picturesIn(dir: string, language: string | undefined): { sets: PictureSet[]; findings: Finding[] } {
  const sets: PictureSet[] = [];
  const findings: Finding[] = [];
  for (const name of namesIn(dir)) {
    const path = join(dir, name);
    const of = PICTURE_CLASSES.find((one) => one.name === name.replace(IMAGE, ''));
    if (of && (of.holds === 'one') === IMAGE.test(name)) {
      const files = of.holds === 'one' ? [path] : namesIn(path).map((file) => join(path, file));
      sets.push({ of, language, files: files.filter((file) => IMAGE.test(file)) });
    } else if (language !== undefined || canonicalLanguage(name) === undefined) {
      findings.push({
        code: 'listing.unknown-picture',
        severity: 'warning',
        location: { file: path },
        observed: 'No store shows pictures of this name.',
        impact: 'They are not sent.',
        fix: `Name it for what it shows: ${PICTURE_CLASSES.map((one) => (one.holds === 'one' ? `${one.name}.png` : `${one.name}/`)).join(', ')}.`,
      });
    } else {
      const inner = picturesIn(path, name);
      sets.push(...inner.sets);
      findings.push(...inner.findings);
    }
  }
  return { sets, findings };
}

/**
 * Reads a listing: one Markdown file a language (`listing/en.md`: short texts in front matter, long ones in sections), and pictures by
 * kind of device (`listing/pictures/phone/01.png`, or `listing/pictures/de/phone/01.png` for one language).
 *
 * @returns no languages where there is no such folder
 * @throws HullError `listing.malformed`, `file.*`, `disk.*`
 */
export function readListing(folder: string): Listing {
  const languages: LanguageListing[] = [];
  const pictures = picturesIn(join(folder, PICTURES), undefined);
  const findings = [...pictures.findings];
  for (const name of namesIn(folder).filter((one) => one.endsWith('.md') && !/^readme/i.test(one))) {
    const file = join(folder, name);
    const language = basename(name, '.md');
    if (canonicalLanguage(language) === undefined) {
      throw malformed(
        `"${language}" is not a language.`,
        { file },
        'Name the file for its language, as in en.md or pt-BR.md.',
      );
    }
    const read = readLanguage(file, language);
    languages.push(read.listing);
    findings.push(...read.findings);
  }
  return { folder, languages, pictures: pictures.sets, findings };
}

/** The release notes for a version: its own, else those of none. */
export const notesFor = ({ notes }: LanguageListing, version: string): ListingText | undefined =>
  notes.get(version) ?? notes.get('');

/** The pictures of a class that a language shows: its own, else those of all. */
export function picturesOf({ pictures }: Listing, of: PictureClass, language: string): readonly string[] {
  const own = pictures.find((set) => set.of === of && set.language?.toLowerCase() === language.toLowerCase());
  return (own ?? pictures.find((set) => set.of === of && set.language === undefined))?.files ?? [];
}
