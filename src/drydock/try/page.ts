import { readFileSync } from 'node:fs';
import { cutLabel } from '../../core/preview/label.js';
import { HOME_SCREENS } from '../../core/preview/screens.js';
import { TEXT_SIZES } from '../../core/try/app-session.js';
import { type Html, html, page, trusted } from '../../core/util/html.js';
import { packagedPath } from '../../core/util/packaged.js';
import type { HomeApp, Screen } from './screen.js';

/** An icon as a picture that no script can be in. */
function iconAddress(bytes: Uint8Array | undefined): string | undefined {
  if (bytes === undefined) return undefined;
  const type = bytes[0] === 0x89 ? 'image/png' : bytes[0] === 0x52 ? 'image/webp' : undefined;
  return type && `data:${type};base64,${Buffer.from(bytes).toString('base64')}`;
}

/** An app as the page draws it on the home screen, its label cut as there. */
function homeApp({ id, label, icon }: HomeApp, platform: Screen['platform']) {
  const screen = HOME_SCREENS.find((one) => one.platform === platform) ?? HOME_SCREENS[0];
  const shown = screen ? cutLabel(label, screen.labelRoom, screen.labelSize).shown : label;
  return { id, label: shown, icon: iconAddress(icon) ?? null };
}

/** What the page shows of the apps on a device, and of the one in front. */
export function describeApps(screen: Screen) {
  const app = screen.session?.app;
  return {
    is: 'apps',
    platform: screen.platform,
    home: screen.apps.map((one) => homeApp(one, screen.platform)),
    engine: screen.session?.engine,
    cannot: screen.session?.cannot ?? [],
    app: app && {
      id: app.id,
      name: app.name,
      version: [app.version, app.build === undefined ? undefined : `build ${app.build}`]
        .filter(Boolean)
        .join(', '),
      kind: app.kind,
      icon: iconAddress(app.icon) ?? null,
      notes: [
        ...(app.settings.isOurs
          ? []
          : [
              'The package has no settings of ours: its pages are run alone, without permissions, links or rules.',
            ]),
        ...(app.settings.packed === undefined
          ? [`The app is hosted: its pages come from ${app.settings.start.host}.`]
          : []),
      ],
      background: { light: app.settings.light.background, dark: app.settings.dark.background },
      start: app.settings.start.pathname,
      permissions: [...app.settings.permissions],
      shortcuts: app.shortcuts.map(({ name }) => name),
      share: app.settings.share && { files: app.settings.share.files.flatMap(({ accept }) => accept) },
      update:
        screen.next &&
        [screen.next.version, screen.next.build && `build ${screen.next.build}`].filter(Boolean).join(', '),
    },
  };
}

function choice(name: string, legend: string, values: readonly (readonly [string, string])[]): Html {
  return html`<fieldset><legend>${legend}</legend>${values.map(
    ([value, words]) => html`<label><input type="radio" name="${name}" value="${value}"> ${words}</label>`,
  )}</fieldset>`;
}

/** The page of a device of our own drawing, and what can be done with it. */
export function tryPage(title: string, token: string): string {
  return page(
    title,
    ['served', 'try'],
    html`<meta name="token" content="${token}">
<a class="skip" href="#controls">Skip to the controls</a>
<header class="head"><h1>${title}</h1><p id="facts"></p><div id="notes"></div></header>
<div class="bench">
<section class="stage" aria-label="Device">
<div id="device" class="device">
<div class="home"></div>
<div class="splash" hidden></div>
<canvas id="view" tabindex="0" hidden aria-label="The app’s page: what is typed and touched here goes to it"></canvas>
<span class="strip" aria-hidden="true"></span>
<span class="page-bar" aria-hidden="true" hidden></span>
<div class="window-bar" hidden><span id="window-at"></span><button id="window-close">Close</button></div>
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
${choice(
  'textSize',
  'Text size',
  TEXT_SIZES.map((size) => [String(size), `${size} %`] as const),
)}
</div>
<form id="language-form" class="line"><label>Language <input id="language" name="language" size="8" spellcheck="false"></label> <button>Set</button></form>
<form id="link" class="line"><label>Open a link as another app would <input id="address" name="address" spellcheck="false"></label> <button>Open</button></form>
<p id="verdict" role="status"></p>
<p id="where" class="soft"></p>
<div id="more" hidden>
<div id="doings"><div class="row"><button id="end">End the process</button><button id="update" hidden></button></div>
<p class="soft">A system that needs memory ends apps in the background; people then find them where they left them.</p></div>
<h2>The icon’s menu</h2><div id="shortcuts" class="row"></div>
<div id="sharing"><h2>Share with the app</h2>
<form id="share" class="fields"><label>Title <input name="title"></label><label>Text or address <input name="text"></label><label id="share-file">File <input name="file" type="file"></label><button>Share</button></form>
<p id="shared" role="status"></p></div>
<h2>Permissions</h2><dl id="permissions"></dl>
<div id="storage"><h2>Stored</h2><button id="look">Look</button><table id="stored" tabindex="0" hidden><thead><tr><th>Where</th><th>Name</th><th>Value</th></tr></thead><tbody></tbody></table></div>
</div>
<h2>What left the app</h2><ol id="outside" class="log" tabindex="0" aria-label="What left the app, newest first"></ol>
<h2>Console</h2><ol id="console" class="log" tabindex="0" aria-label="Console, newest first"></ol>
<h2>Requests</h2><ol id="requests" class="log" tabindex="0" aria-label="Requests, newest first"></ol>
</section></div>
<p id="said" class="visually-hidden" role="status" aria-live="polite"></p>
<script>${trusted(readFileSync(packagedPath('pages/try.js'), 'utf8'))}</script>`,
  );
}
