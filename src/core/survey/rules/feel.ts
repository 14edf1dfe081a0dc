import { contrast, luminance, parseColor, toHex } from '../../project/color.js';
import type { Meta } from '../../site/page.js';
import { transparentShare } from '../../site/picture.js';
import {
  fileUrl,
  locationIn,
  resolveReference,
  type Site,
  type SitePage,
  type StyleGroup,
  unitLocation,
} from '../../site/site.js';
import type { Declaration, StyleRule } from '../../site/style.js';
import type { Bar } from '../bars.js';
import { groupStyles, roomAt } from '../bars.js';
import { type Rule, type RuleFinding, rule } from '../rule.js';
import { fits, subjectOf } from '../selectors.js';

const VIEWPORT = 'CSS Viewport Module, "viewport meta element"';
const INSETS = 'CSS Environment Variables, "safe area insets"; Android edge-to-edge (enforced from API 35)';

/** The members of a viewport's content, by name. */
function viewport(
  page: SitePage,
): { readonly meta: Meta; readonly members: ReadonlyMap<string, string> } | undefined {
  const meta = page.facts.metas.find(({ name }) => name === 'viewport');
  if (!meta) return undefined;
  const members = new Map(
    meta.content
      .toLowerCase()
      .split(/[,;]/)
      .map((part) => part.split('=').map((text) => text.trim()) as [string, string]),
  );
  return { meta, members };
}

const at = (site: Site, page: SitePage, { line, column }: { line: number; column: number }) =>
  locationIn(site.kind, page.name, { line, column });

/** Says the same of many pages once: at the first, with the number of the others. */
function* onPages(
  site: Site,
  judge: (page: SitePage) => Omit<RuleFinding, 'more'> | undefined,
): Generator<RuleFinding> {
  const groups = new Map<string, { first: RuleFinding; more: number }>();
  for (const page of site.pages) {
    const finding = judge(page);
    if (!finding) continue;
    const known = groups.get(finding.observed);
    if (known) known.more += 1;
    else groups.set(finding.observed, { first: finding, more: 0 });
  }
  for (const { first, more } of groups.values()) yield more === 0 ? first : { ...first, more };
}

/** Where a style that is missing would go: the beginning of a look's first sheet, or its page's head. */
function styleHome(site: Site, group: StyleGroup): RuleFinding['location'] {
  const [unit] = group.styles;
  return unit
    ? unitLocation(site, unit, { line: 1, column: 1 })
    : at(site, group.page, group.page.facts.headPosition);
}

/** Says of looks that something is in none of their styles; once a style sheet. */
function* wherever(
  site: Site,
  lacks: (group: StyleGroup) => Omit<RuleFinding, 'location' | 'more'> | undefined,
): Generator<RuleFinding> {
  const seen = new Set<string>();
  for (const group of site.styleGroups) {
    const finding = group.unread > 0 ? undefined : lacks(group);
    if (!finding) continue;
    const location = styleHome(site, group);
    const key = JSON.stringify(location);
    if (seen.has(key)) continue;
    seen.add(key);
    yield { location, ...finding };
  }
}

const some = (group: StyleGroup, test: (declaration: Declaration, rule: StyleRule) => boolean) =>
  group.styles.some(({ facts }) =>
    facts.rules.some((item) => item.declarations.some((one) => test(one, item))),
  );

const hasControls = ({ facts }: SitePage) =>
  ['a', 'button', 'input', 'select'].some((tag) => facts.tags.has(tag));

/** Every bar of the site once, with the look it was first seen in. */
function* allBars(site: Site): Generator<{ readonly bar: Bar; readonly group: StyleGroup }> {
  const seen = new Set<string>();
  for (const group of site.styleGroups) {
    for (const bar of groupStyles(group).bars) {
      const key = JSON.stringify(unitLocation(site, bar.position.unit, bar.position));
      if (seen.has(key)) continue;
      seen.add(key);
      yield { bar, group };
    }
  }
}

