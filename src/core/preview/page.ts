import { formatFix, type SayTask } from '../errors.js';
import { toHex } from '../project/color.js';
import { html, PAGE_STYLE } from '../util/html-page.js';
import type { CutLabel } from './label.js';
import { ANDROID_MASKS, APPLE_MASK, cssPolygon } from './masks.js';
import {
  type AndroidDialog,
  LIST_ROOM,
  LIST_SIZE,
  type Preview,
  type PreviewQuestion,
  type StoreListing,
} from './preview.js';
import { sceneFigure } from './screen-html.js';
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

/** Which of the start's figures are shown, by what is chosen: no script is needed. */
function choiceRules(): string {
  return KINDS.flatMap((kind) =>
    HOLDS.flatMap((orientation) =>
      SCHEMES.map(
        (scheme) =>
          `#start:has(#is-${kind}:checked):has(#is-${orientation}:checked):has(#is-${scheme}:checked) .set.${kind}.${orientation}.${scheme}`,
      ),
    ),
  ).join(',\n');
}

function style({ pictures, background, touchIcon }: Preview): string {
  const walls = wallpapers();
  const masks = [...ANDROID_MASKS.map((mask, index) => `--mask-${index}:${cssPolygon(mask)}`)];
  return `${PAGE_STYLE}:root { --fg: url(${pictures.foreground}); --mono: url(${pictures.monochrome}); --splash: url(${pictures.splash});
  --apple: url(${pictures.appleIcon}); --apple-dark: url(${pictures.appleDark}); --apple-tinted: url(${pictures.appleTinted}); --touch: url(${touchIcon});
  --store: url(${pictures.storeIcon}); --feature: url(${pictures.feature}); --back: ${toHex(background)};
  ${masks.join(';')}; --mask-apple: ${cssPolygon(APPLE_MASK)}; }
nav { display: flex; flex-wrap: wrap; gap: 4px 18px; margin: 18px 0 0; }
section { scroll-margin-top: 12px; }
.skip { position: absolute; left: -999px; } .skip:focus { position: static; }
:focus-visible { outline: 3px solid var(--advice); outline-offset: 2px; border-radius: 4px; }
.warn { margin: 12px 0 0; padding: 0; list-style: none; font-size: .93rem; } .warn li { padding: 8px 12px 8px 14px; border-left: 4px solid var(--warning); background: var(--card); margin: 0 0 6px; border-radius: 0 7px 7px 0; }
.warn .soft { display: block; } .scene .warn li { font-size: .85rem; padding: 5px 10px; max-width: 460px; }
figure { margin: 0; } figcaption { margin-top: 9px; font-size: .9rem; }
.walls { display: grid; grid-template-columns: repeat(auto-fit, minmax(min(440px, 100%), 1fr)); gap: 20px; }
.wall { border-radius: 14px; padding: 22px 20px 16px; background-size: cover; background-position: center; border: 1px solid var(--line); display: flex; flex-wrap: wrap; gap: 14px 18px; align-items: end; align-content: space-between; min-height: 176px; }
.wall.light { background-image: url("${walls.light}"); } .wall.busy { background-image: url("${walls.busy}"); } .wall.dark { background-image: url("${walls.dark}"); }
.ic { display: inline-block; width: var(--s); height: var(--s); flex: none; background: var(--back) var(--fg) center / 150% no-repeat; clip-path: var(--m); }
.ic.apple, .ic.touch { --m: var(--mask-apple); background: #fff var(--apple) center / 100% no-repeat; } .ic.touch { background-image: var(--touch); }
.ic.apple-dark { --m: var(--mask-apple); background: #000 var(--apple-dark) center / 100%; } .ic.apple-tinted { --m: var(--mask-apple); background: var(--apple-tinted) center / 100%, var(--tint); background-blend-mode: multiply; }
.ic.themed { background: var(--tint); } .ic.themed::after { content: ""; display: block; width: 100%; height: 100%; background: var(--inked); -webkit-mask: var(--mono) center / 150% no-repeat; mask: var(--mono) center / 150% no-repeat; }
.break { flex-basis: 100%; height: 0; }
.labels { display: flex; flex-wrap: wrap; gap: 16px; padding: 0; margin: 18px 0 0; list-style: none; }
.labels li { flex: 1 1 170px; background: var(--card); border: 1px solid var(--line); border-radius: 10px; padding: 14px; text-align: center; font-size: .88rem; }
.labels .cell { margin: 0 auto 8px; } .labels svg { display: block; margin: 6px auto 0; overflow: visible; }
.room { height: 4px; border: 1px solid var(--soft); border-top: 0; margin: 3px auto 0; }
.chooser { display: flex; flex-wrap: wrap; gap: 12px 26px; margin: 0 0 20px; } fieldset { border: 0; padding: 0; margin: 0; display: flex; gap: 4px 14px; flex-wrap: wrap; } fieldset { align-items: center; } legend { float: left; padding: 0 6px 0 0; color: var(--soft); line-height: 28px; }
label { cursor: pointer; display: inline-flex; gap: 6px; align-items: center; min-height: 28px; }
.set { display: none; flex-wrap: wrap; gap: 26px 34px; } ${choiceRules()} { display: flex; }
.pair { display: flex; gap: 16px; flex-wrap: wrap; } .device { position: relative; overflow: hidden; outline: 5px solid #2a3135; box-shadow: 0 0 0 6px #59646a55; margin: 6px; }
.over { position: absolute; display: block; } .splash { background: var(--splash) center / 100% no-repeat; }
.cutout { position: absolute; background: #0b0d0e; border-radius: 99px; }
.safe { position: absolute; display: none; background: repeating-linear-gradient(45deg, #ff3d0055 0 5px, #ff3d0022 5px 10px); outline: 1px dashed #ff3d00; outline-offset: -1px; } #start:has(#show-safe:checked) .safe { display: block; }
.blank, .unseen { display: flex; align-items: center; justify-content: center; text-align: center; color: #5d6a70; font-size: 13px; padding: 16px; } .blank { position: absolute; inset: 0; } .unseen span { max-width: 30ch; background: #fff; border-radius: 6px; padding: 6px 10px; }
.ask { display: grid; grid-template-columns: 1.3fr 2fr 1fr; gap: 22px; padding: 18px 0; border-bottom: 1px solid var(--line); align-items: start; } .ask h3 { margin: 0; font-size: 1rem; } .ask p { margin: 5px 0; }
.dialogs { display: flex; gap: 14px; flex-wrap: wrap; } .dialog { flex: 1 1 200px; max-width: 300px; background: var(--card); border: 1px solid var(--line); border-radius: 12px; padding: 14px 16px; font-size: .92rem; } .dialog b { display: block; } .dialog .keys { margin-top: 10px; color: var(--advice); display: flex; flex-wrap: wrap; gap: 4px 16px; }
.by { font-size: .84rem; color: var(--soft); margin: 0 0 6px; }
.stores { display: grid; grid-template-columns: 1fr 1fr; gap: 22px; } .listing { background: var(--card); border: 1px solid var(--line); border-radius: 12px; padding: 18px; } .listing h3 { margin: 0 0 12px; font-size: 1rem; }
.row { display: flex; gap: 14px; align-items: center; margin: 0 0 14px; } .row .ic { background: var(--store) center / 100%; --m: var(--mask-1); } .apple .row .ic { background: var(--apple) center / 100%; --m: var(--mask-apple); } .row svg { display: block; } .head b { font-size: 1.2rem; }
.feature { aspect-ratio: 1024 / 500; background: var(--feature) center / cover; border-radius: 8px; }
@media (max-width: 760px) { .ask, .stores { grid-template-columns: 1fr; } body { padding: 22px 16px; } }
@media print { .chooser { display: none; } }
`;
}

