import { unitLocation } from '../../site/site.js';
import { nameOf } from '../bars.js';
import { type Rule, rule } from '../rule.js';
import { isSeen, seenIn, viewsOf } from '../seen.js';
import type { LocatedDeclaration } from '../styles/cascade.js';
import { at, onPages, pageLocation, unknownStyles, VIEWPORT, viewport } from './pages.js';

const MIN_FIXED = 480;

/** Whether a greatest width keeps an element inside a phone's screen. */
const isLimit = (value: string) => value.trim() !== 'none' && !isFixed(value);

/** A width that no phone in portrait has. */
const isFixed = (value: string) => Number(/^(\d+(?:\.\d+)?)px$/.exec(value.trim())?.[1] ?? 0) > MIN_FIXED;

export const FIT_RULES: readonly Rule[] = [
  rule({
    id: 'fit.fixed-width',
    blind: (context) => (isSeen(context) ? undefined : unknownStyles(context)),
    title: 'The layout has a fixed width',
    severity: 'warning',
    source: `${VIEWPORT}; CSS Sizing`,
    why: 'A page laid out for one width is cut or shrunk on every other.',
    *check({ site, derived }) {
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
      const seen = new Set<LocatedDeclaration['rule']>();
      for (const group of site.styleGroups) {
        const { cascade } = derived.stylesOf(group);
        for (const node of group.page.facts.frames) {
          const width = ['width', 'min-width']
            .map((property) => cascade.value(node, property))
            .find((one) => one !== undefined && isFixed(cascade.expand(node, one.value)));
          if (!width || seen.has(width.rule)) continue;
          const limit = width.property === 'width' ? cascade.value(node, 'max-width')?.value : undefined;
          if (limit !== undefined && isLimit(cascade.expand(node, limit))) continue;
          seen.add(width.rule);
          const { unit } = width;
          const selector = width.selector ?? nameOf(node);
          yield {
            location: unitLocation(site, unit, width),
            observed: `${selector} { ${width.property}: ${width.value} }`,
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
    needs: ['view'],
    source: 'WCAG 2.2, success criterion 1.4.10; measured at phone and tablet size, portrait and landscape',
    why: 'One element that is wider than the screen makes the whole page slip sideways under the finger.',
    *check(context) {
      const { site, browser } = context;
      const seen = new Set<string>();
      for (const { url, device, engine, scrollWidth, wide } of viewsOf(context)) {
        if (scrollWidth <= device.width + 1 || seen.has(url)) continue;
        seen.add(url);
        const [first] = wide;
        yield {
          location: pageLocation(site, url),
          observed: `${scrollWidth} px wide on ${device.name} (${device.width} px)${first ? `: ${first.element} reaches to ${Math.round(first.x + first.width)} px` : ''}${seenIn(engine, !browser)}`,
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
    needs: ['view'],
    source: 'WCAG 2.2, success criterion 2.5.8 (24 px); platform guidelines (44 to 48)',
    why: 'A control below 24 px is missed, and the one beside it is hit.',
    *check(context) {
      const { site, browser } = context;
      const seen = new Set<string>();
      for (const { url, engine, small } of viewsOf(context)) {
        const fresh = small.filter(({ element, text }) => !seen.has(`${element} ${text}`));
        for (const { element, text } of fresh) seen.add(`${element} ${text}`);
        const [first] = fresh;
        if (!first) continue;
        yield {
          location: pageLocation(site, url),
          observed: `${first.element} “${first.text}” is ${Math.round(first.width)} × ${Math.round(first.height)} px${seenIn(engine, !browser)}`,
          impact: 'Fingers miss it.',
          fix: `${first.element} { min-width: 44px; min-height: 44px; }`,
          ...(fresh.length > 1 ? { more: fresh.length - 1 } : {}),
        };
      }
    },
  }),
];
