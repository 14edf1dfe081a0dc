import { readFileSync } from 'node:fs';
import { cutLabel } from '../../core/preview/label.js';
import { HOME_SCREENS } from '../../core/preview/screens.js';
import type { PackedApp } from '../../core/try/packed-app.js';
import { type Html, html, page, trusted } from '../../core/util/html.js';
import { packagedPath } from '../../core/util/packaged.js';

/** An icon as a picture that no script can be in. */
function iconAddress(bytes: Uint8Array | undefined): string | undefined {
  if (bytes === undefined) return undefined;
  const type = bytes[0] === 0x89 ? 'image/png' : bytes[0] === 0x52 ? 'image/webp' : undefined;
  return type && `data:${type};base64,${Buffer.from(bytes).toString('base64')}`;
}

function choice(name: string, legend: string, values: readonly (readonly [string, string])[]): Html {
  return html`<fieldset><legend>${legend}</legend>${values.map(
    ([value, words], index) =>
      html`<label><input type="radio" name="${name}" value="${value}"${index === 0 ? trusted(' checked') : ''}> ${words}</label>`,
  )}</fieldset>`;
}

/** The page of `hull try`: a device of our own drawing, and what can be done with it. */
export function tryPage(app: PackedApp, token: string): string {
  const icon = iconAddress(app.icon);
  const screen = HOME_SCREENS.find(({ platform }) => platform === app.platform) ?? HOME_SCREENS[0];
  const label = screen ? cutLabel(app.label, screen.labelRoom, screen.labelSize).shown : app.label;
  const { light, dark, permissions, isOurs, packed } = app.settings;
  const version = [app.version, app.build === undefined ? undefined : `build ${app.build}`]
    .filter(Boolean)
    .join(', ');
  return page(
    `Try ${app.name}`,
    ['served', 'try'],
    html`<meta name="token" content="${token}">
<a class="skip" href="#controls">Skip to the controls</a>
<header class="head"><h1>${app.name}</h1><p>${version}, ${app.kind}, <code>${app.id}</code>. It runs in a browser on this computer: what only a device has is not here.</p>
${isOurs ? '' : html`<p class="note">The package has no settings of ours: its pages are run alone, without permissions, links or rules.</p>`}
${packed ? '' : html`<p class="note">The app is hosted: its pages come from ${app.settings.start.host}.</p>`}</header>
<div class="bench">
<section class="stage" aria-label="Device">
<div id="device" class="device ${app.platform}" data-light="${light.theme}" data-dark="${dark.theme}" data-light-ground="${light.background}" data-dark-ground="${dark.background}">
<div class="home"><button id="launch" class="app">${icon === undefined ? html`<span class="face" aria-hidden="true"></span>` : html`<img class="face" src="${icon}" alt="">`}<span>${label}</span></button></div>
<div class="splash" hidden>${icon === undefined ? '' : html`<img src="${icon}" alt="">`}</div>
<canvas id="view" tabindex="0" hidden aria-label="The app’s page: what is typed and touched here goes to it"></canvas>
<span class="cutout" aria-hidden="true"></span><span class="status" aria-hidden="true">14:07</span>
<span class="bar" aria-hidden="true"></span>
<div class="ask" role="alertdialog" aria-labelledby="ask-what" aria-describedby="ask-why" hidden><p id="ask-why"></p><p id="ask-what"></p><div class="row"><button id="allow">Allow</button><button id="refuse">Do not allow</button></div></div>
</div>
<div class="row keys"><button id="back">Back</button><button id="home">Home</button><button id="turn">Turn</button></div>
</section>
<section id="controls" class="controls" aria-label="Controls">
<div class="row">
${choice('device', 'Device', [
  ['phone', 'phone'],
  ['tablet', 'tablet'],
])}
${choice('scheme', 'Colours', [
  ['light', 'light'],
  ['dark', 'dark'],
])}
${choice('network', 'Network', [
  ['on', 'on'],
  ['slow', 'slow'],
  ['off', 'off'],
])}
</div>
<form id="link"><label>Open a link as another app would <input id="address" name="address" value="${app.settings.start.pathname}" spellcheck="false"></label> <button>Open</button></form>
<p id="verdict" role="status"></p>
<p id="where" class="soft"></p>
<h2>Permissions</h2>
${permissions.size === 0 ? html`<p>The app asks for nothing.</p>` : html`<dl>${[...permissions].map(([name, reason]) => html`<dt>${name}</dt><dd>${reason}</dd>`)}</dl>`}
<h2>What left the app</h2><ol id="outside" class="log" tabindex="0" aria-label="What left the app, newest first"></ol>
<h2>Console</h2><ol id="console" class="log" tabindex="0" aria-label="Console, newest first"></ol>
<h2>Requests</h2><ol id="requests" class="log" tabindex="0" aria-label="Requests, newest first"></ol>
</section></div>
<p id="said" class="visually-hidden" role="status" aria-live="polite"></p>
<script>${trusted(readFileSync(packagedPath('pages/try.js'), 'utf8'))}</script>`,
  );
}