const VIEWPORT_RULES: readonly Rule[] = [
  rule({
    id: 'feel.viewport',
    title: 'A page is not as wide as the device',
    severity: 'error',
    source: VIEWPORT,
    why: 'Without a viewport phones lay the page out for a screen of 980 px and shrink it: everything is tiny, and the first thing users do is zoom.',
    *check({ site }) {
      yield* onPages(site, (page) => {
        const found = viewport(page);
        const width = found?.members.get('width');
        if (width === 'device-width') return undefined;
        // A fixed width is told by fit.fixed-width.
        if (found && width !== undefined && /^\d+$/.test(width)) return undefined;
        if (found && width === undefined && found.members.has('initial-scale')) return undefined;
        return {
          location: at(site, page, found?.meta ?? page.facts.headPosition),
          observed: found ? `content="${found.meta.content}"` : 'no <meta name="viewport">',
          impact: 'Phones show the page shrunk, as if it were on a desk.',
          fix: '<meta name="viewport" content="width=device-width, initial-scale=1, viewport-fit=cover">',
        };
      });
    },
  }),
  rule({
    id: 'feel.viewport-cover',
    title: 'Pages do not reach the edges of the screen',
    severity: 'warning',
    source: `${VIEWPORT}; CSS Round Display, "viewport-fit"`,
    why: 'Without viewport-fit=cover there are bands beside the notch in landscape, and the safe-area insets are all 0, so that nothing can keep clear of them.',
    *check({ site }) {
      yield* onPages(site, (page) => {
        const found = viewport(page);
        if (!found || found.members.get('viewport-fit') === 'cover') return undefined;
        return {
          location: at(site, page, found.meta),
          observed: `content="${found.meta.content}"`,
          impact:
            'In landscape the page has empty bands at its sides; the insets that should keep it clear are 0.',
          fix: `content="${found.meta.content.replace(/,?\s*viewport-fit=[\w-]+/, '').trim()}, viewport-fit=cover"`,
        };
      });
    },
  }),
  rule({
    id: 'feel.zoom',
    title: 'Zooming is turned off',
    severity: 'suggestion',
    source: `${VIEWPORT}; WCAG 2.2, success criterion 1.4.4`,
    why: 'An app that cannot be zoomed feels native, and shuts out everyone who needs larger text. It is a choice, not a fault: where zoom is off, the text must follow the system’s size, and nothing may be small. touch-action: manipulation stops the accidental double-tap zoom, and leaves the pinch.',
    *check({ site }) {
      yield* onPages(site, (page) => {
        const found = viewport(page);
        const scale = Number(found?.members.get('maximum-scale') ?? Number.NaN);
        const off = /^(no|0)$/.test(found?.members.get('user-scalable') ?? '') || scale < 2;
        if (!found || !off) return undefined;
        return {
          location: at(site, page, found.meta),
          observed: `content="${found.meta.content}"`,
          impact: 'Low-vision users cannot enlarge the text; a store’s accessibility review may say so.',
          fix: 'Leave user-scalable and maximum-scale out, and stop only the double tap:\nhtml { touch-action: manipulation; }',
        };
      });
    },
  }),
];

