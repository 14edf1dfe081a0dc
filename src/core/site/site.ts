import type { HullError, Location } from '../errors.js';
import type { ResponseFacts } from '../net/response.js';
import type { LocatedJson } from '../util/json-locations.js';
import { decodePath, parseUrl } from '../util/url-path.js';
import type { FolderAnswers } from './answer-rules.js';
import type { BuiltBase } from './built-base.js';
import type { ElementNode } from './elements.js';
import type { LeftOutReason, WebFile } from './folder.js';
import type { PageFacts, Reference } from './page-facts.js';
import type { Picture } from './picture.js';
import { type Position, within } from './positions.js';
import type { ScriptFacts } from './script-facts.js';
import type { StyleFacts } from './style.js';

/** A file of a site that was read, by its address and by the name that places show. */
export interface SiteFile {
  /** Absolute address; in a folder that is hosted nowhere, under a stand-in that never leaves this process. */
  readonly url: string;
  /** Path on disk as the user named the folder, or the address. */
  readonly name: string;
}

/** A page’s facts but for the texts in it, which became units of their own. */
export type KeptPageFacts = Omit<PageFacts, 'scripts' | 'styles' | 'styleAttributes' | 'elements'>;

export interface SitePage extends SiteFile {
  readonly facts: KeptPageFacts;
  /** Whether scripts drew it, so that what is in it has no place in a file. */
  readonly drawn?: true;
}

/** A script: a file of its own, or a text inside a page. */
export interface ScriptUnit extends SiteFile {
  readonly facts: ScriptFacts;
  /** Where its text begins in the file. */
  readonly start: Position;
  /** How many pages hold the same text, for one inside a page. */
  readonly pages: number;
}

export interface StyleUnit extends SiteFile {
  readonly kind: 'sheet' | 'attribute';
  /** Whether scripts made it, so that its rules have no place in a file. */
  readonly drawn?: true;
  readonly facts: StyleFacts;
  readonly start: Position;
}

/** The styles that one or more pages have in common. */
export interface StyleGroup {
  /** The first page with these styles. */
  readonly page: SitePage;
  readonly pages: number;
  /** In the order of the page: the later counts more. */
  readonly styles: readonly StyleUnit[];
  /** The elements of these pages, each kind once. */
  readonly elements: ReadonlySet<ElementNode>;
  /** Whether there were too many to keep all of them. */
  readonly isCut: boolean;
  /** What `style` attributes say, by their text. */
  readonly attributes: ReadonlyMap<string, StyleUnit>;
  /** Style sheets that a page links to and that were not read, as they are named: of other hosts, or not there. */
  readonly unread: readonly string[];
}

/** A service worker that a script registers. */
export interface SiteWorker {
  /** Where it is registered. */
  readonly location: Location;
  /** Address of its script, where the registration names one. */
  readonly url?: URL;
  /** Address below which it answers, with a slash where it is a folder. */
  readonly scope?: URL;
  readonly script?: ScriptUnit;
  /** Scripts that it imports, too. */
  readonly imported: readonly ScriptUnit[];
}

export interface SiteManifest extends SiteFile {
  /** Where a page links to it. */
  readonly link: Location | undefined;
  readonly text?: string;
  readonly json?: LocatedJson;
  /** Members, where it is an object. */
  readonly members?: Readonly<Record<string, unknown>>;
  /** Why it cannot be used. */
  readonly fault?: HullError;
  /** Content type, where a host gave one. */
  readonly type?: string;
}

/** A limit that was reached, so that something was not looked at. */
export interface LimitReached {
  readonly what: 'pages' | 'depth' | 'bytes' | 'time' | 'file-size' | 'robots' | 'rendered';
  readonly limit: number;
  readonly location: Location;
  readonly message: string;
}

/** A file that could not be read as what it should be. */
export interface ReadFault {
  readonly kind: 'binary-page' | 'unreadable' | 'slow' | 'too-large' | 'refused' | 'elsewhere';
  readonly location: Location;
  readonly message: string;
}

/** Asked for below the base, to see how what is not there is answered. */
export const NO_SUCH_PAGE = 'no-such-page-7f3a9c';

/** What a host did with requests made to learn how it fails. */
export interface HostProbes {
  /** The answer for a page that cannot exist. */
  readonly notFound?: ResponseFacts & { readonly text: string };
  /** The answer of the same host without TLS; `undefined` where it was not asked. */
  readonly plainHttp?: { readonly answered: boolean; readonly end?: string; readonly status?: number };
  /** The same name with or without www, where it answers with pages of its own. */
  readonly twin?: string;
  /** Another language that the start page answers in, where that is asked for: the language, and what shows it. */
  readonly otherLanguage?: { readonly asked: string; readonly got: string };
  /** Association documents that were asked for: path → status, that of a redirect where one answers, or that HTML came. */
  readonly association: ReadonlyMap<string, number | 'html'>;
}

