import { type Rgba, toHex, wantsDarkSymbols } from '../project/color.js';
import { type Html, html } from '../util/html.js';
import { ENGLISH } from '../words/english.js';
import type { ScreenLayout } from './layout.js';
import type { Preview, StartScene } from './types.js';

/** Drawn width of a screen on the page, px. */
function shownWidth({ screen: { device, orientation } }: ScreenLayout): number {
  if (device.kind === 'phone') return orientation === 'portrait' ? 218 : 452;
  return orientation === 'portrait' ? 236 : 452;
}

const percent = (part: number, whole: number) => `${((part / whole) * 100).toFixed(3)}%`;

function box(
  { screen }: Pick<ScreenLayout, 'screen'>,
  x: number,
  y: number,
  width: number,
  height: number,
): string {
  return `left:${percent(x, screen.width)};top:${percent(y, screen.height)};width:${percent(width, screen.width)};height:${percent(height, screen.height)}`;
}

/** Clock, signal and battery: plain shapes. */
function statusSymbols(layout: ScreenLayout): Html {
  const { screen, status } = layout;
  if (!status || status.symbols === 'none') return html``;
  const height = screen.insets.top;
  const color = status.symbols === 'dark' ? '#101314' : '#ffffff';
  const middle = height / 2 + (height > 40 ? 3 : 0);
  const side = Math.max(16, screen.device.corner * 0.62);
  const { width } = screen;
  const right = width - side;
  return html`<svg class="over" style="${box(layout, 0, 0, width, height)}" viewBox="0 0 ${width} ${height}" fill="${color}" aria-hidden="true"><text x="${side}" y="${middle + 5}" font-size="14" font-weight="600" font-family="Roboto,system-ui,sans-serif">14:07</text><path d="M${right - 50} ${middle + 5}h3v-4h-3zm5 0h3v-7h-3zm5 0h3v-10h-3z"/><rect x="${right - 24}" y="${middle - 5}" width="22" height="10" rx="2.5" fill="none" stroke="${color}" stroke-width="1.4"/><rect x="${right - 22}" y="${middle - 3}" width="13" height="6" rx="1"/></svg>`;
}

/** The bar of `minimal-ui`: a page back and reload, on Android with the page's name between them. */
function pageBar(layout: ScreenLayout, name: string): Html {
  if (layout.bar === undefined) return html``;
  return layout.bar.edge === 'top' ? barAbove(layout, name) : barBelow(layout);
}

const inkOn = (color: Rgba) => (wantsDarkSymbols(color) ? '#1c2326' : '#ffffff');

function barBelow({ screen, bar, page }: ScreenLayout): Html {
  if (bar === undefined) return html``;
  const half = page.width / 2;
  const word = (text: string, x: number) =>
    html`<text x="${x}" y="30" text-anchor="middle" font-size="16" font-family="Roboto,system-ui,sans-serif" fill="${inkOn(bar.color)}">${text}</text>`;
  const place = box({ screen }, 0, page.y + page.height, screen.width, bar.height);
  return html`<span class="over" style="${place};background:${toHex(bar.color)}"></span><svg class="over" style="${place}" viewBox="0 0 ${screen.width} ${bar.height}" aria-hidden="true">${word(ENGLISH.back, page.x + half / 2)}${word(ENGLISH.reload, page.x + half * 1.5)}</svg>`;
}

function barAbove(layout: ScreenLayout, name: string): Html {
  const { screen, page } = layout;
  const { height: bar, color: ground } = layout.bar as NonNullable<ScreenLayout['bar']>;
  const color = inkOn(ground);
  const middle = bar / 2;
  const text = html`<text x="${bar}" y="${middle + 6}" font-size="16" font-weight="700" font-family="Roboto,system-ui,sans-serif" fill="${color}">${name}</text>`;
  const line = html`fill="none" stroke="${color}" stroke-width="2"`;
  const back = html`<path d="M${middle + 10} ${middle}h-20m8 -8l-8 8l8 8" ${line} opacity=".4"/>`;
  const end = page.width - middle;
  const reload = html`<path d="M${end + 10} ${middle}a10 10 0 1 1 -5 -8.66m0.8 -3.4v4.4h-4.8" ${line}/>`;
  return html`<span class="over" style="${box(layout, 0, page.y - bar, screen.width, bar)};background:${toHex(ground)}"></span><svg class="over" style="${box(layout, page.x, page.y - bar, page.width, bar)}" viewBox="0 0 ${page.width} ${bar}" aria-hidden="true">${back}${text}${reload}</svg>`;
}

function cutoutShape(layout: ScreenLayout): Html {
  const { device, orientation, width, height } = layout.screen;
  const { cutout } = device;
  if (!cutout) return html``;
  const [w, h] = orientation === 'portrait' ? [cutout.width, cutout.height] : [cutout.height, cutout.width];
  const [x, y] = orientation === 'portrait' ? [width / 2, cutout.y] : [cutout.y, height / 2];
  return html`<span class="cutout" style="${box(layout, x - w / 2, y - h / 2, w, h)}"></span>`;
}

