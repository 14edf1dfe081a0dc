import { contrast, parseColor } from '../../project/color.js';
import { ORIENTATIONS } from '../../project/config.js';
import { nearest } from '../../project/nearest.js';
import { meanColor, shareOutsideSafeZone, transparentShare } from '../../site/picture.js';
import { fileUrl, locationIn, type Site } from '../../site/site.js';
import { inScope, letters, ManifestView } from '../manifest-view.js';
import { type Rule, type RuleFinding, rule, type SurveyContext } from '../rule.js';

const W3C = 'W3C Web Application Manifest';

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
const PURPOSES = ['any', 'maskable', 'monochrome'];
/** Letters that a home screen of usual width shows under an icon. */
const LABEL = 12;

function typeOf(value: unknown): string {
  if (Array.isArray(value)) return 'list';
  return typeof value === 'string' ? 'text' : value === null ? 'null' : typeof value;
}

const shown = (value: unknown) => JSON.stringify(value)?.slice(0, 80) ?? 'nothing';

/** A rule about a manifest that could be read. */
function manifestRule(
  parts: Omit<Parameters<typeof rule>[0], 'check' | 'needs' | 'source'> & {
    readonly source?: string;
    check(view: ManifestView, context: SurveyContext): Iterable<RuleFinding>;
  },
): Rule {
  const { check, source, ...rest } = parts;
  return rule({
    ...rest,
    source: source ?? W3C,
    needs: ['manifest'],
    check: (context) => check(new ManifestView(context.site), context),
  });
}

/** Whether an address of the site can be opened, and how it stands where not. */
function notThere(site: Site, url: URL): string | undefined {
  const standing = site.standing(url);
  if (standing.is === 'missing') return 'nothing is there';
  if (standing.is === 'case') return `only ${standing.other} is there: capital letters count`;
  const response = site.responses.get(url.href) ?? site.responses.get(fileUrl(url));
  if (response && response.status >= 400) return `the host answers with status ${response.status}`;
  return undefined;
}