/** Whether an address of the site's own leads anywhere. */
export type AddressStatus =
  | { readonly is: 'there' }
  | { readonly is: 'missing' }
  /** A page answers where another kind of file is asked for. */
  | { readonly is: 'html' }
  /** Another file differs only in capital letters. */
  | { readonly is: 'case'; readonly other: string }
  /** Above the folder that the site lies in; the path that would be meant below it is there or not. */
  | { readonly is: 'outside'; readonly meant: boolean }
  /** Another origin, or nothing that can be looked up. */
  | { readonly is: 'foreign' }
  | { readonly is: 'unknown' };

export interface FolderFacts {
  readonly dir: string;
  readonly files: readonly WebFile[];
  readonly leftOut: readonly { readonly path: string; readonly reason: LeftOutReason }[];
  /** How its pages answer on a device. */
  readonly answers: FolderAnswers;
  /** Where its start page says that it lies. */
  readonly built: BuiltBase;
  /** What {@link listWebFolder} refuses. */
  readonly faults: readonly HullError[];
  /** Private keys and the like found in the files' content. */
  readonly secrets: readonly { readonly location: Location; readonly what: string }[];
}

/** A web app as one model, from a folder or a host. */
export interface Site {
  readonly kind: 'folder' | 'hosted';
  /** The folder or the address as it was given. */
  readonly name: string;
  /** Address below which the app's pages lie; ends with a slash. */
  readonly base: URL;
  /** Whether `base` is where the site really is, or a stand-in. */
  readonly baseIsKnown: boolean;
  readonly start: URL;
  /** The start page; `undefined` where there is none. */
  readonly startPage: SitePage | undefined;
  /** All pages, the start page first. */
  readonly pages: readonly SitePage[];
  readonly scripts: readonly ScriptUnit[];
  /** Style sheets of their own and in pages, and `style` attributes. */
  readonly styles: readonly StyleUnit[];
  readonly styleGroups: readonly StyleGroup[];
  readonly workers: readonly SiteWorker[];
  readonly manifest: SiteManifest | undefined;
  /** Pictures that the manifest or a page's head names, by address. */
  readonly pictures: ReadonlyMap<string, Picture>;
  readonly responses: ReadonlyMap<string, ResponseFacts>;
  readonly probes: HostProbes;
  readonly folder: FolderFacts | undefined;
  readonly limits: readonly LimitReached[];
  readonly faults: readonly ReadFault[];
  /** Whether an address leads anywhere. */
  resolveStatus(url: URL): AddressStatus;
  /** Bytes of a file of a folder, or of a picture that the manifest or a page’s head names. */
  bytes(url: URL): Uint8Array | undefined;
}

/** The style sheets without the `style` attributes. */
export function sheets({ styles }: Pick<Site, 'styles'>): StyleUnit[] {
  return styles.filter(({ kind }) => kind === 'sheet');
}

/** A place in a file of the site. */
export function locationIn(kind: Site['kind'], name: string, spot?: Position): Location {
  return { ...(kind === 'folder' ? { file: name } : { url: name }), ...(spot ?? {}) };
}

export function unitLocation(site: Site, unit: ScriptUnit | StyleUnit, spot: Position): Location {
  const isDrawn = 'drawn' in unit && unit.drawn;
  return locationIn(site.kind, unit.name, isDrawn ? undefined : within(unit.start, spot));
}

/** The address that references of a page are relative to (HTML Standard, "document base URL"). */
export function pageBase(page: SitePage): URL {
  const own = new URL(page.url);
  return page.facts.base === undefined ? own : (parseUrl(page.facts.base, own) ?? own);
}

/** The absolute address of a reference; `undefined` where it is none, or names no file (mail, data, …). */
export function resolveReference(page: SitePage, reference: Pick<Reference, 'text'>): URL | undefined {
  const url = parseUrl(reference.text, pageBase(page));
  return url && /^(https?|wss?):$/.test(url.protocol) ? url : undefined;
}

/** The path of an address below a base, decoded; `undefined` where it does not lie below. */
export function pathBelow(base: URL, url: URL): string | undefined {
  if (url.origin !== base.origin || !url.pathname.startsWith(base.pathname)) return undefined;
  return decodePath(url.pathname.slice(base.pathname.length));
}

/** An address without query and fragment, as files are known by. */
export function fileUrl(url: URL): string {
  const bare = new URL(url);
  bare.search = '';
  bare.hash = '';
  return bare.href;
}

/** The manifest's member, where it is a text that says something. */
export function manifestText(site: Site, key: string): string | undefined {
  const { members } = site.manifest ?? {};
  const value = members !== undefined && Object.hasOwn(members, key) ? members[key] : undefined;
  return typeof value === 'string' && value.trim() !== '' ? value.trim() : undefined;
}

/** A member of a manifest that is a list. */
export function manifestList(site: Site, key: string): readonly unknown[] {
  const { members } = site.manifest ?? {};
  const value = members !== undefined && Object.hasOwn(members, key) ? members[key] : undefined;
  return Array.isArray(value) ? value : [];
}
