import { HullError, type Place } from './errors.js';
import { pointerStep } from './json-places.js';
import { checkLabel } from './project/label.js';
import { nearest } from './project/nearest.js';
import type { Project } from './project/project.js';
import { parseUrl } from './project/url-path.js';
import { type CompiledPattern, patternMatches } from './project/url-pattern.js';
import { CAPABILITIES, capability } from './site/capabilities.js';

/** A capability that the app declares, with the reason that users read. */
export interface AppPermission {
  /** W3C name. */
  readonly name: string;
  readonly reason: string;
}

/** One rule about the paths of a host: `*` stands for any run of characters. */
export interface PathRule {
  readonly allow: boolean;
  readonly pattern: string;
}

/** A host whose links open in the app. */
export interface AppLink {
  readonly host: string;
  /** Never empty; what an excluding rule matches is left to the browser, whatever else matches. */
  readonly rules: readonly PathRule[];
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

/** Capabilities that users know as one: the system asks for both with a single question. */
const ASKED_TOGETHER: readonly (readonly [string, string])[] = [['notifications', 'push']];

function checkReasonsAgree(project: Project): void {
  const reasons = project.config.permissions ?? {};
  for (const [one, other] of ASKED_TOGETHER) {
    const [first, second] = [reasons[one]?.trim(), reasons[other]?.trim()];
    if (first === undefined || second === undefined || first === second) continue;
    throw new HullError(
      'permission.contradiction',
      `${one} and ${other} give two reasons for one question.`,
      {
        place: project.place(`/permissions/${pointerStep(other)}`),
        remedy: `The system asks once for both. Give both the same reason, or name only ${one}.`,
      },
    );
  }
}

function readPermissions(project: Project): AppPermission[] {
  checkReasonsAgree(project);
  return Object.entries(project.config.permissions ?? {}).map(([name, reason]) => {
    const pointer = `/permissions/${pointerStep(name)}`;
    if (!capability(name)) {
      const near = nearest(
        name,
        CAPABILITIES.map((item) => item.name),
      );
      throw new HullError('permission.unknown', `There is no capability "${name}".`, {
        place: project.json.placeOfKey(pointer),
        remedy:
          near === undefined
            ? 'Use the W3C name: geolocation, camera, microphone, notifications, …'
            : `Did you mean "${near}"?`,
      });
    }
    if (reason.trim().length < MIN_REASON) {
      throw new HullError('permission.no-reason', `There is no reason for ${name}: "${reason}".`, {
        place: project.place(pointer),
        remedy: `Say what the user gets, as in "${capability(name)?.reason ?? 'Shows the pier nearest to you.'}"`,
      });
    }
    checkLabel(reason, project.place(pointer));
    return { name, reason: reason.trim() };
  });
}

const HOST =
  /^(\*\.)?(?=.{1,253}$)[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?(?:\.[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?)*$/;

/** Whether a pattern matches a path; `*` is any run of characters. */
export function pathMatches(pattern: string, path: string): boolean {
  const parts = pattern.split('*').map((part) => part.replaceAll(/[\\^$.+?()[\]{}|]/g, '\\$&'));
  return new RegExp(`^${parts.join('.*')}$`, 's').test(path);
}

function pathRule(text: string, place: Place): PathRule {
  const allow = !text.startsWith('!');
  const pattern = allow ? text : text.slice(1);
  if (!pattern.startsWith('/') || /[?#\s]/.test(pattern)) {
    throw new HullError('links.bad-path', `"${text}" is not a path of a link.`, {
      place,
      remedy:
        'Begin with a slash, and leave query and fragment out: /timetable/*, or !/admin/* to leave some out.',
    });
  }
  return { allow, pattern };
}

function readLinks(project: Project): AppLink[] {
  return (project.config.links ?? []).map(({ host, paths }, index) => {
    const at = `/links/${index}`;
    if (!HOST.test(host)) {
      throw new HullError('links.bad-host', `"${host}" is not a host.`, {
        place: project.place(`${at}/host`),
        remedy: 'Write the name alone, in lower case: ferry.saltmarsh.example',
      });
    }
    const rules = (paths ?? ['/*']).map((text, each) => pathRule(text, project.place(`${at}/paths/${each}`)));
    const excluding = rules.filter(({ allow }) => !allow);
    rules.forEach((rule, each) => {
      const isDead =
        rule.allow &&
        excluding.some(
          ({ pattern }) =>
            pathMatches(pattern, rule.pattern.replaceAll('*', 'x')) &&
            pathMatches(pattern, rule.pattern.replaceAll('*', '')),
        );
      if (!isDead) return;
      throw new HullError(
        'links.matches-nothing',
        `${rule.pattern} matches nothing: another rule leaves all of it out.`,
        {
          place: project.place(`${at}/paths/${each}`),
          remedy: 'Remove one of the two.',
        },
      );
    });
    if (rules.length > 0 && !rules.some(({ allow }) => allow)) {
      return { host, rules: [{ allow: true, pattern: '/*' }, ...rules] };
    }
    return { host, rules: rules.length === 0 ? [{ allow: true, pattern: '/*' }] : rules };
  });
}

function insideAddress(
  text: string,
  base: URL,
  inside: readonly CompiledPattern[],
  place: Place,
  what: string,
): URL {
  const url = parseUrl(text, base);
  if (url && inside.some((pattern) => patternMatches(pattern, url))) return url;
  throw new HullError('web.entry-outside', `${what} "${text}" lies outside of the app.`, {
    place,
    remedy: `Name a page below ${base.href}, or add its address to web.inside.`,
  });
}

function readShortcuts(project: Project, base: URL, inside: readonly CompiledPattern[]): AppShortcut[] {
  return (project.config.shortcuts ?? []).map(({ name, short_name, url }, index) => {
    checkLabel(name, project.place(`/shortcuts/${index}/name`));
    return {
      name,
      shortName: short_name ?? name,
      url: insideAddress(url, base, inside, project.place(`/shortcuts/${index}/url`), 'The shortcut'),
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
  const target = project.config.share_target;
  if (!target) return undefined;
  const files = target.params.files ?? [];
  files.forEach(({ accept }, index) => {
    const bad = accept.findIndex((type) => !ACCEPT.test(type));
    if (bad < 0) return;
    throw new HullError(
      'config.bad-value',
      `"${accept[bad]}" is neither a MIME type nor a file name's ending.`,
      {
        place: project.place(`/share_target/params/files/${index}/accept/${bad}`),
        remedy: 'Write it as image/*, application/pdf or .csv',
      },
    );
  });
  const method = target.method ?? 'GET';
  if (files.length > 0 && (method !== 'POST' || target.enctype !== 'multipart/form-data')) {
    throw new HullError('config.bad-value', 'Files can only be shared with a multipart POST.', {
      place: project.place('/share_target'),
      remedy: 'Set "method": "POST" and "enctype": "multipart/form-data"; a page or its worker answers it.',
    });
  }
  const { title, text, url } = target.params;
  return {
    action: insideAddress(
      target.action,
      base,
      inside,
      project.place('/share_target/action'),
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

/** Whether a language is one that is known (CLDR). Asked for only where there are translations: it takes time to load. */
function isLanguage(tag: string): boolean {
  return new Intl.DisplayNames(['en'], { type: 'language', fallback: 'none' }).of(tag) !== undefined;
}

function readTranslations(project: Project): AppTranslation[] {
  const { translations = {}, name, short_name } = project.config.app;
  return Object.entries(translations)
    .map(([tag, own]) => {
      const pointer = `/app/translations/${pointerStep(tag)}`;
      let language: string | undefined;
      try {
        [language] = Intl.getCanonicalLocales(tag);
      } catch {
        language = undefined;
      }
      const primary = language?.split('-')[0] ?? '';
      if (language === undefined || !isLanguage(primary)) {
        throw new HullError('app.bad-language', `"${tag}" is no language.`, {
          place: project.json.placeOfKey(pointer),
          remedy: 'Write a language tag (BCP 47): de, pt-BR, zh-Hans.',
        });
      }
      for (const [key, text] of Object.entries(own)) checkLabel(text, project.place(`${pointer}/${key}`));
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