function icon(classes: string, size: number, label: string, more = ''): string {
  return `<span class="ic ${classes}" role="img" aria-label="${html(label)}" style="--s:${size}px;${more}"></span>`;
}

const TINTS = [
  { tint: '#d7e3f4', ink: '#27466b' },
  { tint: '#2f3b2c', ink: '#cfe3bf' },
];

function androidIcons(): string {
  const each = (size: number, said: string) =>
    ANDROID_MASKS.map((mask, index) =>
      icon('', size, `Android icon, ${mask.name}${said}`, `--m:var(--mask-${index})`),
    ).join('');
  return `${each(64, '')}<span class="break"></span>${each(34, ', small')}`;
}

function tintedIcons(): string {
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
  return `${themed.join('')}<span class="break"></span>${icon('apple-dark', 60, 'Apple icon, dark')}${icon('apple-tinted', 60, 'Apple icon, tinted', '--tint:#7fb2c4')}${icon('apple-tinted', 60, 'Apple icon, tinted', '--tint:#d9a26b')}`;
}

function wall(kind: Wallpaper, caption: string, inside: string): string {
  return `<figure><div class="wall ${kind}">${inside}</div><figcaption>${html(caption)}</figcaption></figure>`;
}

/** Text drawn exactly as wide as it was computed, whatever fonts the reader's machine has. */
function labelText(
  { shown, width }: CutLabel,
  room: number,
  size: number,
  align: 'middle' | 'start',
): string {
  const x = align === 'middle' ? (room - width) / 2 : 0;
  return `<svg width="${room}" height="${size + 6}" viewBox="0 0 ${room} ${size + 6}" role="img" aria-label="${html(shown)}"><text x="${x.toFixed(1)}" y="${size}" font-size="${size}" textLength="${width.toFixed(1)}" lengthAdjust="spacingAndGlyphs" font-family="Roboto, system-ui, sans-serif" fill="currentColor">${html(shown)}</text></svg>`;
}

