import { extname } from 'node:path';
import type { App, AppColors } from '../../../app/app.js';
import { DENSITIES } from '../../../art/devices.js';
import { type LauncherIcon, SPLASH_PATH } from '../../../art/launcher-icon.js';
import {
  ANY_DENSITY,
  type ConfiguredValue,
  type ResourceBag,
  type ResourceConfig,
  type ResourceTable,
  resourceId,
} from '../../../formats/arsc/types.js';
import { writeResourceTable } from '../../../formats/arsc/writer.js';
import type { XmlElement } from '../../../formats/axml/types.js';
import { writeBinaryXml } from '../../../formats/axml/writer.js';
import type { ResourceValue } from '../../../formats/string-pool/value.js';
import { ASSET_LINKS_PATH, LINK_RELATION } from '../../../links/document-names.js';
import { documentHost } from '../../../links/host.js';
import { GROUPS_SINCE } from '../../../links/levels.js';
import { contrast, type Rgba, toArgb, wantsDarkSymbols } from '../../../project/color.js';
import type { Engine } from '../../../project/config.js';
import { ATTRIBUTE_IDS, type AttributeName, CUTOUT_ALWAYS, PLATFORM_STYLES } from './attributes.js';
import { legacyPaths, NO_PATH } from './intents.js';
import { hasNetworkRules, type PackageOptions } from './options.js';
import { cloudBackupRules, networkSecurityConfig } from './rules-files.js';
import { startActivity, trustedOrigins } from './shell-settings.js';
import { android, element, reference } from './xml.js';

const APP_PACKAGE = 0x7f;

/** Every resource of a package by type, in the order that numbers them. */
const RESOURCES = {
  color: ['background', 'icon_background', 'status_bar', 'accent'],
  drawable: ['start', 'splash_icon'],
  mipmap: ['icon', 'icon_foreground', 'icon_monochrome', 'icon_round'],
  string: ['label', 'name', 'statements'],
  style: ['App', 'Base', 'Ask'],
  // What every package has comes first: what it lacks is left out at the end.
  xml: ['extraction', 'shortcuts', 'locales', 'network'],
} as const;

type TypeName = keyof typeof RESOURCES;
const TYPE_NAMES = Object.keys(RESOURCES) as TypeName[];

/** The resource ID of one of this package's resources. */
export function idOf<T extends TypeName>(type: T, name: (typeof RESOURCES)[T][number]): number {
  const names: readonly string[] = RESOURCES[type];
  return resourceId(APP_PACKAGE, TYPE_NAMES.indexOf(type) + 1, names.indexOf(name));
}

/** Labels of a shortcut; they are behind the strings that every package has. */
function shortcutLabel(index: number, length: 'short' | 'long'): number {
  const at = RESOURCES.string.length + index * 2 + (length === 'short' ? 0 : 1);
  return resourceId(APP_PACKAGE, TYPE_NAMES.indexOf('string') + 1, at);
}

/** A path of a link that counts before API 35 alone; these are behind the labels of shortcuts. */
export function linkPath(app: App, path: string): number {
  const at = RESOURCES.string.length + app.shortcuts.length * 2 + legacyPaths(app.links).indexOf(path);
  return resourceId(APP_PACKAGE, TYPE_NAMES.indexOf('string') + 1, at);
}

/** A file of a package: its path and bytes. */
export interface ResourceFile {
  readonly path: string;
  readonly bytes: Uint8Array;
  readonly part: 'shell' | 'art';
}

const BLACK: Rgba = { r: 0, g: 0, b: 0, a: 255 };
const WHITE: Rgba = { r: 255, g: 255, b: 255, a: 255 };

const color = (value: Rgba): ResourceValue => ({ type: 'color', argb: toArgb(value) });
const text = (value: string): ResourceValue => ({ type: 'string', text: value });
const always = (value: ConfiguredValue['value']): ConfiguredValue[] => [{ config: {}, value }];

type StyleItems = readonly (readonly [AttributeName, ResourceValue])[];

const flag = (value: boolean): ResourceValue => ({ type: 'boolean', value });

