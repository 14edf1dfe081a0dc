import { contrast, parseColor } from '../../project/color.js';
import { ORIENTATIONS } from '../../project/config.js';
import { nearest } from '../../project/nearest.js';
import { fileUrl, locationIn, type Site } from '../../site/site.js';
import { inScope, letters, ManifestView } from '../manifest-view.js';
import { type Rule, type RuleFinding, rule, type SurveyContext } from '../rule.js';

export const W3C = 'W3C Web Application Manifest';

/** Standard members and their types (W3C Web Application Manifest; Manifest Incubations). */
export const MEMBERS: Readonly<Record<string, 'text' | 'list' | 'object' | 'boolean'>> = {
  background_color: 'text',
  categories: 'list',
  description: 'text',
  dir: 'text',
  display: 'text',
  display_override: 'list',
  file_handlers: 'list',
  handle_links: 'text',
  iarc_rating_id: 'text',
  icons: 'list',
  id: 'text',
  lang: 'text',
  launch_handler: 'object',
  name: 'text',
  note_taking: 'object',
  orientation: 'text',
  prefer_related_applications: 'boolean',
  protocol_handlers: 'list',
  related_applications: 'list',
  scope: 'text',
  scope_extensions: 'list',
  screenshots: 'list',
  share_target: 'object',
  short_name: 'text',
  shortcuts: 'list',
  start_url: 'text',
  theme_color: 'text',
  translations: 'object',
};
const TYPE_WORDS = { text: 'a text', list: 'a list', object: 'an object', boolean: 'true or false' } as const;
const DISPLAYS = ['fullscreen', 'standalone', 'minimal-ui', 'browser'];
const OVERRIDES = [...DISPLAYS, 'window-controls-overlay', 'tabbed', 'picture-in-picture', 'borderless'];
/** Letters that a home screen of usual width shows under an icon. */
const LABEL = 12;

function typeOf(value: unknown): string {
  if (Array.isArray(value)) return 'list';
  return typeof value === 'string' ? 'text' : value === null ? 'null' : typeof value;
}

export const shown = (value: unknown) => JSON.stringify(value)?.slice(0, 80) ?? 'nothing';

/** A rule about a manifest that could be read. */
export function manifestRule(
  parts: Omit<Parameters<typeof rule>[0], 'check' | 'needs' | 'source'> & {
    readonly source?: string;
    check(view: ManifestView, context: SurveyContext): Iterable<RuleFinding>;
    /** Whether it looks at the icons' pictures, so that one that could not be read is not judged. */
    readonly reads?: 'pictures';
  },
): Rule {
  const { check, source, reads, ...rest } = parts;
  return rule({
    ...rest,
    ...(reads ? { blind: ({ site }) => unreadIcons(new ManifestView(site)) } : {}),
    source: source ?? W3C,
    needs: ['manifest'],
    check: (context) => check(new ManifestView(context.site), context),
  });
}

function unreadIcons(view: ManifestView): string | undefined {
  const unread = view.icons().filter(({ picture, src }) => picture === undefined && !src.startsWith('data:'));
  return unread.length === 0
    ? undefined
    : `the icon ${unread.map(({ src }) => src).join(', ')} could not be read`;
}

/** Whether an address of the site can be opened, and why not. */
export function notThere(site: Site, url: URL): string | undefined {
  const status = site.resolveStatus(url);
  if (status.is === 'missing') return 'nothing is there';
  if (status.is === 'case') return `only ${status.other} is there: capital letters count`;
  const response = site.responses.get(url.href) ?? site.responses.get(fileUrl(url));
  if (response && response.status >= 400) return `the host answers with status ${response.status}`;
  return undefined;
}