function gestureBar(layout: ScreenLayout): Html {
  const { screen, gesture } = layout;
  if (!gesture || gesture.symbols === 'none') return html``;
  const { width, height, insets } = screen;
  const line = Math.min(150, width * 0.34);
  const strip = gesture.color
    ? html`<span class="over" style="${box(layout, 0, height - insets.bottom, width, insets.bottom)};background:${toHex(gesture.color)}"></span>`
    : '';
  const color = gesture.symbols === 'dark' ? '#101314' : '#ffffff';
  return html`${strip}<span class="over" style="${box(layout, (width - line) / 2, height - insets.bottom / 2 - 2.5, line, 5)};background:${color};border-radius:9px;opacity:.8"></span>`;
}

/** The parts of a screen that the system covers; shown where the reader asks for it. */
function safeAreas(layout: ScreenLayout): Html {
  const { width, height, insets } = layout.screen;
  const part = (x: number, y: number, w: number, h: number) =>
    w > 0 && h > 0 ? html`<span class="safe" style="${box(layout, x, y, w, h)}"></span>` : '';
  return html`${[
    part(0, 0, width, insets.top),
    part(0, height - insets.bottom, width, insets.bottom),
    part(0, insets.top, insets.left, height - insets.top - insets.bottom),
    part(width - insets.right, insets.top, insets.right, height - insets.top - insets.bottom),
  ]}`;
}

function frame(layout: ScreenLayout, background: string, label: string, inside: Html): Html {
  const { screen } = layout;
  const shown = shownWidth(layout);
  const radius = (screen.device.corner / screen.width) * shown;
  return html`<div class="device" role="img" aria-label="${label}" style="width:${shown}px;aspect-ratio:${screen.width}/${screen.height};border-radius:${radius.toFixed(1)}px;background:${background}">${inside}</div>`;
}

/** Side of the Apple shell's logo, pt. */
const LOGO = 160;

function startFrame(scene: StartScene): Html {
  const { layout, start } = scene;
  const { screen } = layout;
  const name = `${screen.device.platform} ${screen.device.kind}, ${screen.orientation}`;
  const background = toHex(layout.around);
  if (start.is === 'launch') {
    return frame(
      layout,
      background,
      `Start screen, ${name}: the logo on ${background}`,
      html`<span class="over launch" style="${box(layout, (screen.width - LOGO) / 2, (screen.height - LOGO) / 2, LOGO, LOGO)}"></span>${cutoutShape(layout)}`,
    );
  }
  if (start.is === 'splash') {
    const side = 288;
    return frame(
      layout,
      background,
      `Splash screen, ${name}: the icon on ${background}`,
      html`<span class="over splash" style="${box(layout, (screen.width - side) / 2, (screen.height - side) / 2, side, side)}"></span>${cutoutShape(layout)}`,
    );
  }
  if (start.is === 'image') {
    return frame(
      layout,
      '#fff',
      `Start-up image, ${name}`,
      html`<img class="over" alt="" style="${box(layout, 0, 0, screen.width, screen.height)}" src="${start.data}">${cutoutShape(layout)}`,
    );
  }
  return frame(
    layout,
    '#fff',
    `White screen, ${name}: ${start.why}`,
    html`<span class="blank">white until the page is drawn</span>${cutoutShape(layout)}`,
  );
}

function pageFrame(preview: Preview, scene: StartScene): Html {
  const { layout, shot, noShot } = scene;
  const { screen, page, status } = layout;
  const name = `${screen.device.platform} ${screen.device.kind}, ${screen.orientation}`;
  const strip =
    status?.color === undefined
      ? ''
      : html`<span class="over" style="${box(layout, 0, 0, screen.width, screen.insets.top)};background:${toHex(status.color)}"></span>`;
  const content = shot
    ? html`<img class="over" alt="" style="${box(layout, page.x, page.y, page.width, page.height)}" src="data:image/jpeg;base64,${Buffer.from(shot).toString('base64')}">`
    : html`<span class="over unseen" style="${box(layout, page.x, page.y, page.width, page.height)};background:${toHex(preview.backgroundColor)}"><span>${noShot ?? preview.noBrowser ?? 'The page was not looked at.'}</span></span>`;
  return frame(
    layout,
    toHex(layout.around),
    shot ? `The start page, ${name}` : `The start page, ${name}, not shown`,
    html`${strip}${pageBar(layout, preview.name)}${content}${gestureBar(layout)}${statusSymbols(layout)}${cutoutShape(layout)}${safeAreas(layout)}`,
  );
}

const SHOWN = {
  'android-app': 'Android app',
  'apple-app': 'Apple app',
  'web-clip': 'Web app on Apple’s home screen',
} as const;

/** Start and first page of one scene, side by side. */
export function sceneFigure(preview: Preview, scene: StartScene): Html {
  const { screen } = scene.layout;
  const platform = SHOWN[scene.shows];
  const notes = scene.notes.map((note) => html`<li>${note}</li>`);
  const size = `${screen.width} × ${screen.height}`;
  if (!scene.turns) {
    return html`<figure class="scene"><figcaption><b>${platform}</b><br>In ${screen.orientation} the app does not turn: look.orientation says so.</figcaption></figure>`;
  }
  return html`<figure class="scene"><div class="pair">${startFrame(scene)}${pageFrame(preview, scene)}</div>
<figcaption><b>${platform}</b> <span class="soft">${size}: at the start, then the page</span>${notes.length > 0 ? html`<ul class="warn">${notes}</ul>` : ''}</figcaption></figure>`;
}