/** What the app's theme says on every API level. */
const baseItems = ({ themeColor, backgroundColor }: AppColors): StyleItems => [
  ['windowNoTitle', flag(true)],
  ['windowActionBar', flag(false)],
  ['windowBackground', reference(idOf('drawable', 'start'))],
  ['colorPrimary', reference(idOf('color', 'status_bar'))],
  ['colorAccent', reference(idOf('color', 'accent'))],
  ['statusBarColor', reference(idOf('color', 'status_bar'))],
  // Before API 27 its symbols are always white, so a light colour would hide them.
  [
    'navigationBarColor',
    wantsDarkSymbols(backgroundColor) ? color(BLACK) : reference(idOf('color', 'background')),
  ],
  ['windowLightStatusBar', flag(wantsDarkSymbols(themeColor))],
];

/** What it says besides, by the API level from which on it counts; what a later one says counts there. */
const laterItems: readonly { readonly sdk: number; readonly items: (colors: AppColors) => StyleItems }[] = [
  {
    sdk: 27,
    items: ({ backgroundColor }) => [
      ['navigationBarColor', reference(idOf('color', 'background'))],
      ['windowLightNavigationBar', flag(wantsDarkSymbols(backgroundColor))],
    ],
  },
  {
    sdk: 31,
    items: () => [
      ['windowSplashScreenBackground', reference(idOf('color', 'background'))],
      ['windowSplashScreenAnimatedIcon', reference(idOf('drawable', 'splash_icon'))],
      ['windowLayoutInDisplayCutoutMode', { type: 'int', value: CUTOUT_ALWAYS }],
    ],
  },
];

const styleBag = (parent: number, items: StyleItems): ResourceBag => ({
  type: 'bag',
  parent,
  items: items.map(([name, value]) => ({ key: ATTRIBUTE_IDS[name], value })),
});

/**
 * What the app's theme begins with: no title bar, the app's colours before the first page is drawn. At night it has a dark
 * parent, which is what tells the pages that `prefers-color-scheme` is dark.
 */
const baseTheme = (app: App): ConfiguredValue[] => [
  { config: {}, value: styleBag(PLATFORM_STYLES['Theme.Material.Light.NoActionBar'], baseItems(app)) },
  {
    config: { night: true },
    value: styleBag(PLATFORM_STYLES['Theme.Material.NoActionBar'], baseItems(app.dark)),
  },
];

/** The app's theme: nothing but what is said from an API level on. Each level's repeats those below it, for the platform takes one. */
function theme(app: App): ConfiguredValue[] {
  const levels = [0, ...laterItems.map(({ sdk }) => sdk)];
  const until = (colors: AppColors, level: number) =>
    styleBag(
      idOf('style', 'Base'),
      laterItems.flatMap(({ sdk, items }) => (sdk <= level ? items(colors) : [])),
    );
  // The platform heeds night before levels: where one level differs at night, each is said for both.
  const isSame = wantsDarkSymbols(app.backgroundColor) === wantsDarkSymbols(app.dark.backgroundColor);
  return levels.flatMap((sdk) => {
    const level: ResourceConfig = sdk === 0 ? {} : { sdk };
    const light = { config: level, value: until(app, sdk) };
    return isSame ? [light] : [light, { config: { ...level, night: true }, value: until(app.dark, sdk) }];
  });
}

/** What the platform's own light and dark dialogs have behind their buttons. */
const DIALOG: Readonly<Record<'light' | 'dark', Rgba>> = {
  light: WHITE,
  dark: { r: 66, g: 66, b: 66, a: 255 },
};

/** The colour of buttons in dialogs and of marks in fields: the app's where it can be read there (WCAG 2.2, 1.4.3). */
function accents(app: App): ConfiguredValue[] {
  const pick = (colors: AppColors, behind: Rgba, otherwise: Rgba) =>
    color(contrast(colors.themeColor, behind) >= 4.5 ? colors.themeColor : otherwise);
  return [
    { config: {}, value: pick(app, DIALOG.light, BLACK) },
    { config: { night: true }, value: pick(app.dark, DIALOG.dark, WHITE) },
  ];
}

