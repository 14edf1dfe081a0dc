import { formatFix, type SayTask } from '../errors.js';
import { toHex } from '../project/color.js';
import { type Html, html, lines, page, trusted } from '../util/html.js';
import { ENGLISH } from '../words/english.js';
import type { CutLabel } from './label.js';
import { LIST_ROOM, LIST_SIZE } from './listings.js';
import { ANDROID_MASKS, APPLE_MASK, cssPolygon } from './masks.js';
import { sceneFigure } from './screen-html.js';
import type { AndroidDialog, Preview, PreviewQuestion, StoreListing } from './types.js';
import { type Wallpaper, wallpapers } from './wallpapers.js';

/** Parts of the page; the family of a finding's code says which one it belongs to. */
type PreviewSection = 'home' | 'start' | 'asking' | 'store';

interface PageRequest {
  readonly preview: Preview;
  readonly say: SayTask | undefined;
}

const KINDS = ['phone', 'tablet'] as const;
const HOLDS = ['portrait', 'landscape'] as const;
const SCHEMES = ['light', 'dark'] as const;

const SECTIONS: Readonly<Record<PreviewSection, string>> = {
  home: 'On the home screen',
  start: 'At the start',
  asking: 'When it asks',
  store: 'In the store',
};

/** Images and shapes of this preview, for the style sheet to use. */
function pictureStyles({ pictures, background, touchIcon }: Preview): Html {
  const walls = wallpapers();
  const masks = ANDROID_MASKS.map((mask, index) => `--mask-${index}:${cssPolygon(mask)}`);
  return trusted(`:root { --fg: url(${pictures.foreground}); --mono: url(${pictures.monochrome}); --splash: url(${pictures.splash}); --launch: url(${pictures.launch});
  --apple-icon: url(${pictures.appleIcon}); --apple-dark: url(${pictures.appleDark}); --apple-tinted: url(${pictures.appleTinted}); --touch: url(${touchIcon});
  --store-icon: url(${pictures.storeIcon}); --feature: url(${pictures.feature}); --back: ${toHex(background)};
  --wall-light: url("${walls.light}"); --wall-busy: url("${walls.busy}"); --wall-dark: url("${walls.dark}");
  ${masks.join(';')}; --mask-apple: ${cssPolygon(APPLE_MASK)}; }
`);
}

function icon(classes: string, size: number, label: string, more = ''): Html {
  return html`<span class="ic ${classes}" role="img" aria-label="${label}" style="--s:${size}px;${more}"></span>`;
}

const TINTS = [
  { tint: '#d7e3f4', ink: '#27466b' },
  { tint: '#2f3b2c', ink: '#cfe3bf' },
];

function androidIcons(): Html {
  const each = (size: number, said: string) =>
    ANDROID_MASKS.map((mask, index) =>
      icon('', size, `Android icon, ${mask.name}${said}`, `--m:var(--mask-${index})`),
    );
  return html`${each(64, '')}<span class="break"></span>${each(34, ', small')}`;
}

function tintedIcons(): Html {
  const themed = TINTS.flatMap(({ tint, ink }, tone) =>
    [0, 2].map((index) =>
      icon(
        'themed',
        64,
        `Android icon in the colours of the wallpaper, ${tone === 0 ? 'light' : 'dark'}`,
        `--m:var(--mask-${index});--tint:${tint};--inked:${ink}`,
      ),
    ),
  );
  return html`${themed}<span class="break"></span>${icon('apple-dark', 60, 'Apple icon, dark')}${icon('apple-tinted', 60, 'Apple icon, tinted', '--tint:#7fb2c4')}${icon('apple-tinted', 60, 'Apple icon, tinted', '--tint:#d9a26b')}`;
}

function wall(kind: Wallpaper, caption: string, inside: Html): Html {
  return html`<figure><div class="wall ${kind}">${inside}</div><figcaption>${caption}</figcaption></figure>`;
}

