import { type ArtRow, artPlan, type StartSchemes } from '../art/plan.js';
import { luminance, type Rgba, toHex } from '../project/color.js';
import type { ElementNode } from '../site/elements.js';
import { type Site, type SitePage, type StyleGroup, sheets } from '../site/site.js';
import { type Bar, type Edge, findRoom, type GroupStyles, nameOf } from '../survey/bars.js';
import { Derived } from '../survey/derived.js';
import type { LocatedDeclaration } from '../survey/styles/cascade.js';
import { compileSelector } from '../survey/styles/selector.js';

/** One element of a page's head: its name and attributes in order. */
export interface HeadTag {
  readonly name: 'meta' | 'link';
  readonly attributes: readonly (readonly [name: string, value: string])[];
  /** What it is for, so that a page's own tag of the same kind is found. */
  readonly key: string;
}

/** A screenshot for the manifest (W3C Manifest App Information, "screenshots member"). */
export interface ManifestShot {
  readonly path: string;
  /** px */
  readonly width: number;
  readonly height: number;
  readonly formFactor: 'narrow' | 'wide';
}

export interface TagsInput {
  readonly name: string;
  readonly shortName: string;
  readonly themeColor: Rgba;
  readonly backgroundColor: Rgba;
  /** `undefined` where the project names none. */
  readonly darkThemeColor: Rgba | undefined;
  /** Colour schemes that there are start-up images for. */
  readonly startSchemes: StartSchemes;
  /** Path below which the site is served, with a slash at both ends: `/`, `/ferry/`. */
  readonly base: string;
  /** Path of the made images below the base. */
  readonly art: string;
  /** Path of the manifest below the base. */
  readonly manifest: string;
  /** Whether the logo is served as a drawing. */
  readonly hasDrawing: boolean;
  /** Screenshots of the start page that were made, below `art`. */
  readonly shots: readonly ManifestShot[];
  /** Whether zooming is to be turned off; it costs low-vision users. */
  readonly zoom: 'free' | 'off';
}

const tag = (key: string, name: HeadTag['name'], ...attributes: (readonly [string, string])[]): HeadTag => ({
  key,
  name,
  attributes,
});
const meta = (name: string, content: string, ...more: (readonly [string, string])[]) =>
  tag(`meta ${name}${more.map(([, value]) => ` ${value}`).join('')}`, 'meta', ['name', name], ...more, [
    'content',
    content,
  ]);
const link = (rel: string, href: string, ...more: (readonly [string, string])[]) =>
  tag(`link ${rel}`, 'link', ['rel', rel], ...more, ['href', href]);

/** The media query that one start-up image is for (Media Queries 4; Apple web clips). */
export function startupMedia({ device, orientation, scheme }: ArtRow, schemes: StartSchemes): string {
  return [
    `(device-width: ${device?.width}px)`,
    `(device-height: ${device?.height}px)`,
    `(-webkit-device-pixel-ratio: ${device?.ratio})`,
    `(orientation: ${orientation})`,
    ...(schemes === 'light' ? [] : [`(prefers-color-scheme: ${scheme})`]),
  ].join(' and ');
}

/**
 * The bar at the top of the start page, as its styles have it.
 */
export function topBar(site: Site): Bar | undefined {
  const [look] = site.styleGroups;
  return look && new Derived(site).stylesOf(look).bars.find(({ edge }) => edge === 'top');
}

/** The header's colour for the browser's own bars; one for each colour scheme where the header has two. */
function themeTags(light: Rgba, dark: Rgba | undefined): HeadTag[] {
  if (dark === undefined || toHex(dark) === toHex(light)) return [meta('theme-color', toHex(light))];
  // The first whose media query holds is taken (HTML Standard), so a page's own stands for both.
  return (
    [
      ['light', light],
      ['dark', dark],
    ] as const
  ).map(([scheme, color]) => ({
    ...meta('theme-color', toHex(color), ['media', `(prefers-color-scheme: ${scheme})`]),
    key: 'meta theme-color',
  }));
}