function labelCells({ labels }: Preview): string {
  return labels
    .map(({ screen, label }) => {
      const shape =
        screen.platform === 'android'
          ? icon('', screen.icon, 'Icon', '--m:var(--mask-2)')
          : icon('touch', screen.icon, 'Icon');
      return `<li><div class="cell">${shape}${labelText(label, screen.labelRoom, screen.labelSize, 'middle')}<div class="room" style="width:${screen.labelRoom}px"></div></div>${html(screen.name)}<br><span class="soft">${label.isCut ? 'cut' : `${Math.round(label.width)} of ${screen.labelRoom} px`}${label.isMeasured ? '' : ', estimated'}</span></li>`;
    })
    .join('');
}

function home(preview: Preview): string {
  return `<div class="walls">
${wall('light', 'Android, every mask, large and small', androidIcons())}
${wall('busy', 'The same on a busy wallpaper', androidIcons())}
${wall('dark', 'In the wallpaper’s colours (Android 13 and later); dark and tinted (Apple)', tintedIcons())}
${wall('light', 'Apple: the app, and the web app on the home screen', `${icon('apple', 60, 'Apple app icon')}${icon('touch', 60, 'Web app icon on Apple’s home screen')}<span class="break"></span>${icon('apple', 34, 'Apple app icon, small')}${icon('touch', 34, 'Web app icon, small')}`)}
</div>
<ul class="labels">${labelCells(preview)}</ul>`;
}

function radios(
  name: string,
  legend: string,
  choices: readonly (readonly [id: string, text: string])[],
): string {
  const inputs = choices.map(
    ([id, text], index) =>
      `<label><input type="radio" name="${name}" id="is-${id}"${index === 0 ? ' checked' : ''}>${text}</label>`,
  );
  return `<fieldset><legend>${legend}</legend>${inputs.join('')}</fieldset>`;
}

function start(preview: Preview): string {
  const sets = KINDS.flatMap((kind) =>
    HOLDS.flatMap((orientation) =>
      SCHEMES.map((scheme) => {
        const own = preview.scenes.filter(
          ({ layout: { screen }, scheme: of }) =>
            screen.device.kind === kind && screen.orientation === orientation && of === scheme,
        );
        return `<div class="set ${kind} ${orientation} ${scheme}">${own.map((scene) => sceneFigure(preview, scene)).join('\n')}</div>`;
      }),
    ),
  );
  return `<div class="chooser">${radios('kind', 'Device', [
    ['phone', 'phone'],
    ['tablet', 'tablet'],
  ])}${radios('held', 'Held', [
    ['portrait', 'portrait'],
    ['landscape', 'landscape'],
  ])}${radios('scheme', 'System', [
    ['light', 'light'],
    ['dark', 'dark'],
  ])}<label><input type="checkbox" id="show-safe">Show safe areas</label></div>
${sets.join('\n')}`;
}

const dialog = (title: string, text: string, keys: readonly string[]) =>
  `<div class="dialog"><b>${html(title)}</b>${text === '' ? '' : `<span>${html(text)}</span>`}<div class="keys">${keys.map((key) => `<span>${html(key)}</span>`).join('')}</div></div>`;