/** Text drawn exactly as wide as it was computed, whatever fonts the reader's machine has. */
function labelText({ shown, width }: CutLabel, room: number, size: number, align: 'middle' | 'start'): Html {
  const x = align === 'middle' ? (room - width) / 2 : 0;
  return html`<svg width="${room}" height="${size + 6}" viewBox="0 0 ${room} ${size + 6}" role="img" aria-label="${shown}"><text x="${x.toFixed(1)}" y="${size}" font-size="${size}" textLength="${width.toFixed(1)}" lengthAdjust="spacingAndGlyphs" font-family="Roboto, system-ui, sans-serif" fill="currentColor">${shown}</text></svg>`;
}

function labelCells({ labels }: Preview): Html {
  return html`${labels.map(({ screen, label }) => {
    const shape =
      screen.platform === 'android'
        ? icon('', screen.icon, 'Icon', '--m:var(--mask-2)')
        : icon('touch', screen.icon, 'Icon');
    return html`<li><div class="cell">${shape}${labelText(label, screen.labelRoom, screen.labelSize, 'middle')}<div class="room" style="width:${screen.labelRoom}px"></div></div>${screen.name}<br><span class="soft">${label.isCut ? 'cut' : `${Math.round(label.width)} of ${screen.labelRoom} px`}${label.isMeasured ? '' : ', estimated'}</span></li>`;
  })}`;
}

function home(preview: Preview): Html {
  return html`<div class="walls">
${wall('light', 'Android, every mask, large and small', androidIcons())}
${wall('busy', 'The same on a busy wallpaper', androidIcons())}
${wall('dark', 'In the wallpaper’s colours (Android 13 and later); dark and tinted (Apple)', tintedIcons())}
${wall('light', 'Apple: the app, and the web app on the home screen', html`${icon('apple', 60, 'Apple app icon')}${icon('touch', 60, 'Web app icon on Apple’s home screen')}<span class="break"></span>${icon('apple', 34, 'Apple app icon, small')}${icon('touch', 34, 'Web app icon, small')}`)}
</div>
<ul class="labels">${labelCells(preview)}</ul>`;
}

function radios(
  name: string,
  legend: string,
  choices: readonly (readonly [id: string, text: string])[],
): Html {
  const inputs = choices.map(
    ([id, text], index) =>
      html`<label><input type="radio" name="${name}" id="is-${id}"${index === 0 ? ' checked' : ''}>${text}</label>`,
  );
  return html`<fieldset><legend>${legend}</legend>${inputs}</fieldset>`;
}

function start(preview: Preview): Html {
  const sets = KINDS.flatMap((kind) =>
    HOLDS.flatMap((orientation) =>
      SCHEMES.map((scheme) => {
        const own = preview.scenes.filter(
          ({ layout: { screen }, scheme: of }) =>
            screen.device.kind === kind && screen.orientation === orientation && of === scheme,
        );
        return html`<div class="set ${kind} ${orientation} ${scheme}">${lines(own.map((scene) => sceneFigure(preview, scene)))}</div>`;
      }),
    ),
  );
  return html`<div class="chooser">${radios('kind', 'Device', [
    ['phone', 'phone'],
    ['tablet', 'tablet'],
  ])}${radios('held', 'Orientation', [
    ['portrait', 'portrait'],
    ['landscape', 'landscape'],
  ])}${radios('scheme', 'System', [
    ['light', 'light'],
    ['dark', 'dark'],
  ])}<label><input type="checkbox" id="show-safe">Show safe areas</label></div>
${lines(sets)}`;
}

const dialog = (title: string, text: string, keys: readonly string[]) =>
  html`<div class="dialog"><b>${title}</b>${text === '' ? '' : html`<span>${text}</span>`}<div class="keys">${keys.map((key) => html`<span>${key}</span>`)}</div></div>`;

