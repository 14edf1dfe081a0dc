import { HullError, type Location } from '../errors.js';
import { type AppLink, readLinks } from '../links/links.js';
import { checkLabel } from '../project/label.js';
import { nearest } from '../project/nearest.js';
import type { Project } from '../project/project.js';
import { type CompiledPattern, patternMatches } from '../project/url-pattern.js';
import { CAPABILITIES, capability } from '../site/capabilities.js';
import { pointerStep } from '../util/json-locations.js';
import { parseUrl } from '../util/url-path.js';
import { type OwnWords, WORD_KEYS } from '../words/table.js';
import { readLanguage } from './language.js';

/** A capability that the app declares, with the reason that users read. */
export interface AppPermission {
  /** W3C name. */
  readonly name: string;
  readonly reason: string;
}

export interface AppShortcut {
  readonly name: string;
  readonly shortName: string;
  /** Absolute. */
  readonly url: URL;
}

export interface AppShareTarget {
  readonly action: URL;
  readonly method: 'GET' | 'POST';
  readonly multipart: boolean;
  readonly title?: string;
  readonly text?: string;
  readonly url?: string;
  readonly files: readonly { readonly name: string; readonly accept: readonly string[] }[];
}

export interface AppTranslation {
  /** BCP 47, in its canonical form. */
  readonly language: string;
  readonly name: string;
  readonly shortName: string;
}

/** Ways into an app, and what it may do. */
export interface AppEntry {
  readonly permissions: readonly AppPermission[];
  readonly links: readonly AppLink[];
  readonly shortcuts: readonly AppShortcut[];
  readonly share: AppShareTarget | undefined;
  readonly translations: readonly AppTranslation[];
}

/** Letters below which a text gives no reason. */
const MIN_REASON = 8;
/** A single word says nothing; scripts that write no spaces are not meant. */
const ONE_WORD = /^\p{Script=Latin}+\p{P}*$/u;

/** Capabilities that users know as one: the system asks for both with a single question. */
const ASKED_TOGETHER: readonly (readonly [string, string])[] = [['notifications', 'push']];

function checkReasonsAgree(project: Project): void {
  const reasons = project.settings.permissions;
  for (const [one, other] of ASKED_TOGETHER) {
    const [first, second] = [reasons[one]?.trim(), reasons[other]?.trim()];
    if (first === undefined || second === undefined || first === second) continue;
    throw new HullError(
      'permission.contradiction',
      `${one} and ${other} give two reasons for one question.`,
      {
        location: project.location(`/permissions/${pointerStep(other)}`),
        fix: `The system asks once for both. Give both the same reason, or name only ${one}.`,
      },
    );
  }
}

function readPermissions(project: Project): AppPermission[] {
  checkReasonsAgree(project);
  return Object.entries(project.settings.permissions).map(([name, reason]) => {
    const pointer = `/permissions/${pointerStep(name)}`;
    if (!capability(name)) {
      const near = nearest(
        name,
        CAPABILITIES.map((item) => item.name),
      );
      throw new HullError('permission.unknown', `There is no capability "${name}".`, {
        location: project.json.locationOfKey(pointer),
        fix:
          near === undefined
            ? 'Use the W3C name: geolocation, camera, microphone, notifications, …'
            : `Did you mean "${near}"?`,
      });
    }
    if (reason.trim().length < MIN_REASON || ONE_WORD.test(reason.trim())) {
      throw new HullError('permission.no-reason', `There is no reason for ${name}: "${reason}".`, {
        location: project.location(pointer),
        fix: `Say what the user gets, as in "${capability(name)?.reason ?? 'Shows the pier nearest to you.'}"`,
      });
    }
    checkLabel(reason, project.location(pointer));
    return { name, reason: reason.trim() };
  });
}

function insideAddress(
  text: string,
  base: URL,
  inside: readonly CompiledPattern[],
  location: Location,
  what: string,
): URL {
  const url = parseUrl(text, base);
  if (url && inside.some((pattern) => patternMatches(pattern, url))) return url;
  throw new HullError('web.entry-outside', `${what} "${text}" lies outside of the app.`, {
    location,
    fix: `Name a page below ${base.href}, or add its address to web.inside.`,
  });
}

