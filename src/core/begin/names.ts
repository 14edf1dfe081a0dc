import type { Site } from '../site/site.js';

/** A name, and where it was found. */
export interface FoundName {
  readonly name: string;
  readonly origin: string;
}

/** Letters of a name that stores take, and of a label that home screens show whole. */
const NAME = 30;
const LABEL = 12;
/** Letters below which the first words of a name are an article rather than a label. */
const SHORTEST = 4;
const SEPARATOR = /\s+[|–—·•»:-]\s+|\s*[|–—·•»]\s*|:\s+/;
/** What start pages are called, in place of the app. */
const GENERIC =
  /^(home|homepage|start|startseite|accueil|inicio|index|welcome|willkommen|app|document|untitled|vite app|react app)$/i;

const plain = (text: string) => text.replaceAll(/\s+/g, ' ').trim();

/** A text cut between words to so many letters; cut inside the first word where that alone is longer. */
export function cutAtWord(text: string, most: number): string {
  if ([...text].length <= most) return text;
  const kept: string[] = [];
  for (const word of text.split(' ')) {
    if ([...kept, word].join(' ').length > most) break;
    kept.push(word);
  }
  // Small words at the end say nothing without what they led to.
  while (kept.length > 1 && /^(\p{P}+|and|of|for|the|to|und|der|de|y|et)$/iu.test(kept.at(-1) ?? ''))
    kept.pop();
  return kept.length > 0 ? kept.join(' ') : [...text].slice(0, most).join('');
}

/** Parts of a title; the first and the last may be the name of the site. */
const partsOf = (title: string) =>
  title
    .split(SEPARATOR)
    .map(plain)
    .filter((part) => part !== '');

/** The part of the start page’s title that names the app: the one that other pages’ titles share, else one that says something. */
function nameInTitle(site: Site, title: string): string | undefined {
  const parts = partsOf(title).filter((part) => !GENERIC.test(part));
  const others = site.pages
    .filter((page) => page !== site.startPage)
    .slice(0, 50)
    .map(({ facts }) => new Set(partsOf(facts.head.title ?? '')));
  const shared = parts.find((part) => others.some((other) => other.has(part)));
  return shared ?? parts[0];
}

/** The name of the app, where its manifest has none. */
export function nameOf(site: Site): FoundName | undefined {
  const { startPage } = site;
  if (startPage === undefined) return undefined;
  const { metas, head } = startPage.facts;
  for (const wanted of ['og:site_name', 'application-name', 'apple-mobile-web-app-title']) {
    const content = plain(metas.find(({ name }) => name === wanted)?.content ?? '');
    if (content !== '') {
      return { name: cutAtWord(content, NAME), origin: `${startPage.name} <meta ${wanted}>` };
    }
  }
  const name = head.title === undefined ? undefined : nameInTitle(site, plain(head.title));
  return name === undefined
    ? undefined
    : { name: cutAtWord(name, NAME), origin: `${startPage.name} <title>` };
}

/** A label that fits below an icon, where the name does not; `undefined` where none can be made of its words. */
export function labelOf(name: string): string | undefined {
  if ([...name].length <= LABEL) return undefined;
  const [first = ''] = name.split(' ');
  const label = [...first].length <= LABEL && name.includes(' ') ? cutAtWord(name, LABEL) : '';
  return [...label].length >= SHORTEST ? label : undefined;
}