function question(preview: Preview, { name, reason, android, apple, review }: PreviewQuestion): Html {
  const keys = ['Allow', 'Don’t allow'];
  const ask = (who: string) => `Allow ${who} to ${android.allow}?`;
  const dialogs: Readonly<Record<AndroidDialog, Html>> = {
    reason: dialog(preview.name, reason, [ENGLISH.askNo, ENGLISH.askYes]),
    system: dialog(ask(preview.name), '', keys),
    app: dialog(ask(preview.name), reason, keys),
    site: dialog(ask(preview.host), '', keys),
  };
  const onAndroid = android.shows.map((one) => dialogs[one]);
  const onApple = apple.by.includes(' asks')
    ? dialog(`Allow ${preview.name} to ${apple.allow}?`, apple.usage === undefined ? '' : reason, keys)
    : '';
  return html`<div class="ask"><div><h3>${name}</h3><p>${reason}</p>${review === undefined ? '' : html`<p class="by">Reviewers ask: ${review}</p>`}</div>
<div><p class="by">Android: ${android.by}</p><div class="dialogs">${onAndroid}</div></div>
<div><p class="by">Apple: ${apple.by}</p><div class="dialogs">${onApple}</div></div></div>`;
}

function asking(preview: Preview): Html {
  if (preview.questions.length === 0) return html`<p>The app declares no permission: nothing is asked.</p>`;
  return lines(preview.questions.map((one) => question(preview, one)));
}

function listing({ platform, name, inList, short }: StoreListing): Html {
  const isAndroid = platform === 'android';
  const mask = `${isAndroid ? 'Android' : 'Apple'} store icon`;
  const says = short === undefined ? 'Subtitle: 30 characters, written with the listing' : short;
  return html`<div class="listing ${platform}"><h3>${isAndroid ? 'Android' : 'Apple'}</h3>
<p class="by">In a list of results</p><div class="row">${icon('', 48, mask)}<span>${labelText(inList, LIST_ROOM, LIST_SIZE, 'start')}<span class="soft">${says}</span></span></div>
<p class="by">At the head of its own page</p><div class="row head">${icon('', 76, mask)}<span><b>${name}</b><br><span class="soft">${says}</span></span></div>
${isAndroid ? html`<div class="feature" role="img" aria-label="Feature graphic"></div>` : ''}</div>`;
}

function section({ preview, say }: PageRequest, key: PreviewSection, says: string, body: Html): Html {
  const own = preview.findings.filter(({ code }) => code.startsWith(`preview-${key}.`));
  const list = own.map(
    ({ observed, impact, fix }) =>
      html`<li>${observed} ${impact}<span class="soft">${formatFix(fix, say)}</span></li>`,
  );
  return html`<section id="${key}" aria-labelledby="${key}-title"><h2 id="${key}-title">${SECTIONS[key]}</h2><p>${says}</p>
${body}${list.length > 0 ? html`\n<ul class="warn" aria-label="Warnings">${list}</ul>` : ''}</section>`;
}

/** The preview as one page that needs nothing else: no script, no request, pictures inside it. */
export function previewHtml(preview: Preview, say?: SayTask): string {
  const { findings, browser, noBrowser } = preview;
  const request = { preview, say };
  const count = `${findings.length} warning${findings.length === 1 ? '' : 's'}`;
  const shown = browser
    ? `pages shown by ${browser}`
    : html`<b>the pages themselves are not shown</b>: ${noBrowser ?? ''}`;
  const links = (Object.keys(SECTIONS) as PreviewSection[]).map((key) => {
    const own = findings.filter(({ code }) => code.startsWith(`preview-${key}.`)).length;
    return html`<a href="#${key}">${SECTIONS[key]}</a>${own > 0 ? html` <span class="soft">${own}</span>` : ''}`;
  });
  const body = html`<a class="skip" href="#home">Skip to the home screen</a>
<header><h1>${preview.name} ${preview.version}</h1>
<div class="soft">What users will see; engine ${preview.engine}; ${shown}; ${count}</div>
<nav aria-label="Parts of this page">${links.map((link) => html`<span>${link}</span>`)}</nav></header>
<main>
${section(request, 'home', 'The icon as launchers cut it, and its label in the room that it has.', home(preview))}
${section(request, 'start', 'What users see before the first page, and that page in its frame.', start(preview))}
${section(request, 'asking', 'With the reasons of hull.json. Systems word their own questions differently from version to version.', asking(preview))}
${section(request, 'store', 'Name and description as listings cut them.', html`<div class="stores">${preview.listings.map(listing)}</div>`)}
</main>`;
  return page(`Preview of ${preview.name}`, ['preview'], body, pictureStyles(preview));
}