/** The theme of a question that the app asks over another's window: nothing but the dialog is seen. */
function askTheme(): ConfiguredValue[] {
  const items: StyleItems = [
    ['windowNoTitle', flag(true)],
    ['windowIsTranslucent', flag(true)],
    ['windowBackground', { type: 'color', argb: 0 }],
    ['colorAccent', reference(idOf('color', 'accent'))],
  ];
  return [
    { config: {}, value: styleBag(PLATFORM_STYLES['Theme.Material.Light.NoActionBar'], items) },
    { config: { night: true }, value: styleBag(PLATFORM_STYLES['Theme.Material.NoActionBar'], items) },
  ];
}

/** A colour by the system's colour scheme; once where both are the same. */
function byScheme(app: App, pick: keyof AppColors): ConfiguredValue[] {
  const [light, dark] = [app[pick], app.dark[pick]];
  return [
    ...always(color(light)),
    ...(toArgb(light) === toArgb(dark) ? [] : [{ config: { night: true }, value: color(dark) }]),
  ];
}

const ADAPTIVE_PATH = 'res/mipmap-anydpi-v26/icon.xml';
/** Source projects find resources by their files' names: the round icon needs a file of its own there. */
const ADAPTIVE_ROUND_PATH = 'res/mipmap-anydpi-v26/icon_round.xml';
const START_PATH = 'res/drawable/start.xml';
const XML_PATHS = {
  extraction: 'res/xml/extraction.xml',
  network: 'res/xml/network.xml',
  shortcuts: 'res/xml/shortcuts.xml',
  locales: 'res/xml/locales.xml',
};

/** Dots per inch of the splash icon's one picture; other screens scale it. */
const SPLASH_DPI = 480;
/** dp (Android 12 splash screens, without an icon background). */
const SPLASH_SIDE = 288;
const GRAVITY_CENTER = 0x11;

const dp = (value: number): ResourceValue => ({ type: 'dimension', value, unit: 'dp' });

/** What is behind the pages until the first is drawn: as the system's own splash screen from API 31 on. */
function startDrawable(): XmlElement {
  const icon = element('item', [
    android('drawable', reference(idOf('drawable', 'splash_icon'))),
    android('gravity', { type: 'hex', value: GRAVITY_CENTER }),
    android('width', dp(SPLASH_SIDE)),
    android('height', dp(SPLASH_SIDE)),
  ]);
  return element(
    'layer-list',
    [],
    [element('item', [android('drawable', reference(idOf('color', 'background')))]), icon],
  );
}

/** The icon's menu: each entry opens a page of the app (ShortcutManager, static shortcuts). */
function shortcutsFile(app: App, engine: Engine): XmlElement {
  const entries = app.shortcuts.map(({ url }, index) =>
    element(
      'shortcut',
      [
        android('shortcutId', `page-${index}`),
        android('enabled', true),
        android('icon', reference(idOf('mipmap', 'icon'))),
        android('shortcutShortLabel', reference(shortcutLabel(index, 'short'))),
        android('shortcutLongLabel', reference(shortcutLabel(index, 'long'))),
      ],
      [
        element('intent', [
          android('action', 'android.intent.action.VIEW'),
          android('targetPackage', app.androidId),
          android('targetClass', startActivity(engine)),
          android('data', url.href),
        ]),
      ],
    ),
  );
  return element('shortcuts', [], entries);
}

/** The languages that the app's names are in, for the system's settings (API 33). */
function localesFile(app: App): XmlElement {
  return element(
    'locale-config',
    [],
    [...new Set([app.language ?? 'en', ...app.translations.map(({ language }) => language)])].map(
      (language) => element('locale', [android('name', language)]),
    ),
  );
}

function adaptiveIcon(): XmlElement {
  return element(
    'adaptive-icon',
    [],
    [
      element('background', [android('drawable', reference(idOf('color', 'icon_background')))]),
      element('foreground', [android('drawable', reference(idOf('mipmap', 'icon_foreground')))]),
      // Tinted from API 33 on; skipped before.
      element('monochrome', [android('drawable', reference(idOf('mipmap', 'icon_monochrome')))]),
    ],
  );
}

