import { type Site, unitLocation } from '../../site/site.js';
import type { Declaration, StyleRule } from '../../site/style.js';
import { type Rule, rule } from '../rule.js';
import { fits, subjectOf } from '../selectors.js';
import { unlessInset } from '../target.js';
import { hasControls, some, unknownStyles, viewport, wherever } from './pages.js';

/** `100vh` and its like: the height of the largest viewport, whatever bars are shown (CSS Values 4, section 6.1.2). */
const LARGE_VIEWPORT = /\b100vh\b/;
const FITTING = /\b(100|\d+)(d|s)vh\b|fill-available|stretch/;
const HEIGHTS = new Set(['height', 'min-height', 'max-height', 'block-size', 'min-block-size']);
/** px from which on a height is meant for the whole screen. */
const SCREEN = 400;

export const STYLE_RULES: readonly Rule[] = [
  rule({
    id: 'feel.height',
    blind: unknownStyles,
    title: 'Heights ignore the browser’s bars',
    severity: 'warning',
    source: 'CSS Values and Units 4, "viewport-percentage lengths"',
    why: '100vh is the height without the browser’s and the system’s bars, whether they are shown or not: the end of the page lies below the screen. A height in px fits one device, and leaves a gap or a cut on all others. dvh follows what can be seen.',
    *check({ site, target, derived }) {
      // In a window that keeps pages clear of all bars, 100vh is what can be seen.
      const isBarred = unlessInset(target) === undefined;
      for (const unit of site.styles) {
        for (const item of unit.facts.rules) {
          if (!derived.mayApply(item.selectors)) continue;
          const relevant = item.declarations.filter(({ property }) => HEIGHTS.has(property));
          for (const [index, one] of relevant.entries()) {
            const better = relevant
              .slice(index + 1)
              .some(({ property, value }) => property === one.property && FITTING.test(value));
            const whole = isBarred && LARGE_VIEWPORT.test(one.value) && !better && !isMended(site, item, one);
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
    blind: unknownStyles,
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
    blind: unknownStyles,
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
    blind: unknownStyles,
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
    blind: unknownStyles,
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
    blind: unknownStyles,
    title: 'Something works with a mouse only',
    severity: 'warning',
    source: 'Media Queries 4, "hover"; WCAG 2.2, success criterion 1.4.13',
    why: 'Fingers do not hover. What appears only under a mouse cannot be reached on a phone.',
    *check({ site, derived }) {
      for (const unit of site.styles) {
        for (const item of unit.facts.rules) {
          if (!derived.mayApply(item.selectors)) continue;
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
export function isFrame(site: Site, item: StyleRule): boolean {
  const elements = site.pages.slice(0, 20).flatMap(({ facts }) => facts.frames);
  return item.selectors.some((selector) => {
    const subject = subjectOf(selector);
    return subject.pseudo.length === 0 && elements.some((element) => fits(subject, element));
  });
}