const BAR_RULES: readonly Rule[] = [
  rule({
    id: 'feel.safe-area',
    title: 'A fixed bar overlaps the notch or the gesture bar',
    severity: 'warning',
    source: INSETS,
    why: 'Pages reach under status bar, notch and gesture bar. What is fixed to an edge has to make room for them itself, or its texts and buttons lie beneath.',
    *check({ site, browser }) {
      let told = false;
      for (const { bar } of allBars(site)) {
        if (bar.usesInset) continue;
        told = true;
        const { edge, merged, position } = bar;
        yield {
          location: unitLocation(site, position.unit, position),
          observed: `${merged.subject.text} { position: ${position.value} } at the ${edge}, without env(safe-area-inset-${edge})`,
          impact:
            edge === 'top'
              ? 'Its texts lie under the status bar and the notch.'
              : 'Its buttons lie under the gesture bar: a tap leaves the app.',
          fix: `${merged.subject.text} { padding-${edge}: env(safe-area-inset-${edge}); }`,
        };
      }
      if (told) return;
      for (const view of browser?.views ?? []) {
        const [seen] = view.underCutout;
        if (!seen) continue;
        yield {
          location: pageLocation(site, view.url),
          observed: `${seen.element} “${seen.text}” on ${view.device.name}, under the ${seen.edge} edge’s inset`,
          impact: 'It cannot be read or tapped there.',
          fix: `padding-${seen.edge}: env(safe-area-inset-${seen.edge});`,
          ...(view.underCutout.length > 1 ? { more: view.underCutout.length - 1 } : {}),
        };
        return;
      }
    },
  }),
  rule({
    id: 'feel.bar-room',
    title: 'Content is hidden under a fixed bar',
    severity: 'warning',
    source: 'CSS Positioned Layout, "fixed positioning"',
    why: 'A fixed bar takes no room of its own: the first or last lines of the page lie beneath it, and cannot be scrolled into sight.',
    *check({ site, browser }) {
      let told = false;
      const seen = new Set<string>();
      for (const { bar, group } of allBars(site)) {
        if (bar.kind !== 'fixed' || seen.has(bar.edge)) continue;
        const room = roomAt(group.page, groupStyles(group), bar.edge);
        const need = bar.height ?? 24;
        if (room === undefined || room >= need * 0.8) continue;
        seen.add(bar.edge);
        told = true;
        const { subject } = bar.merged;
        yield {
          location: unitLocation(site, bar.position.unit, bar.position),
          observed: `${subject.text} is fixed at the ${bar.edge}${bar.height ? `, ${bar.height} px high` : ''}; the page leaves ${room} px`,
          impact: `The ${bar.edge === 'top' ? 'first' : 'last'} lines of the page lie under the bar.`,
          fix: `body { padding-${bar.edge}: calc(${bar.height ?? 56}px + env(safe-area-inset-${bar.edge})); }`,
        };
      }
      if (told) return;
      const view = browser?.views.find(({ underBar }) => underBar.length > 0);
      const [first] = view?.underBar ?? [];
      if (!view || !first) return;
      yield {
        location: pageLocation(site, view.url),
        observed: `${first.element} “${first.text}” lies under ${first.bar} on ${view.device.name}`,
        impact: 'It cannot be scrolled into sight.',
        fix: 'Give the page a padding as high as the bar.',
      };
    },
  }),
  rule({
    id: 'feel.header',
    title: 'The header scrolls away',
    severity: 'suggestion',
    needs: ['styles'],
    source: 'Platform conventions: the top bar of an app does not scroll away',
    why: 'In an app the bar with title and actions stays where it is; a header that scrolls away with the text is what makes a page feel like a page.',
    *check({ site }) {
      yield* onPages(site, (page) => {
        const { banner } = page.facts;
        const group = site.styleGroups.find((item) => item.page === page);
        if (!banner || !group || group.unread > 0) return undefined;
        const elements = [banner, ...banner.around];
        const stays = [...groupStyles(group).merged.values()].some(
          ({ subject, plain }) =>
            /fixed|sticky/.test(plain.get('position')?.value ?? '') &&
            elements.some((element) => fits(subject, element)),
        );
        // A page whose body does not scroll keeps its header too.
        const isFrame = some(
          group,
          ({ property, value }, { selectors }) =>
            /^overflow/.test(property) &&
            value === 'hidden' &&
            selectors.some((text) => /^(html|body)$/.test(text)),
        );
        if (stays || isFrame) return undefined;
        const name = banner.id ? `#${banner.id}` : banner.classes[0] ? `.${banner.classes[0]}` : banner.tag;
        return {
          location: at(site, page, banner),
          observed: `<${banner.tag}${banner.classes[0] ? ` class="${banner.classes.join(' ')}"` : ''}> that is neither fixed nor sticky`,
          impact: 'It scrolls away with the text, as on a web page.',
          fix: `${name} { position: sticky; top: 0; padding-top: env(safe-area-inset-top); }`,
        };
      });
    },
  }),
  rule({
    id: 'feel.theme-color',
    title: 'The page names no theme colour',
    severity: 'warning',
    needs: ['start-page'],
    source: 'HTML Standard, "theme-color"',
    why: 'The status bar takes the page’s theme colour; without it there is a black or white band over a coloured header.',
    *check({ site }) {
      const { startPage } = site;
      if (!startPage) return;
      const meta = startPage.facts.metas.find(({ name }) => name === 'theme-color');
      if (meta && parseColor(meta.content)) return;
      const bar =
        site.styleGroups[0] && groupStyles(site.styleGroups[0]).bars.find(({ edge }) => edge === 'top');
      yield {
        location: at(site, startPage, meta ?? startPage.facts.headPosition),
        observed: meta ? `content="${meta.content}" is no colour` : 'no <meta name="theme-color">',
        impact: 'There is a black or white band over the header.',
        fix: `<meta name="theme-color" content="${bar?.color ? toHex(bar.color) : '#0b4f6c'}">`,
      };
    },
  }),
  rule({
    id: 'feel.status-bar',
    title: 'The status bar does not match the header',
    severity: 'warning',
    needs: ['start-page'],
    source: 'HTML Standard, "theme-color"; Apple status bar style of web apps; WCAG 2.2, contrast ratio',
    why: 'The status bar’s band has the theme colour. Where the header has another the band is seen as a stripe, and with a see-through status bar white symbols stand on a light header.',
    *check({ site }) {
      const { startPage } = site;
      const [group] = site.styleGroups;
      if (!startPage || !group || group.page !== startPage) return;
      const bar = groupStyles(group).bars.find(({ edge, color }) => edge === 'top' && color);
      if (!bar?.color) return;
      const meta = startPage.facts.metas.find(
        ({ name, media }) => name === 'theme-color' && (media === undefined || /light/.test(media)),
      );
      const theme = meta && parseColor(meta.content);
      if (meta && theme && contrast(theme, bar.color) > 1.15) {
        yield {
          location: at(site, startPage, meta),
          observed: `theme-color "${meta.content}", while ${bar.merged.subject.text} is ${toHex(bar.color)}`,
          impact: 'A stripe of another colour stands over the header.',
          fix: `<meta name="theme-color" content="${toHex(bar.color)}">`,
        };
      }
      const style = startPage.facts.metas.find(
        ({ name }) => name === 'apple-mobile-web-app-status-bar-style',
      );
      if (style && /black-translucent/i.test(style.content) && luminance(bar.color) > 0.4) {
        yield {
          location: at(site, startPage, style),
          observed: `white symbols (${style.content}) on ${bar.merged.subject.text}, ${toHex(bar.color)}`,
          impact: 'Clock and battery cannot be read.',
          fix: '<meta name="apple-mobile-web-app-status-bar-style" content="default">',
        };
      }
    },
  }),
];