const picturePath = (density: string, name: string) => `res/mipmap-${density}/${name}.webp`;

function picturesOf(icon: LauncherIcon, name: string): ConfiguredValue[] {
  return DENSITIES.filter((density) => icon.pictures.has(picturePath(density.name, name))).map((density) => ({
    config: { density: density.dpi },
    value: text(picturePath(density.name, name)),
  }));
}

/** Resources that this package does not have are left out at the end of their type, and empty before others. */
function withoutGaps<T extends { readonly values: readonly ConfiguredValue[] }>(entries: readonly T[]): T[] {
  const last = entries.findLastIndex(({ values }) => values.length > 0);
  return entries
    .slice(0, last + 1)
    .map((entry) => (entry.values.length > 0 ? entry : { ...entry, values: always({ type: 'null' }) }));
}

/** Whether the app says of itself which hosts it belongs to. */
export function vouches(app: App, engine: Engine): boolean {
  return engine === 'browser' || app.links.length > 0;
}

/** The app's side of Digital Asset Links: the hosts that it trusts to speak for it ("asset_statements"). */
function assetStatements(app: App): string {
  const credentials = app.links.filter((link) => link.credentials).map(({ host }) => documentHost(host));
  return JSON.stringify([
    ...trustedOrigins(app).map((site) => ({
      relation: [LINK_RELATION],
      target: { namespace: 'web', site },
    })),
    ...credentials.map((host) => ({ include: `https://${host}${ASSET_LINKS_PATH}` })),
  ]);
}

/** An app's resources before they are written in any form. */
export interface Resources {
  readonly table: ResourceTable;
  /** XML files by their path in the package. */
  readonly trees: readonly { readonly path: string; readonly tree: XmlElement }[];
}

/** `resources.arsc` and the files it points to. */
export function buildResources(
  app: App,
  icon: LauncherIcon,
  options: PackageOptions,
): { table: Uint8Array; files: ResourceFile[] } {
  const { table, trees } = describeResources(app, icon, options);
  const file = (path: string, bytes: Uint8Array, part: ResourceFile['part']): ResourceFile => ({
    path: SHORT_PATHS.get(path) ?? path,
    bytes,
    part,
  });
  const files = [
    ...trees.map(({ path, tree }) => file(path, writeBinaryXml(tree), 'shell')),
    ...[...icon.pictures].map(([path, bytes]) => file(path, bytes, 'art')),
  ];
  return { table: writeResourceTable(withShortPaths(table)), files };
}

/** Every file that a package's resources may have, by its path in the sources; a new one goes to the end. */
const RESOURCE_FILES = [
  ADAPTIVE_PATH,
  ...Object.values(XML_PATHS),
  START_PATH,
  SPLASH_PATH,
  ...DENSITIES.flatMap(({ name }) => RESOURCES.mipmap.map((icon) => picturePath(name, icon))),
];

/**
 * Paths in a package by those of the sources. The table says which resource a file is and for which screens, so its path need not;
 * the table is not compressed, and each path is in the package three times. A file has the same one in every package, so that
 * comparing two tells what has changed.
 */
const SHORT_PATHS: ReadonlyMap<string, string> = new Map(
  RESOURCE_FILES.map((path, index) => [path, `res/${index.toString(36)}${extname(path)}`]),
);

/** A table whose files have other paths; no other text is one of theirs. */
function withShortPaths(table: ResourceTable): ResourceTable {
  const renamed = ({ config, value }: ConfiguredValue): ConfiguredValue => ({
    config,
    value: value.type === 'string' ? text(SHORT_PATHS.get(value.text) ?? value.text) : value,
  });
  const types: readonly TypeName[] = ['drawable', 'mipmap', 'xml'];
  return {
    packages: table.packages.map((one) => ({
      ...one,
      types: one.types.map((type) =>
        types.some((name) => name === type.name)
          ? {
              ...type,
              entries: type.entries.map((entry) => ({ ...entry, values: entry.values.map(renamed) })),
            }
          : type,
      ),
    })),
  };
}