function question(preview: Preview, { name, reason, android, apple, review }: PreviewQuestion): string {
  const keys = ['Allow', 'Don’t allow'];
  const ask = (who: string) => `Allow ${who} to ${android.allow}?`;
  const dialogs: Readonly<Record<AndroidDialog, string>> = {
    reason: dialog(preview.name, reason, ['Not now', 'Go on']),
    system: dialog(ask(preview.name), '', keys),
    app: dialog(ask(preview.name), reason, keys),
    site: dialog(ask(preview.host), '', keys),
  };
  const onAndroid = android.shows.map((one) => dialogs[one]).join('');
  const onApple = apple.by.includes(' asks')
    ? dialog(`Allow ${preview.name} to ${apple.allow}?`, apple.usage === undefined ? '' : reason, keys)
    : '';
  return `<div class="ask"><div><h3>${html(name)}</h3><p>${html(reason)}</p>${review === undefined ? '' : `<p class="by">Reviewers ask: ${html(review)}</p>`}</div>
<div><p class="by">Android: ${html(android.by)}</p><div class="dialogs">${onAndroid}</div></div>
<div><p class="by">Apple: ${html(apple.by)}</p><div class="dialogs">${onApple}</div></div></div>`;
}

function asking(preview: Preview): string {
  if (preview.questions.length === 0) return '<p>The app declares no permission: nothing is asked.</p>';
  return preview.questions.map((one) => question(preview, one)).join('\n');
}

function listing({ platform, name, inList, short }: StoreListing): string {
  const isAndroid = platform === 'android';
  const mask = `${isAndroid ? 'Android' : 'Apple'} store icon`;
  const says = short === undefined ? 'Subtitle: 30 characters, written with the listing' : short;
  return `<div class="listing ${platform}"><h3>${isAndroid ? 'Android' : 'Apple'}</h3>
<p class="by">In a list of results</p><div class="row">${icon('', 48, mask)}<span>${labelText(inList, LIST_ROOM, LIST_SIZE, 'start')}<span class="soft">${html(says)}</span></span></div>
<p class="by">At the head of its own page</p><div class="row head">${icon('', 76, mask)}<span><b>${html(name)}</b><br><span class="soft">${html(says)}</span></span></div>
${isAndroid ? '<div class="feature" role="img" aria-label="Feature graphic"></div>' : ''}</div>`;
}

function section({ preview, say }: PageRequest, key: PreviewSection, says: string, body: string): string {
  const own = preview.findings.filter(({ code }) => code.startsWith(`preview-${key}.`));
  const list = own.map(
    ({ observed, impact, fix }) =>
      `<li>${html(observed)} ${html(impact)}<span class="soft">${html(formatFix(fix, say))}</span></li>`,
  );
  return `<section id="${key}" aria-labelledby="${key}-title"><h2 id="${key}-title">${SECTIONS[key]}</h2><p>${says}</p>
${body}${list.length > 0 ? `\n<ul class="warn" aria-label="Warnings">${list.join('')}</ul>` : ''}</section>`;
}

/** The preview as one page that needs nothing else: no script, no request, pictures inside it. */
export function previewHtml(preview: Preview, say?: SayTask): string {
  const { findings, browser, noBrowser } = preview;
  const request = { preview, say };
  const count = `${findings.length} warning${findings.length === 1 ? '' : 's'}`;
  const shown = browser
    ? `pages shown by ${html(browser)}`
    : `<b>the pages themselves are not shown</b>: ${html(noBrowser ?? '')}`;
  const links = (Object.keys(SECTIONS) as PreviewSection[]).map((key) => {
    const own = findings.filter(({ code }) => code.startsWith(`preview-${key}.`)).length;
    return `<a href="#${key}">${SECTIONS[key]}</a>${own > 0 ? ` <span class="soft">${own}</span>` : ''}`;
  });
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>Preview of ${html(preview.name)}</title><style>${style(preview)}</style></head><body>
<a class="skip" href="#home">Skip to the home screen</a>
<header><h1>${html(preview.name)} ${html(preview.version)}</h1>
<div class="soft">What users will see; engine ${preview.engine}; ${shown}; ${count}</div>
<nav aria-label="Parts of this page">${links.map((link) => `<span>${link}</span>`).join('')}</nav></header>
<main>
${section(request, 'home', 'The icon as launchers cut it, and its label in the room that it has.', home(preview))}
${section(request, 'start', 'What stands there before the first page, and that page in its frame.', start(preview))}
${section(request, 'asking', 'With the reasons of hull.json. Systems word their own questions differently from version to version.', asking(preview))}
${section(request, 'store', 'Name and description as listings cut them.', `<div class="stores">${preview.listings.map(listing).join('')}</div>`)}
</main></body></html>
`;
}