/** `100vh` and its like: the height of the largest viewport, whatever bars are shown (CSS Values 4, section 6.1.2). */
const LARGE_VIEWPORT = /\b100vh\b/;
const FITTING = /\b(100|\d+)(d|s)vh\b|fill-available|stretch/;
const HEIGHTS = new Set(['height', 'min-height', 'max-height', 'block-size', 'min-block-size']);
/** px from which on a height is meant for the whole screen. */
const SCREEN = 400;

const STYLE_RULES: readonly Rule[] = [
  rule({
    id: 'feel.height',
    title: 'Heights ignore the browser’s bars',
    severity: 'warning',
    source: 'CSS Values and Units 4, "viewport-percentage lengths"',
    why: '100vh is the height without the browser’s and the system’s bars, whether they are shown or not: the end of the page lies below the screen. A height in px fits one device, and leaves a gap or a cut on all others. dvh follows what can be seen.',
    *check({ site }) {
      for (const unit of site.styles) {
        for (const item of unit.facts.rules) {
          const relevant = item.declarations.filter(({ property }) => HEIGHTS.has(property));
          for (const [index, one] of relevant.entries()) {
            const better = relevant
              .slice(index + 1)
              .some(({ property, value }) => property === one.property && FITTING.test(value));
            const whole = LARGE_VIEWPORT.test(one.value) && !better && !isMended(site, item, one);
            const px = /^(\d+(?:\.\d+)?)px$/.exec(one.value)?.[1];
            const frozen =
              px !== undefined &&
              Number(px) >= SCREEN &&
              one.property !== 'max-height' &&
              isFrame(site, item);
            if (!whole && !frozen) continue;
            const [selector] = item.selectors;
            yield {
              location: unitLocation(site, unit, one),
              observed: `${selector} { ${one.property}: ${one.value} }`,
              impact: whole
                ? 'The lower end of the page lies under the gesture bar or the keyboard.'
                : 'On taller screens there is a gap at the bottom, on smaller ones the end is cut.',
              fix: whole
                ? `${one.property}: ${one.value.replaceAll(/\b100vh\b/g, '100dvh')};`
                : 'min-height: 100dvh;',
            };
          }
        }
      }
    },
  }),
  rule({
    id: 'feel.double-tap',
    title: 'A double tap zooms',
    severity: 'suggestion',
    needs: ['styles'],
    source: 'W3C Pointer Events, "touch-action"',
    why: 'Two quick taps on a button zoom into the page on some engines, and the app seems broken. touch-action: manipulation stops that and leaves the pinch to those who need it.',
    *check({ site }) {
      yield* wherever(site, (group) => {
        const disabled = /no|0/.test(viewport(group.page)?.members.get('user-scalable') ?? '');
        if (
          disabled ||
          !hasControls(group.page) ||
          some(group, ({ property, value }) => property === 'touch-action' && value !== 'auto')
        )
          return undefined;
        return {
          observed: 'no touch-action',
          impact: 'Two quick taps on a button zoom into the page.',
          fix: 'html { touch-action: manipulation; }',
        };
      });
    },
  }),
  rule({
    id: 'feel.tap-highlight',
    title: 'A grey box flashes on tap',
    severity: 'suggestion',
    needs: ['styles'],
    source: 'Compatibility Standard, "-webkit-tap-highlight-color"',
    why: 'Engines paint a grey or blue box over whatever is tapped. Native controls show their own pressed state.',
    *check({ site }) {
      yield* wherever(site, (group) => {
        if (
          !hasControls(group.page) ||
          some(group, ({ property }) => property === '-webkit-tap-highlight-color')
        )
          return undefined;
        return {
          observed: 'no -webkit-tap-highlight-color',
          impact: 'A grey box flashes over everything that is tapped.',
          fix: '* { -webkit-tap-highlight-color: transparent; }\n:active { opacity: .7; }',
        };
      });
    },
  }),
  rule({
    id: 'feel.overscroll',
    title: 'The page bounces or reloads when pulled',
    severity: 'suggestion',
    needs: ['styles'],
    source: 'CSS Overscroll Behavior',
    why: 'A pull at the top of a page reloads it in browsers, and shows the ground beneath it on other systems. An app’s page stays.',
    *check({ site }) {
      yield* wherever(site, (group) => {
        const set = some(
          group,
          ({ property }, { selectors }) =>
            property.startsWith('overscroll-behavior') &&
            selectors.some((text) => /^(html|body|:root|\*)/.test(text)),
        );
        if (set) return undefined;
        return {
          observed: 'no overscroll-behavior on html or body',
          impact: 'A pull at the top reloads the app, or bounces it.',
          fix: 'html { overscroll-behavior-y: none; }',
        };
      });
    },
  }),
  rule({
    id: 'feel.text-selection',
    title: 'Controls are selected as text',
    severity: 'suggestion',
    needs: ['styles'],
    source: 'CSS User Interface 4, "user-select"',
    why: 'A long press on a button or tab selects its label and opens the menu for copying. Text that users may want to copy has to stay selectable: only controls are meant.',
    *check({ site }) {
      yield* wherever(site, (group) => {
        const { tags } = group.page.facts;
        if (!tags.has('button') && !tags.has('nav')) return undefined;
        if (some(group, ({ property, value }) => property.endsWith('user-select') && value === 'none'))
          return undefined;
        return {
          observed: 'no user-select: none on controls',
          impact: 'A long press on a button selects its label.',
          fix: 'button, nav a { user-select: none; -webkit-user-select: none; }',
        };
      });
    },
  }),
  rule({
    id: 'feel.hover',
    title: 'Something works with a mouse only',
    severity: 'warning',
    source: 'Media Queries 4, "hover"; WCAG 2.2, success criterion 1.4.13',
    why: 'Fingers do not hover. What appears only under a mouse cannot be reached on a phone.',
    *check({ site }) {
      for (const unit of site.styles) {
        for (const item of unit.facts.rules) {
          if (item.conditions.some((text) => /hover\s*:\s*hover|pointer\s*:\s*fine/.test(text))) continue;
          const selector = item.selectors.find((text) => /:hover\b[^,]*[\s>+~]/.test(text.trim()));
          const shows = item.declarations.find(revealing);
          if (!selector || !shows) continue;
          const subject = subjectOf(selector).text;
          const other = site.styles.some(({ facts }) =>
            facts.rules.some(
              (one) =>
                one.declarations.some(revealing) &&
                one.selectors.some(
                  (text) =>
                    subjectOf(text).text === subject &&
                    /:focus|:active|:checked|:target|aria-expanded|\[open|\.(is-)?(open|active|show|visible)/.test(
                      text,
                    ),
                ),
            ),
          );
          if (other) continue;
          yield {
            location: unitLocation(site, unit, item),
            observed: `${selector} { ${shows.property}: ${shows.value} }`,
            impact: 'On a touch screen it never appears.',
            fix: `${selector.replace(':hover', ':focus-within')}, ${selector} { ${shows.property}: ${shows.value}; }`,
          };
        }
      }
    },
  }),
];

/** Whether another rule about the same elements gives them a height that follows the screen. */
function isMended(site: Site, item: StyleRule, { property }: Declaration): boolean {
  const subjects = new Set(item.selectors.map((text) => subjectOf(text).text));
  return site.styles.some(({ facts }) =>
    facts.rules.some(
      (rule) =>
        rule !== item &&
        rule.selectors.some((text) => subjects.has(subjectOf(text).text)) &&
        rule.declarations.some((one) => one.property === property && FITTING.test(one.value)),
    ),
  );
}

function revealing({ property, value }: Declaration): boolean {
  return (
    (property === 'display' && value !== 'none') ||
    (property === 'visibility' && value === 'visible') ||
    (property === 'opacity' && Number(value) >= 0.9)
  );
}

/** Whether a rule is about what holds the whole page. */
function isFrame(site: Site, item: StyleRule): boolean {
  const elements = site.pages.slice(0, 20).flatMap(({ facts }) => facts.frames);
  return item.selectors.some((selector) => {
    const subject = subjectOf(selector);
    return subject.pseudo.length === 0 && elements.some((element) => fits(subject, element));
  });
}

const ICON_RULES: readonly Rule[] = [
  rule({
    id: 'feel.touch-icon',
    title: 'No touch icon',
    severity: 'warning',
    needs: ['start-page'],
    platforms: ['apple'],
    source: 'Apple web clips: apple-touch-icon, 180 px, opaque',
    why: 'On home screens of that platform the touch icon is the app’s icon. Without it a small picture of the page stands there; see-through parts turn black.',
    *check({ site }) {
      const { startPage } = site;
      if (!startPage) return;
      const reference = startPage.facts.references.find(({ kind }) => kind === 'touch-icon');
      const url = reference && resolveReference(startPage, reference);
      const picture = url && site.pictures.get(fileUrl(url));
      const fault = !reference
        ? 'no <link rel="apple-touch-icon">'
        : !picture?.format
          ? undefined // what is not there is told by files.missing
          : picture.format === 'svg'
            ? `${reference.text} is a drawing`
            : transparentShare(picture) > 0.01
              ? `${reference.text} has see-through parts`
              : Math.min(picture.width, picture.height) < 180
                ? `${reference.text} has ${picture.width}x${picture.height} px`
                : undefined;
      if (!fault) return;
      yield {
        location: at(site, startPage, reference ?? startPage.facts.headPosition),
        observed: fault,
        impact: reference
          ? 'The icon is blurred, or has black corners.'
          : 'A small picture of the page stands on the home screen instead of the icon.',
        fix: '<link rel="apple-touch-icon" href="/icons/touch-180.png">   (PNG, 180x180 px, opaque)',
      };
    },
  }),
  rule({
    id: 'feel.startup-image',
    title: 'No start-up images',
    severity: 'suggestion',
    needs: ['start-page'],
    platforms: ['apple'],
    engines: ['browser'],
    source: 'Apple web clips: apple-touch-startup-image, exact pixels of each device',
    why: 'Installed from the browser, the app starts there with a white screen unless there is an image of exactly the device’s pixels.',
    *check({ site }) {
      const { startPage } = site;
      if (!startPage || startPage.facts.references.some(({ kind }) => kind === 'startup-image')) return;
      yield {
        location: at(site, startPage, startPage.facts.headPosition),
        observed: 'no <link rel="apple-touch-startup-image">',
        impact: 'Added to the home screen from the browser there, the app starts with a white screen.',
        fix: '<link rel="apple-touch-startup-image" media="(device-width: 390px) and (device-height: 844px) and (-webkit-device-pixel-ratio: 3) and (orientation: portrait)" href="/icons/start-1170x2532.png">\nOne for each screen size and orientation.',
      };
    },
  }),
];

/** Where a page is told, by its address. */
export function pageLocation(site: Site, url: string): RuleFinding['location'] {
  const page = site.pages.find((item) => item.url === url);
  return page ? locationIn(site.kind, page.name, { line: 1, column: 1 }) : { url };
}

const MIN_FIXED = 480;

export const FIT_RULES: readonly Rule[] = [
  rule({
    id: 'fit.fixed-width',
    title: 'The layout has a fixed width',
    severity: 'warning',
    source: `${VIEWPORT}; CSS Sizing`,
    why: 'A page laid out for one width is cut or shrunk on every other.',
    *check({ site }) {
      yield* onPages(site, (page) => {
        const found = viewport(page);
        const width = found?.members.get('width') ?? '';
        if (!found || !/^\d+$/.test(width)) return undefined;
        return {
          location: at(site, page, found.meta),
          observed: `content="${found.meta.content}"`,
          impact: `Every device shows the page as if it were ${width} px wide.`,
          fix: '<meta name="viewport" content="width=device-width, initial-scale=1, viewport-fit=cover">',
        };
      });
      for (const unit of site.styles) {
        for (const item of unit.facts.rules) {
          if (item.conditions.some((text) => /width|print/.test(text))) continue;
          const width = item.declarations.find(({ property, value }) => {
            const px = /^(\d+(?:\.\d+)?)px$/.exec(value)?.[1];
            return (
              (property === 'width' || property === 'min-width') && px !== undefined && Number(px) > MIN_FIXED
            );
          });
          const limited = item.declarations.some(
            ({ property }) => property === 'max-width' && width?.property === 'width',
          );
          if (!width || limited || !isFrame(site, item)) continue;
          yield {
            location: unitLocation(site, unit, width),
            observed: `${item.selectors[0]} { ${width.property}: ${width.value} }`,
            impact: 'On phones the page is wider than the screen, and scrolls sideways.',
            fix: `max-width: ${width.value}; width: 100%;`,
          };
        }
      }
    },
  }),
  rule({
    id: 'fit.overflow',
    title: 'A page scrolls sideways',
    severity: 'warning',
    needs: ['browser'],
    source: 'WCAG 2.2, success criterion 1.4.10; measured at phone and tablet size, portrait and landscape',
    why: 'One element that is wider than the screen makes the whole page slip sideways under the finger.',
    *check({ site, browser }) {
      const seen = new Set<string>();
      for (const { url, device, scrollWidth, wide } of browser?.views ?? []) {
        if (scrollWidth <= device.width + 1 || seen.has(url)) continue;
        seen.add(url);
        const [first] = wide;
        yield {
          location: pageLocation(site, url),
          observed: `${scrollWidth} px wide on ${device.name} (${device.width} px)${first ? `: ${first.element} reaches to ${Math.round(first.x + first.width)} px` : ''}`,
          impact: 'The page slips sideways under the finger.',
          fix: `${first?.element ?? 'the element'} { max-width: 100%; min-width: 0; overflow-wrap: anywhere; }`,
        };
      }
    },
  }),
  rule({
    id: 'fit.tap-target',
    title: 'Controls are too small for a finger',
    severity: 'warning',
    needs: ['browser'],
    source: 'WCAG 2.2, success criterion 2.5.8 (24 px); platform guidelines (44 to 48)',
    why: 'A control below 24 px is missed, and the one beside it is hit.',
    *check({ site, browser }) {
      const seen = new Set<string>();
      for (const { url, small } of browser?.views ?? []) {
        const fresh = small.filter(({ element, text }) => !seen.has(`${element} ${text}`));
        for (const { element, text } of fresh) seen.add(`${element} ${text}`);
        const [first] = fresh;
        if (!first) continue;
        yield {
          location: pageLocation(site, url),
          observed: `${first.element} “${first.text}” is ${Math.round(first.width)} × ${Math.round(first.height)} px`,
          impact: 'Fingers miss it.',
          fix: `${first.element} { min-width: 44px; min-height: 44px; }`,
          ...(fresh.length > 1 ? { more: fresh.length - 1 } : {}),
        };
      }
    },
  }),
];

export const FEEL_RULES: readonly Rule[] = [...VIEWPORT_RULES, ...BAR_RULES, ...STYLE_RULES, ...ICON_RULES];