function readShortcuts(project: Project, base: URL, inside: readonly CompiledPattern[]): AppShortcut[] {
  return project.settings.shortcuts.map(({ name, short_name, url }, index) => {
    checkLabel(name, project.location(`/shortcuts/${index}/name`));
    return {
      name,
      shortName: short_name ?? name,
      url: insideAddress(url, base, inside, project.location(`/shortcuts/${index}/url`), 'The shortcut'),
    };
  });
}

/** MIME types and file name endings (Web Share Target, "accept"). */
const ACCEPT = /^(?:[a-z0-9!#$&^_.+-]+\/(?:\*|[a-z0-9!#$&^_.+-]+)|\.[a-z0-9]+|\*\/\*)$/i;

function readShare(
  project: Project,
  base: URL,
  inside: readonly CompiledPattern[],
): AppShareTarget | undefined {
  const target = project.settings.share_target;
  if (!target) return undefined;
  const files = target.params.files ?? [];
  files.forEach(({ accept }, index) => {
    const bad = accept.findIndex((type) => !ACCEPT.test(type));
    if (bad < 0) return;
    throw new HullError(
      'config.bad-value',
      `"${accept[bad]}" is neither a MIME type nor a file name's ending.`,
      {
        location: project.location(`/share_target/params/files/${index}/accept/${bad}`),
        fix: 'Write it as image/*, application/pdf or .csv',
      },
    );
  });
  const method = target.method ?? 'GET';
  if (files.length > 0 && (method !== 'POST' || target.enctype !== 'multipart/form-data')) {
    throw new HullError('config.bad-value', 'Files can only be shared with a multipart POST.', {
      location: project.location('/share_target'),
      fix: 'Set "method": "POST" and "enctype": "multipart/form-data"; a page or its worker answers it.',
    });
  }
  const { title, text, url } = target.params;
  return {
    action: insideAddress(
      target.action,
      base,
      inside,
      project.location('/share_target/action'),
      'The share target',
    ),
    method,
    multipart: target.enctype === 'multipart/form-data',
    ...(title === undefined ? {} : { title }),
    ...(text === undefined ? {} : { text }),
    ...(url === undefined ? {} : { url }),
    files,
  };
}

/**
 * What the shell says in the project's own words, by language.
 *
 * @throws HullError `app.bad-language`, `config.bad-value`
 */
export function readWords(project: Project): OwnWords {
  return Object.fromEntries(
    Object.entries(project.settings.app.words).map(([tag, own]) => {
      const pointer = `/app/words/${pointerStep(tag)}`;
      const language = readLanguage(tag, project.json.locationOfKey(pointer));
      for (const [key, text] of Object.entries(own)) {
        const at = `${pointer}/${pointerStep(key)}`;
        if (!(WORD_KEYS as readonly string[]).includes(key)) {
          const near = nearest(key, WORD_KEYS);
          throw new HullError('config.bad-value', `The shell has no words called "${key}".`, {
            location: project.json.locationOfKey(at),
            fix: near === undefined ? `It has ${WORD_KEYS.join(', ')}.` : `Did you mean "${near}"?`,
          });
        }
        checkLabel(text, project.location(at));
      }
      return [language, own];
    }),
  );
}

function readTranslations(project: Project): AppTranslation[] {
  const { translations, name, short_name } = project.settings.app;
  return Object.entries(translations)
    .map(([tag, own]) => {
      const pointer = `/app/translations/${pointerStep(tag)}`;
      const language = readLanguage(tag, project.json.locationOfKey(pointer));
      for (const [key, text] of Object.entries(own)) checkLabel(text, project.location(`${pointer}/${key}`));
      return {
        language,
        name: own.name ?? name,
        shortName: own.short_name ?? own.name ?? short_name ?? name,
      };
    })
    .sort((a, b) => (a.language < b.language ? -1 : 1));
}

/**
 * Reads ways into the app and permissions out of a project.
 *
 * @throws HullError `permission.*`, `links.*`, `web.entry-outside`, `app.bad-language`, `config.bad-value`
 */
export function readEntry(project: Project, base: URL, inside: readonly CompiledPattern[]): AppEntry {
  return {
    permissions: readPermissions(project),
    links: readLinks(project),
    shortcuts: readShortcuts(project, base, inside),
    share: readShare(project, base, inside),
    translations: readTranslations(project),
  };
}