const FOUND: readonly Rule[] = [
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

const MEMBER_RULES: readonly Rule[] = [
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
        impact: `Under the icon stands “${cut}…”.`,
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
    why: 'The background colour fills the screen from the tap on the icon until the first page is drawn; without it that moment is white. The theme colour stands behind the status bar. See-through colours are drawn on white or black as the device likes.',
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
              : `${key} "${member.value}" ${color ? 'is see-through' : 'is no colour'}`,
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

/** Media types by the decoder's names. */
const TYPES: Readonly<Record<string, string>> = {
  png: 'image/png',
  svg: 'image/svg+xml',
  jpeg: 'image/jpeg',
  webp: 'image/webp',
  gif: 'image/gif',
  ico: 'image/vnd.microsoft.icon',
  avif: 'image/avif',
  heif: 'image/avif',
};
const SAME_TYPE: Readonly<Record<string, string>> = {
  'image/x-icon': 'image/vnd.microsoft.icon',
  'image/jpg': 'image/jpeg',
};
const sizeText = ({ width, height }: { width: number; height: number }) => `${width}x${height}`;

const ICON_RULES: readonly Rule[] = [
  manifestRule({
    id: 'manifest.icons',
    title: 'No icons of 192 and 512 px',
    severity: 'error',
    source: `${W3C}, "icons member"; home screens draw 192 px, splash screens and stores 512 px`,
    why: 'Home screens draw icons at up to 192 px and splash screens at 512 px. From smaller ones they draw a blurred icon or the first letter of the name; from a drawing (SVG) not every system can.',
    *check(view) {
      if (view.list('icons').is === 'wrong') return;
      const sides = view
        .icons()
        .filter(
          ({ purposes, type, src }) =>
            purposes.includes('any') && type !== 'image/svg+xml' && !/\.svg($|[?#])/i.test(src),
        )
        .flatMap(({ sizes }) => sizes.map(({ width, height }) => Math.min(width, height)));
      for (const side of [192, 512]) {
        const has = side === 512 ? sides.some((n) => n >= 512) : sides.some((n) => n >= 144 && n < 512);
        if (has) continue;
        const { is } = view.list('icons');
        yield {
          location: is === 'absent' ? view.top : view.locationOfKey('/icons'),
          observed: `no icon of ${side}x${side} px for purpose "any"`,
          impact:
            side === 192
              ? 'The home screen shows a blurred icon, or a letter.'
              : 'The splash screen shows a blurred icon, or none; the app cannot be installed from a browser.',
          fix: `{ "src": "icons/icon-${side}.png", "sizes": "${side}x${side}", "type": "image/png" },`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-entry',
    title: 'An icon names no image, or an unknown purpose',
    severity: 'warning',
    source: 'W3C Image Resource; Web Application Manifest, "purpose member"',
    why: 'An icon without src, or only with unknown purposes, is left out without a word. An icon that is “any maskable” has a margin for the mask, and looks small wherever nothing is masked.',
    *check(view) {
      for (const { pointer, value } of view.objects('icons')) {
        if (typeof value.src !== 'string' || value.src.trim() === '') {
          yield {
            location: view.location(pointer),
            observed: shown(value),
            impact: 'It is left out.',
            fix: '"src": "icons/icon-192.png",',
          };
        }
      }
      for (const { pointer, purposes } of view.icons()) {
        const unknown = purposes.filter((name) => !PURPOSES.includes(name));
        if (unknown.length > 0) {
          yield {
            location: view.location(`${pointer}/purpose`),
            observed: `purpose "${purposes.join(' ')}"`,
            impact: 'Unknown purposes are skipped, and the icon with them.',
            fix: `"purpose": "${nearest(unknown[0] ?? '', PURPOSES) ?? 'any'}"`,
          };
        } else if (purposes.includes('any') && purposes.includes('maskable')) {
          yield {
            location: view.location(`${pointer}/purpose`),
            observed: `purpose "${purposes.join(' ')}"`,
            impact: 'Where icons are not cut it looks smaller than all others.',
            fix: 'Give a picture of its own for each: "purpose": "any" filled to the edge, "purpose": "maskable" with its margin.',
          };
        }
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-missing',
    title: 'An icon file is missing',
    severity: 'error',
    source: `${W3C}, "icons member"`,
    why: 'One icon that cannot be fetched may be the very one that a phone picks for its screen; it then draws a letter instead.',
    *check(view, { site }) {
      for (const { pointer, src, url, picture } of [...view.icons(), ...shortcutIcons(view)]) {
        if (picture || src.startsWith('data:')) continue;
        const foreign = url && url.origin !== site.base.origin && site.kind === 'folder';
        if (foreign) continue;
        const fault = url ? (notThere(site, url) ?? 'it could not be fetched') : 'no address';
        yield {
          location: view.location(`${pointer}/src`),
          observed: `${src}: ${fault}`,
          impact: 'A phone that picks this icon draws a letter instead.',
          fix: `Put the picture at ${url?.pathname ?? src}, or correct the address.`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-size',
    title: 'An icon does not have the size it declares',
    severity: 'warning',
    source: 'W3C Image Resource, "sizes member"',
    why: 'Phones choose icons by what is declared and scale what they get: a smaller picture is blurred, one that is not square is squeezed or left out.',
    *check(view) {
      for (const { pointer, sizes, picture } of view.icons()) {
        if (!picture?.format || picture.format === 'svg' || picture.format === 'ico') continue;
        const wrong = sizes.filter(
          ({ width, height }) =>
            Number.isFinite(width) && (width !== picture.width || height !== picture.height),
        );
        if (wrong.length === 0 && sizes.length > 0 && picture.width === picture.height) continue;
        const true_ = sizeText(picture);
        yield {
          location: view.location(sizes.length === 0 ? pointer : `${pointer}/sizes`),
          observed:
            sizes.length === 0
              ? `no sizes; the picture has ${true_} px`
              : wrong.length > 0
                ? `declared ${wrong.map(sizeText).join(' ')}; the picture has ${true_} px`
                : `${true_} px is not square`,
          impact: 'Phones pick it for a size that it does not have, and show it blurred or squeezed.',
          fix: picture.width === picture.height ? `"sizes": "${true_}",` : 'Make the picture square.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-type',
    title: 'An icon is not an image of the type it declares',
    severity: 'warning',
    source: 'W3C Image Resource, "type member"',
    why: 'A wrong type makes a phone skip an icon that it could draw, or fetch one that it cannot.',
    *check(view) {
      for (const { pointer, type, picture, src } of view.icons()) {
        if (!picture) continue;
        const real =
          picture.format === undefined ? undefined : (TYPES[picture.format] ?? `image/${picture.format}`);
        const declared =
          type === undefined ? undefined : (SAME_TYPE[type.toLowerCase()] ?? type.toLowerCase());
        if (real !== undefined && (declared === undefined || declared === real)) continue;
        yield {
          location: view.location(real === undefined ? `${pointer}/src` : `${pointer}/type`),
          observed:
            real === undefined
              ? `${src} is not an image that can be decoded`
              : `declared ${type}; it is ${real}`,
          impact: 'Phones skip it, or show nothing.',
          fix: real === undefined ? 'Save it again as PNG.' : `"type": "${real}",`,
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-maskable',
    title: 'No maskable icon',
    severity: 'warning',
    platforms: ['android', 'web'],
    source: `${W3C}, "icon masks"; Android adaptive icons`,
    why: 'Launchers cut icons to their own shape: circle, squircle, drop. An icon that is not marked maskable is shrunk onto a white plate instead.',
    *check(view) {
      if (
        view.list('icons').is === 'wrong' ||
        view.icons().some(({ purposes }) => purposes.includes('maskable'))
      )
        return;
      yield {
        location: view.list('icons').is === 'absent' ? view.top : view.locationOfKey('/icons'),
        observed: 'no icon with purpose "maskable"',
        impact: 'On launchers with shapes the icon stands small on a white plate.',
        fix: '{ "src": "icons/maskable-512.png", "sizes": "512x512", "type": "image/png", "purpose": "maskable" },',
      };
    },
  }),
  manifestRule({
    id: 'manifest.safe-zone',
    title: 'A maskable icon leaves the safe zone',
    severity: 'warning',
    platforms: ['android', 'web'],
    source: `${W3C}, "icon masks": a circle of 40 % of the side as radius`,
    why: 'Whatever a maskable icon draws outside the circle may be cut off, and whatever is see-through is filled as the launcher likes.',
    *check(view) {
      for (const { pointer, picture, purposes, src } of view.icons()) {
        if (!picture?.sample || !purposes.includes('maskable')) continue;
        const [outside, clear] = [shareOutsideSafeZone(picture), transparentShare(picture)];
        if (clear > 0.01) {
          yield {
            location: view.location(pointer),
            observed: `${src}: ${Math.round(clear * 100)} % of it is see-through`,
            impact: 'Launchers fill the gaps with white or black.',
            fix: 'Fill the whole square with the background colour; the mask cuts the corners.',
          };
        } else if (outside > 0.04) {
          yield {
            location: view.location(pointer),
            observed: `${src}: ${Math.round(outside * 100)} % of what is drawn lies outside the safe circle`,
            impact: 'Launchers cut it off.',
            fix: `Draw it smaller: inside the middle ${Math.round(picture.width * 0.8)} of ${picture.width} px.`,
          };
        }
      }
    },
  }),
  manifestRule({
    id: 'manifest.monochrome',
    title: 'No monochrome icon',
    severity: 'suggestion',
    platforms: ['android', 'web'],
    source: `${W3C}, "purpose member": monochrome; Android themed icons (API 33)`,
    why: 'Themed home screens draw all icons in one colour from their shape alone. An app without a monochrome icon stands out as the one that does not fit.',
    *check(view) {
      if (view.list('icons').is === 'wrong') return;
      const icons = view.icons().filter(({ purposes }) => purposes.includes('monochrome'));
      if (icons.length === 0) {
        yield {
          location: view.list('icons').is === 'absent' ? view.top : view.locationOfKey('/icons'),
          observed: 'no icon with purpose "monochrome"',
          impact: 'On a themed home screen the icon keeps its own colours between tinted ones.',
          fix: '{ "src": "icons/icon-mono.svg", "sizes": "any", "type": "image/svg+xml", "purpose": "monochrome" },',
        };
      }
      for (const { pointer, picture, src } of icons) {
        if (!picture?.sample || transparentShare(picture) > 0.02) continue;
        yield {
          location: view.location(pointer),
          observed: `${src} has no see-through part`,
          impact: 'Tinted, it is a plain square: only the shape counts.',
          fix: 'Draw the symbol on nothing.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.icon-contrast',
    title: 'The icon is invisible on the background colour',
    severity: 'warning',
    source: `${W3C}, "background_color member"; WCAG 2.2, contrast ratio`,
    why: 'The splash screen draws the icon on background_color. A white symbol on a white background is an empty screen.',
    *check(view) {
      const member = view.text('background_color');
      const background = member.is === 'ok' ? parseColor(member.value) : undefined;
      if (!background) return;
      for (const { pointer, picture, purposes, src } of view.icons()) {
        if (!picture?.sample || !purposes.includes('any') || transparentShare(picture) < 0.15) continue;
        const color = meanColor(picture);
        const ratio = color && contrast(color, background);
        if (ratio === undefined || ratio >= 1.5) continue;
        yield {
          location: view.location(pointer),
          observed: `${src} on ${member.is === 'ok' ? member.value : ''}: contrast ${ratio.toFixed(2)} to 1`,
          impact: 'The splash screen looks empty: the icon vanishes on its background.',
          fix: 'Choose another background_color, or give the icon a ground of its own.',
        };
        return;
      }
    },
  }),
];

/** Icons of shortcuts, with their pointers. */
function shortcutIcons(
  view: ManifestView,
): Pick<ReturnType<ManifestView['icons']>[number], 'pointer' | 'src' | 'url' | 'picture'>[] {
  return view.objects('shortcuts').flatMap(({ pointer, value }) => {
    const icons = Array.isArray(value.icons) ? value.icons : [];
    return icons.flatMap((icon: { src?: unknown } | null, index) => {
      if (typeof icon?.src !== 'string') return [];
      const url = view.resolve(icon.src);
      return [
        {
          pointer: `${pointer}/icons/${index}`,
          src: icon.src,
          url,
          picture: url && view.site.pictures.get(fileUrl(url)),
        },
      ];
    });
  });
}

const MAX_SHORTCUTS = 4;

const FURTHER: readonly Rule[] = [
  manifestRule({
    id: 'manifest.shortcuts',
    title: 'A shortcut has no name or leads out of the app',
    severity: 'warning',
    source: `${W3C}, "shortcuts member"; launchers show four`,
    why: 'A long press on the icon offers the shortcuts. One without a name, or that leads nowhere, is left out or opens an error; launchers show four at most.',
    *check(view, { site }) {
      const shortcuts = view.objects('shortcuts');
      for (const { pointer, value } of shortcuts) {
        const url = typeof value.url === 'string' ? view.resolve(value.url) : undefined;
        const { scope } = view;
        const fault =
          typeof value.name !== 'string' || value.name.trim() === ''
            ? { at: pointer, observed: 'no name', fix: '"name": "Nearest pier",' }
            : url === undefined
              ? { at: pointer, observed: 'no url', fix: '"url": "/pier.html",' }
              : scope && !inScope(url, scope)
                ? {
                    at: `${pointer}/url`,
                    observed: `url "${value.url}", outside the scope ${scope.pathname}`,
                    fix: 'Name a page of the app.',
                  }
                : notThere(site, url)
                  ? {
                      at: `${pointer}/url`,
                      observed: `url "${value.url}": ${notThere(site, url)}`,
                      fix: 'Name a page that is there.',
                    }
                  : undefined;
        if (!fault) continue;
        yield {
          location: view.location(fault.at),
          observed: fault.observed,
          impact: 'A long press on the icon does not offer it, or it opens an error.',
          fix: fault.fix,
        };
      }
      if (shortcuts.length > MAX_SHORTCUTS) {
        yield {
          location: view.location(`/shortcuts/${MAX_SHORTCUTS}`),
          observed: `${shortcuts.length} shortcuts`,
          impact: `Launchers show the first ${MAX_SHORTCUTS}.`,
          fix: 'Put the most used first, and leave the rest out.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.share-target',
    title: 'The share target cannot receive',
    severity: 'warning',
    source: 'W3C Web Share Target, section 4',
    why: 'Shared texts and files are sent to the action. Outside the scope it is ignored; files need POST and multipart/form-data, and something that answers: a worker or a server.',
    *check(view, { site }) {
      const target = view.raw('share_target');
      if (typeof target !== 'object' || target === null || Array.isArray(target)) return;
      const { action, method, enctype, params } = target as Record<string, unknown>;
      const url = typeof action === 'string' ? view.resolve(action) : undefined;
      const { scope } = view;
      const isPost = typeof method === 'string' && method.toUpperCase() === 'POST';
      const files = typeof params === 'object' && params !== null && 'files' in params;
      const fault =
        url === undefined
          ? { at: '', observed: 'no action', fix: '"action": "/share.html",' }
          : scope && !inScope(url, scope)
            ? {
                at: '/action',
                observed: `action "${String(action)}", outside the scope ${scope.pathname}`,
                fix: 'Name a page of the app.',
              }
            : typeof params !== 'object' || params === null
              ? {
                  at: '',
                  observed: 'no params',
                  fix: '"params": { "title": "title", "text": "text", "url": "url" },',
                }
              : files && !(isPost && enctype === 'multipart/form-data')
                ? {
                    at: '',
                    observed: 'files, but not sent as a form with files',
                    fix: '"method": "POST", "enctype": "multipart/form-data",',
                  }
                : !isPost && notThere(site, url)
                  ? {
                      at: '/action',
                      observed: `action "${String(action)}": ${notThere(site, url)}`,
                      fix: 'Name a page that is there.',
                    }
                  : undefined;
      if (!fault) return;
      yield {
        location: view.location(`/share_target${fault.at}`),
        observed: fault.observed,
        impact: 'The app is not offered when users share something, or loses what they shared.',
        fix: fault.fix,
      };
    },
  }),
  manifestRule({
    id: 'manifest.screenshots',
    title: 'Screenshots are missing or of unusable sizes',
    severity: 'suggestion',
    platforms: ['android', 'web'],
    source: 'W3C Manifest App Information, "screenshots member"; 320 to 3840 px, sides at most 2.3 to 1',
    why: 'With screenshots the installation dialog looks like a store’s listing, without them like a warning. Pictures of other sizes than declared, or too small, large or long, are left out.',
    *check(view, { site }) {
      if (view.list('screenshots').is === 'wrong') return;
      const shots = view.icons('screenshots');
      if (shots.length === 0) {
        yield {
          location: view.top,
          observed: 'no screenshots',
          impact: 'Users who install it see a name and an icon, and have to trust them.',
          fix: '"screenshots": [{ "src": "shots/start.webp", "sizes": "780x1688", "type": "image/webp", "form_factor": "narrow" }],',
        };
      }
      for (const { pointer, src, url, sizes, picture } of shots) {
        const [long, short] = picture
          ? [Math.max(picture.width, picture.height), Math.min(picture.width, picture.height)]
          : [0, 1];
        const [declared] = sizes;
        const isForeign = url === undefined || (site.kind === 'folder' && url.origin !== site.base.origin);
        const fault = !picture
          ? isForeign
            ? undefined
            : `${src}: ${(url && notThere(site, url)) ?? 'it could not be fetched'}`
          : picture.format === undefined
            ? `${src} is not an image that can be decoded`
            : short < 320 || long > 3840 || long > 2.3 * short
              ? `${src} has ${sizeText(picture)} px`
              : declared && (declared.width !== picture.width || declared.height !== picture.height)
                ? `${src}: declared ${sizeText(declared)}, it has ${sizeText(picture)} px`
                : undefined;
        if (!fault) continue;
        yield {
          location: view.location(pointer),
          observed: fault,
          impact: 'The installation dialog leaves it out.',
          fix: picture?.format
            ? `"sizes": "${sizeText(picture)}", with sides of 320 to 3840 px and at most 2.3 to 1.`
            : 'Correct the address, or put the picture there.',
        };
      }
    },
  }),
  manifestRule({
    id: 'manifest.scope-extensions',
    title: 'A scope extension is not an origin',
    severity: 'warning',
    platforms: ['web'],
    engines: ['browser'],
    source: 'WICG Manifest Incubations, "scope_extensions member"',
    why: 'An extension that is no https origin is skipped; pages of that origin open with an address bar.',
    *check(view) {
      const list = view.list('scope_extensions');
      for (const [index, item] of list.is === 'ok' ? list.value.entries() : []) {
        const origin = typeof item === 'string' ? item : (item as { origin?: unknown } | null)?.origin;
        const url =
          typeof origin === 'string' && URL.canParse(origin.replace('*.', ''))
            ? new URL(origin.replace('*.', ''))
            : undefined;
        if (url?.protocol === 'https:' && url.pathname === '/') continue;
        yield {
          location: view.location(`/scope_extensions/${index}`),
          observed: shown(item),
          impact: 'It is skipped: pages of that origin open with an address bar.',
          fix: '{ "type": "origin", "origin": "https://tickets.saltmarsh.example" }',
        };
      }
    },
  }),
];

export const MANIFEST_RULES: readonly Rule[] = [...FOUND, ...MEMBER_RULES, ...ICON_RULES, ...FURTHER];