export const FOUND: readonly Rule[] = [
  rule({
    id: 'manifest.linked',
    title: 'The start page links to no web app manifest',
    severity: 'warning',
    needs: ['start-page'],
    source: `${W3C}, "linking to a manifest"`,
    why: 'The manifest names the app, its icons, colours, start page and scope. Without it nobody can install the web app, the browser engine does not show it full screen, and every value has to be given by hand.',
    *check({ site }) {
      const { startPage, manifest } = site;
      if (!startPage || manifest?.link) return;
      const name =
        manifest === undefined
          ? 'manifest.webmanifest'
          : new URL(manifest.url).pathname.slice(site.base.pathname.length);
      yield {
        location: locationIn(site.kind, startPage.name, startPage.facts.headPosition),
        observed:
          manifest === undefined
            ? 'no <link rel="manifest">'
            : `no <link rel="manifest">, though ${manifest.name} is there`,
        impact: 'Phones take this for a web page, not for an app: no name, no icon, no full screen.',
        fix: `<link rel="manifest" href="${site.base.pathname}${name}">`,
      };
    },
  }),
  rule({
    id: 'manifest.reachable',
    title: 'The link to the manifest is broken',
    severity: 'error',
    needs: ['start-page'],
    source: `${W3C}, "processing the manifest"; WHATWG MIME Sniffing`,
    why: 'Hosts that answer every unknown address with their start page, and folders where the file was renamed, leave the browser with a page of HTML or with nothing; it then ignores the manifest silently.',
    *check({ site }) {
      const { manifest } = site;
      if (!manifest?.link) return;
      const isPage = /^\s*</.test(manifest.text ?? '') || /html/i.test(manifest.type ?? '');
      if (manifest.text !== undefined && !isPage) return;
      const response = site.responses.get(manifest.url);
      yield {
        location: manifest.link,
        observed: isPage
          ? `${manifest.name} is a page of HTML`
          : `${manifest.name}: ${response ? `status ${response.status}` : 'nothing is there'}`,
        impact: 'Phones ignore the manifest: no name, no icon, no full screen.',
        fix: isPage
          ? 'Put the manifest at this address, and let the server answer it as application/manifest+json.'
          : 'Correct the address, or put the file there.',
      };
    },
  }),
  rule({
    id: 'manifest.parses',
    title: 'The manifest is not valid JSON',
    severity: 'error',
    source: `${W3C}, "processing the manifest"; RFC 8259`,
    why: 'One comma too many, or a comment, and browsers ignore the whole manifest without a word.',
    *check({ site }) {
      const { manifest } = site;
      if (!manifest || manifest.text === undefined || /^\s*</.test(manifest.text)) return;
      if (/html/i.test(manifest.type ?? '')) return;
      const { fault } = manifest;
      if (fault) {
        yield {
          location: fault.location ?? { file: manifest.name },
          observed: fault.message,
          impact: 'Phones ignore the whole manifest: no name, no icon, no full screen.',
          fix: 'Fix the JSON here; a manifest has no comments and no trailing commas.',
        };
      } else if (manifest.members === undefined) {
        yield {
          location: { file: manifest.name, line: 1, column: 1 },
          observed: 'no object in braces',
          impact: 'Phones ignore the manifest.',
          fix: '{ "name": "…", "start_url": "/", "display": "standalone" }',
        };
      }
    },
  }),
  rule({
    id: 'manifest.content-type',
    title: 'The manifest is not served as JSON',
    severity: 'suggestion',
    needs: ['hosted', 'manifest'],
    source: `${W3C}, "media type"`,
    why: 'Browsers are lenient about the type today; caches and filters in between are not always.',
    *check({ site }) {
      const { type = '', name } = site.manifest ?? {};
      if (/json/i.test(type)) return;
      yield {
        location: { url: name ?? '' },
        observed: type === '' ? 'no Content-Type' : `Content-Type: ${type}`,
        impact: 'Filters on the way may drop or change it.',
        fix: 'Content-Type: application/manifest+json',
      };
    },
  }),
];