/** Head tags that make a page feel native on a home screen, links right for a site root or a sub-path. */
export function headTags(input: TagsInput, site: Site | undefined): HeadTag[] {
  const at = (path: string) => `${input.base}${path}`;
  const bar = site && topBar(site);
  const theme = bar?.color ?? input.themeColor;
  // White symbols over the page only where its own bar is dark and makes room for them.
  const isOver = bar?.usesInset === 'yes' && luminance(theme) < 0.4;
  const zoom = input.zoom === 'off' ? ', maximum-scale=1, user-scalable=no' : '';
  const startup = artPlan(input.startSchemes).filter(({ purpose }) => purpose === 'startup');
  return [
    meta('viewport', `width=device-width, initial-scale=1, viewport-fit=cover${zoom}`),
    ...themeTags(theme, bar?.darkColor ?? input.darkThemeColor),
    meta('mobile-web-app-capable', 'yes'),
    meta('apple-mobile-web-app-title', input.shortName),
    meta('apple-mobile-web-app-status-bar-style', isOver ? 'black-translucent' : 'default'),
    link('manifest', at(input.manifest)),
    ...(input.hasDrawing ? [link('icon', at(`${input.art}favicon.svg`), ['type', 'image/svg+xml'])] : []),
    { ...link('icon', at(`${input.art}favicon.ico`), ['sizes', '48x48']), key: 'link icon ico' },
    link('apple-touch-icon', at(`${input.art}touch-180.png`)),
    ...startup.map((row) => ({
      ...link('apple-touch-startup-image', at(input.art + row.path), [
        'media',
        startupMedia(row, input.startSchemes),
      ]),
      key: 'link apple-touch-startup-image',
    })),
  ];
}

/** Icons and screenshots for the manifest, with sources relative to it. */
export function manifestMembers(input: TagsInput): Record<string, unknown> {
  const src = (path: string) => `${input.art}${path}`;
  const png = (path: string, side: number, purpose?: string) => ({
    src: src(path),
    sizes: `${side}x${side}`,
    type: 'image/png',
    ...(purpose === undefined ? {} : { purpose }),
  });
  return {
    name: input.name,
    short_name: input.shortName,
    id: input.base,
    start_url: input.base,
    scope: input.base,
    display: 'standalone',
    theme_color: toHex(input.themeColor),
    background_color: toHex(input.backgroundColor),
    icons: [
      png('icon-192.png', 192),
      png('icon-512.png', 512),
      png('maskable-192.png', 192, 'maskable'),
      png('maskable-512.png', 512, 'maskable'),
      png('monochrome-512.png', 512, 'monochrome'),
    ],
    ...(input.shots.length === 0
      ? {}
      : {
          screenshots: input.shots.map(({ path, width, height, formFactor }) => ({
            src: src(path),
            sizes: `${width}x${height}`,
            type: 'image/webp',
            form_factor: formFactor,
          })),
        }),
  };
}

const IN_APP = '@media (display-mode: standalone), (display-mode: fullscreen), (display-mode: minimal-ui)';

/** A selector for the same elements that counts as much as another one (Selectors Level 4, section 17). */
function raised(selector: string, other: string | undefined): string {
  const wanted = other === undefined ? undefined : compileSelector(other)?.specificity;
  const own = compileSelector(selector)?.specificity;
  if (!wanted || !own) return selector;
  const [ids, classes, types] = wanted;
  const isLess = own[2] < types ? 1 : 0;
  // What no element has, as often as it takes.
  const more =
    own[0] < ids
      ? { by: ':not(#none)', times: ids - own[0] }
      : { by: ':not(.none)', times: own[0] > ids ? 0 : Math.max(0, classes - own[1] + isLess) };
  return selector + more.by.repeat(more.times);
}

type Side = Edge | 'left' | 'right';