/** Files that a source project needs besides: in a package, two names may have one file. */
export function sourceOnlyTrees(): Resources['trees'] {
  return [{ path: ADAPTIVE_ROUND_PATH, tree: adaptiveIcon() }];
}

export function describeResources(app: App, icon: LauncherIcon, options: PackageOptions): Resources {
  const { engine } = options.android;
  const named = (
    name: string,
    translated: (translation: App['translations'][number]) => string,
  ): ConfiguredValue[] => [
    ...always(text(name)),
    ...app.translations.map((translation) => ({
      config: { locale: translation.language },
      value: text(translated(translation)),
    })),
  ];
  const values: { [T in TypeName]: Record<(typeof RESOURCES)[T][number], ConfiguredValue[]> } = {
    color: {
      background: byScheme(app, 'backgroundColor'),
      icon_background: always(color(icon.background)),
      status_bar: byScheme(app, 'themeColor'),
      accent: accents(app),
    },
    mipmap: {
      icon: [
        ...picturesOf(icon, 'icon'),
        { config: { density: ANY_DENSITY, sdk: 26 }, value: text(ADAPTIVE_PATH) },
      ],
      icon_foreground: picturesOf(icon, 'icon_foreground'),
      icon_monochrome: picturesOf(icon, 'icon_monochrome'),
      icon_round: [
        ...picturesOf(icon, 'icon_round'),
        { config: { density: ANY_DENSITY, sdk: 26 }, value: text(ADAPTIVE_PATH) },
      ],
    },
    drawable: {
      start: always(text(START_PATH)),
      splash_icon: [{ config: { density: SPLASH_DPI }, value: text(SPLASH_PATH) }],
    },
    string: {
      label: named(app.shortName, (translation) => translation.shortName),
      name: named(app.name, (translation) => translation.name),
      statements: vouches(app, engine) ? always(text(assetStatements(app))) : [],
    },
    style: { App: theme(app), Base: baseTheme(app), Ask: engine === 'browser' ? askTheme() : [] },
    xml: {
      extraction: always(text(XML_PATHS.extraction)),
      network: hasNetworkRules(app, options) ? always(text(XML_PATHS.network)) : [],
      shortcuts: app.shortcuts.length === 0 ? [] : always(text(XML_PATHS.shortcuts)),
      locales: app.translations.length === 0 ? [] : always(text(XML_PATHS.locales)),
    },
  };
  const labels = app.shortcuts.flatMap(({ name, shortName }, index) => [
    { name: `shortcut_${index}`, values: always(text(shortName)) },
    { name: `shortcut_${index}_long`, values: always(text(name)) },
  ]);
  const paths = legacyPaths(app.links).map((path, index) => ({
    name: `link_${index}`,
    values: [...always(text(path)), { config: { sdk: GROUPS_SINCE }, value: text(NO_PATH) }],
  }));
  const table: ResourceTable = {
    packages: [
      {
        id: APP_PACKAGE,
        name: app.androidId,
        types: TYPE_NAMES.map((type, typeIndex) => ({
          id: typeIndex + 1,
          name: type,
          entries: withoutGaps([
            ...RESOURCES[type].map((name) => ({
              name,
              values: (values[type] as Record<string, ConfiguredValue[]>)[name] ?? [],
            })),
            ...(type === 'string' ? [...labels, ...paths] : []),
          ]).map((entry, index) => ({ index, ...entry })),
        })),
      },
    ],
  };
  const trees = [
    { path: ADAPTIVE_PATH, tree: adaptiveIcon() },
    { path: XML_PATHS.extraction, tree: cloudBackupRules() },
    ...(app.shortcuts.length === 0 ? [] : [{ path: XML_PATHS.shortcuts, tree: shortcutsFile(app, engine) }]),
    ...(app.translations.length === 0 ? [] : [{ path: XML_PATHS.locales, tree: localesFile(app) }]),
    { path: START_PATH, tree: startDrawable() },
    ...(hasNetworkRules(app, options)
      ? [{ path: XML_PATHS.network, tree: networkSecurityConfig(app.insecure) }]
      : []),
  ];
  return { table, trees };
}