export const MEMBER_RULES: readonly Rule[] = [
  manifestRule({
    id: 'manifest.member-type',
    title: 'A manifest member has the wrong type',
    severity: 'warning',
    why: 'A member of another type is ignored as if it were not there.',
    *check(view) {
      for (const [key, type] of Object.entries(MEMBERS)) {
        const value = view.raw(key);
        if (value === undefined || typeOf(value) === type) continue;
        yield {
          location: view.location(`/${key}`),
          observed: `${key} is ${shown(value)}`,
          impact: `Phones ignore it, as if the manifest had no "${key}".`,
          fix: `Make it ${TYPE_WORDS[type]}.`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.member-name',
    title: 'A manifest member is misspelt',
    severity: 'warning',
    why: 'Unknown members are ignored without a word, and a misspelt one is an unknown one.',
    *check(view) {
      for (const key of view.keys) {
        if (Object.hasOwn(MEMBERS, key) || key.startsWith('$')) continue;
        const near = nearest(
          key,
          Object.keys(MEMBERS).filter((name) => view.raw(name) === undefined),
        );
        if (near === undefined) continue;
        yield {
          location: view.locationOfKey(`/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`),
          observed: `"${key}"`,
          impact: `Phones ignore it; "${near}" seems to be meant.`,
          fix: `"${near}": ${shown(view.raw(key))}`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.name',
    title: 'The app has no name',
    severity: 'error',
    source: `${W3C}, "name member"`,
    why: 'Installation dialogs, splash screens and settings show the name; without one the browser offers no installation, and the page’s long title is used instead.',
    *check(view) {
      if (view.text('name').is !== 'absent' || view.text('short_name').is !== 'absent') return;
      yield {
        location: view.top,
        observed: 'neither name nor short_name',
        impact: 'Users see the page’s title, cut in the middle, under the icon.',
        fix: `"name": "${view.site.startPage?.facts.head.title?.slice(0, 30) ?? 'Saltmarsh Ferry'}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.short-name',
    title: 'The label under the icon is cut',
    severity: 'warning',
    source: `${W3C}, "short_name member"; launchers show 10 to 13 letters`,
    why: 'A home screen shows some twelve letters under an icon and cuts the rest, often in the middle of a word. short_name is what it takes.',
    *check(view) {
      const [name, short] = [view.text('name'), view.text('short_name')];
      const label = short.is === 'ok' ? short : name;
      if (short.is === 'wrong' || label.is !== 'ok' || letters(label.value) <= LABEL) return;
      const cut = [...label.value]
        .slice(0, LABEL - 1)
        .join('')
        .trimEnd();
      yield {
        location: short.is === 'ok' ? view.location('/short_name') : view.top,
        observed:
          short.is === 'ok'
            ? `short_name "${label.value}", ${letters(label.value)} letters`
            : `no short_name, and name "${label.value}" has ${letters(label.value)} letters`,
        impact: `Under the icon users see “${cut}…”.`,
        fix: `"short_name": "${label.value.split(/\s+/).at(-1)?.slice(0, LABEL) ?? ''}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.id',
    title: 'The app has no stable identity',
    severity: 'suggestion',
    source: `${W3C}, "id member"`,
    why: 'Without id the start URL is the identity: changing it later makes it another app for everyone who installed it.',
    *check(view) {
      const id = view.text('id');
      if (id.is === 'wrong') return;
      const url = id.is === 'ok' ? view.resolve(id.value) : undefined;
      if (id.is === 'ok' && url?.origin === view.url.origin) return;
      const start = view.start;
      yield {
        location: id.is === 'ok' ? view.location('/id') : view.top,
        observed: id.is === 'ok' ? `id "${id.value}", on another origin` : 'no id',
        impact: 'A later change of start_url installs a second app beside the first.',
        fix: `"id": "${start ? start.pathname : '/'}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.start-url',
    title: 'The start URL is outside the app',
    severity: 'error',
    source: `${W3C}, "start_url member", "within scope"`,
    why: 'A start URL on another origin is ignored; one outside the scope opens with the browser’s bar around it.',
    *check(view) {
      const member = view.text('start_url');
      if (member.is === 'wrong') return;
      if (member.is === 'absent') {
        yield {
          location: view.top,
          observed: 'no start_url',
          impact: 'The app starts at whatever page it was installed from.',
          fix: `"start_url": "${view.site.base.pathname}",`,
        };
        return;
      }
      const url = view.resolve(member.value);
      const { scope } = view;
      const holds = url && url.origin === view.url.origin && (scope === undefined || inScope(url, scope));
      if (holds) return;
      yield {
        location: view.location('/start_url'),
        observed: `start_url "${member.value}"${url?.origin === view.url.origin && scope ? `, outside the scope ${scope.pathname}` : ''}`,
        impact: 'The app starts outside itself: with an address bar, or not at all.',
        fix: `"start_url": "${scope?.pathname ?? view.site.base.pathname}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.start-reachable',
    title: 'The start URL does not open',
    severity: 'error',
    source: `${W3C}, "start_url member"`,
    why: 'The start URL is the first thing that everyone sees. A page that is not there, or a redirect out of the app, ends it before it began.',
    *check(view, { site }) {
      const member = view.text('start_url');
      const url = member.is === 'ok' ? view.resolve(member.value) : undefined;
      if (!url || url.origin !== site.base.origin) return;
      const fault = notThere(site, url);
      const end = site.responses.get(url.href)?.redirects.at(-1)?.to;
      const leaves = end !== undefined && view.scope !== undefined && !inScope(new URL(end), view.scope);
      if (!fault && !leaves) return;
      yield {
        location: view.location('/start_url'),
        observed: `start_url "${member.is === 'ok' ? member.value : ''}": ${fault ?? `it redirects to ${end}`}`,
        impact: fault ? 'The app opens with an error.' : 'The app opens outside itself, with an address bar.',
        fix: `"start_url": "${site.startPage ? new URL(site.startPage.url).pathname : site.base.pathname}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.scope',
    title: 'The scope is not valid',
    severity: 'warning',
    source: `${W3C}, "scope member"`,
    why: 'A scope on another origin is ignored, and the start URL’s folder is used instead; pages outside it open with the browser’s bar.',
    *check(view) {
      const member = view.text('scope');
      if (member.is !== 'ok') return;
      const url = view.resolve(member.value);
      if (url?.origin === view.url.origin) return;
      yield {
        location: view.location('/scope'),
        observed: `scope "${member.value}"`,
        impact: 'Phones ignore it; pages above the start page open with an address bar.',
        fix: `"scope": "${view.site.base.pathname}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.display',
    title: 'The app opens in a browser tab',
    severity: 'warning',
    source: `${W3C}, "display member"`,
    why: 'Only fullscreen, standalone and minimal-ui are shown without the browser around them; browser, and no value at all, are a tab.',
    *check(view) {
      const display = view.text('display');
      if (display.is === 'wrong') return;
      const value = display.is === 'ok' ? display.value : undefined;
      if (value !== undefined && DISPLAYS.includes(value) && value !== 'browser') return;
      const near = value === undefined || value === 'browser' ? undefined : nearest(value, DISPLAYS);
      yield {
        location: value === undefined ? view.top : view.location('/display'),
        observed: value === undefined ? 'no display' : `display "${value}"`,
        impact: 'Users see a browser tab with its address bar, not an app.',
        fix: `"display": "${near === undefined || near === 'browser' ? 'standalone' : near}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.display-override',
    title: 'Unknown display override',
    severity: 'suggestion',
    source: 'WICG Manifest Incubations, "display_override member"',
    why: 'Unknown values are skipped, so the app is shown in another way than was meant.',
    *check(view) {
      const list = view.list('display_override');
      for (const [index, value] of list.is === 'ok' ? list.value.entries() : []) {
        if (typeof value === 'string' && OVERRIDES.includes(value)) continue;
        const near = typeof value === 'string' ? nearest(value, OVERRIDES) : undefined;
        yield {
          location: view.location(`/display_override/${index}`),
          observed: shown(value),
          impact: 'It is skipped.',
          fix: near === undefined ? `One of: ${OVERRIDES.join(', ')}` : `"${near}"`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.orientation',
    title: 'Unknown orientation',
    severity: 'warning',
    source: `${W3C}, "orientation member"; W3C Screen Orientation`,
    why: 'An unknown value is ignored, and the app turns with the device.',
    *check(view) {
      const member = view.text('orientation');
      if (member.is !== 'ok' || (ORIENTATIONS as readonly string[]).includes(member.value)) return;
      yield {
        location: view.location('/orientation'),
        observed: `orientation "${member.value}"`,
        impact: 'It is ignored: the app turns with the device.',
        fix: `"orientation": "${nearest(member.value, ORIENTATIONS) ?? 'any'}",`,
      };
    },
  }),
  manifestRule({
    id: 'manifest.language',
    title: 'Language or direction is not valid',
    severity: 'suggestion',
    source: `${W3C}, "dir member", "lang member"; BCP 47`,
    why: 'Names in scripts from right to left are set wrongly without them, and an invalid tag is ignored.',
    *check(view) {
      const [dir, lang] = [view.text('dir'), view.text('lang')];
      if (dir.is === 'ok' && !['ltr', 'rtl', 'auto'].includes(dir.value)) {
        yield {
          location: view.location('/dir'),
          observed: `dir "${dir.value}"`,
          impact: 'It is ignored.',
          fix: '"dir": "auto",',
        };
      }
      if (lang.is === 'ok' && !isLanguage(lang.value)) {
        yield {
          location: view.location('/lang'),
          observed: `lang "${lang.value}"`,
          impact: 'It is ignored.',
          fix: '"lang": "en",',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.colors',
    title: 'Theme or background colour is missing or not valid',
    severity: 'warning',
    source: `${W3C}, "theme_color member", "background_color member"; CSS Color 4`,
    why: 'The background colour fills the screen from the tap on the icon until the first page is drawn; without it that moment is white. The theme colour is behind the status bar. See-through colours are drawn on white or black as the device likes.',
    *check(view) {
      for (const key of ['theme_color', 'background_color'] as const) {
        const member = view.text(key);
        if (member.is === 'wrong') continue;
        const color = member.is === 'ok' ? parseColor(member.value) : undefined;
        if (color && color.a === 255) continue;
        yield {
          location: member.is === 'ok' ? view.location(`/${key}`) : view.top,
          observed:
            member.is !== 'ok'
              ? `no ${key}`
              : `${key} "${member.value}" ${color ? 'is see-through' : 'is not a valid colour'}`,
          impact:
            key === 'theme_color'
              ? 'The status bar has a colour that does not fit the app.'
              : 'The app flashes white as it starts.',
          fix: `"${key}": "${key === 'theme_color' ? (view.site.startPage?.facts.head.themeColor ?? '#0b4f6c') : '#f4f1ea'}",`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.theme-mismatch',
    title: 'Manifest and page name different theme colours',
    severity: 'suggestion',
    source: `${W3C}, "theme_color member"; HTML Standard, "theme-color"`,
    why: 'The manifest’s colour is shown first, the page’s once it is loaded: where they differ the status bar changes colour at every start.',
    *check(view) {
      const member = view.text('theme_color');
      const meta = view.site.startPage?.facts.metas.filter(
        ({ name, media }) => name === 'theme-color' && media === undefined,
      );
      const [own] = meta ?? [];
      const [one, two] = [
        member.is === 'ok' ? parseColor(member.value) : undefined,
        own && parseColor(own.content),
      ];
      if (!own || !one || !two || contrast(one, two) < 1.05) return;
      yield {
        location: view.location('/theme_color'),
        observed: `theme_color "${member.is === 'ok' ? member.value : ''}", while the start page says "${own.content}"`,
        impact: 'The status bar changes colour while the app starts.',
        fix: `"theme_color": "${own.content}",`,
      };
    },
  }),
];

function isLanguage(tag: string): boolean {
  try {
    return Intl.getCanonicalLocales(tag).length === 1;
  } catch {
    return false;
  }
}