/** A rule of the tags that keeps something clear of an edge. */
export interface InsetRule {
  readonly selector: string;
  readonly edge: Side;
  /** Property that holds the inset, and with it what it held before. */
  readonly property: string;
  readonly declarations: readonly string[];
}

/** What a style attribute or an important rule says yields to nothing less. */
const endOf = (own: LocatedDeclaration | undefined) =>
  own?.important || (own && own.selector === undefined) ? ' !important;' : ';';

/** A declaration that adds an inset to what is there. */
function withInset(property: string, own: LocatedDeclaration | undefined, edge: Side): string {
  const inset = `env(safe-area-inset-${edge})`;
  const isNone = own === undefined || /^0\w*$/.test(own.value);
  return `${property}: ${isNone ? inset : `calc(${own.value} + ${inset})`}${endOf(own)}`;
}

/** What a bar needs to keep clear of an edge: its own padding and the inset, and where its height is fixed, that too. */
function barRule(bar: Bar, { cascade }: GroupStyles): InsetRule {
  const { edge, element, name } = bar;
  const property = `padding-${edge}`;
  const padding = cascade.value(element, property);
  const height = cascade.value(element, 'height');
  const declarations = [withInset(property, padding, edge)];
  const isBorderBox = cascade.value(element, 'box-sizing')?.value === 'border-box';
  if (isBorderBox && height && height.value !== 'auto' && /^[\w.(]/.test(height.value))
    declarations.push(withInset('height', height, edge));
  // One that counts less than the page's own rules would lose against them.
  let selector = bar.selector ?? name;
  for (const own of [padding, height]) selector = raised(selector, own?.selector);
  return { selector, edge, property, declarations };
}

/** A bar that grows by the inset needs as much more room: what keeps its room now keeps that too. */
function roomRule({ edge, kind, height }: Bar, group: GroupStyles, page: SitePage): InsetRule | undefined {
  if (kind !== 'fixed') return undefined;
  const { size, holder } = findRoom(page, group, edge);
  if (size === undefined || !holder || size < (height ?? MIN_BAR) * 0.8) return undefined;
  const { property, element, declaration } = holder;
  if (group.cascade.expand(element, declaration.value).includes(`safe-area-inset-${edge}`)) return undefined;
  const { selector = nameOf(element) } = declaration;
  return { selector, edge, property, declarations: [withInset(property, declaration, edge)] };
}

const SIDES = ['left', 'right'] as const;

/** What an element needs to keep clear of the cutout in landscape, where its pages do nothing about that themselves. */
function sideRules(element: ElementNode, selector: string, { cascade }: GroupStyles): InsetRule[] {
  const value = (property: string) => cascade.value(element, property);
  const isWide = /^100(%|vw)$/.test(value('width')?.value ?? '');
  const narrower =
    isWide && value('box-sizing')?.value !== 'border-box'
      ? ['width: calc(100% - env(safe-area-inset-left) - env(safe-area-inset-right));']
      : [];
  return SIDES.map((edge) => {
    const property = `padding-${edge}`;
    const own = value(property);
    return {
      selector: raised(selector, own?.selector),
      edge,
      property,
      declarations: [withInset(property, own, edge), ...(edge === 'right' ? narrower : [])],
    };
  });
}

function* sides(look: StyleGroup, group: GroupStyles): Generator<InsetRule> {
  const usesThem = look.styles.some(({ facts }) =>
    facts.rules.some(({ declarations }) =>
      declarations.some(({ value }) => /safe-area-inset-(left|right)/.test(value)),
    ),
  );
  const body = look.page.facts.frames.find(({ tag: name }) => name === 'body');
  if (usesThem || !body) return;
  yield* sideRules(body, 'body', group);
  // What is fixed is laid out beside the body's own padding.
  for (const { kind, element, selector, name } of group.bars)
    if (kind === 'fixed') yield* sideRules(element, selector ?? name, group);
}

/** px from which on something at an edge is taken for room of a bar whose height is not known. */
const MIN_BAR = 24;

/** What the site's pages and bars lack to keep clear of the edges. */
export function insetRules(site: Site, derived: Derived): InsetRule[] {
  const rules = new Map<string, InsetRule>();
  for (const look of site.styleGroups) {
    const group = derived.stylesOf(look);
    for (const bar of group.bars) {
      if (bar.usesInset === 'yes') continue;
      for (const rule of [barRule(bar, group), roomRule(bar, group, look.page)]) {
        if (rule) rules.set(`${rule.selector} ${rule.property}`, rule);
      }
    }
    for (const rule of sides(look, group)) rules.set(`${rule.selector} ${rule.property}`, rule);
  }
  return [...rules.values()];
}

/** Heights of the largest viewport, which the part that can be seen should have. */
function fittingHeights(site: Site, derived: Derived): string[] {
  const found = new Set<string>();
  for (const { facts } of sheets(site)) {
    for (const { selectors, conditions, declarations } of facts.rules) {
      if (conditions.length > 0 || !derived.mayApply(selectors)) continue;
      const tall = declarations.filter(
        ({ property, value }) =>
          /^(min-|max-)?(height|block-size)$/.test(property) && /\b100vh\b/.test(value),
      );
      const text = tall.map(
        ({ property, value }) => `${property}: ${value.replaceAll(/\b100vh\b/g, '100dvh')};`,
      );
      if (text.length > 0) found.add(`${selectors.join(', ')} { ${text.join(' ')} }`);
    }
  }
  return [...found];
}

/** Style rules that make pages feel native; insets only where the site's own bars lack them, and only in the app. */
export function styleRules(site: Site | undefined): string {
  const derived = site && new Derived(site);
  const bySelector = new Map<string, string[]>();
  for (const { selector, declarations } of site && derived ? insetRules(site, derived) : [])
    bySelector.set(selector, [...(bySelector.get(selector) ?? []), ...declarations]);
  const insets = [...bySelector].map(([selector, all]) => `  ${selector} { ${all.join(' ')} }`);
  return [
    'html { touch-action: manipulation; overscroll-behavior-y: none; }',
    ...(site && derived ? fittingHeights(site, derived) : []),
    '* { -webkit-tap-highlight-color: transparent; }',
    'button, nav a, [role="tab"] { -webkit-user-select: none; user-select: none; }',
    ...(insets.length === 0 ? [] : [`${IN_APP} {`, ...insets, '}']),
  ].join('\n');
}

const escapeAttribute = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll('<', '&lt;');

/** Attribute names that differ in JSX. */
const JSX_NAMES: Readonly<Record<string, string>> = {
  class: 'className',
  charset: 'charSet',
  crossorigin: 'crossOrigin',
};

export function tagText({ name, attributes }: HeadTag, form: 'html' | 'jsx'): string {
  const parts = attributes.map(
    ([key, value]) => `${form === 'jsx' ? (JSX_NAMES[key] ?? key) : key}="${escapeAttribute(value)}"`,
  );
  return `<${name} ${parts.join(' ')}${form === 'jsx' ? ' />' : '>'}`;
}

/** What the styles are known by where a build has dropped the marks around them. */
export const STYLE_MARK = 'data-hull="tags"';

/** Tags and styles as lines to paste. */
export function blockLines(
  tags: readonly HeadTag[],
  style: string,
  form: 'html' | 'jsx',
  file = '',
): string[] {
  const lines = tags.map((item) => tagText(item, form));
  if (style === '') return lines;
  if (form === 'jsx') return [...lines, `<style ${STYLE_MARK}>{\`${style.replaceAll('`', '\\`')}\`}</style>`];
  // A selector may hold, in a text, what would end the element.
  return [
    ...lines,
    // Components of some builds keep styles to themselves, unless it is marked.
    `<style ${STYLE_MARK}${file.endsWith('.astro') ? ' is:inline' : ''}>`,
    ...style
      .replaceAll('</', '<\\/')
      .split('\n')
      .map((line) => `  ${line}`),
    '</style>',
  ];
}
