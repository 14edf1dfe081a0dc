import { transparentShare } from '../../site/picture.js';
import { fileUrl, resolveReference } from '../../site/site.js';
import { type Rule, rule } from '../rule.js';
import { unlessInset, unlessOnlyPacked } from '../target.js';
import { BAR_RULES } from './fixed-bars.js';
import { at, onPages, VIEWPORT, viewport } from './pages.js';
import { STYLE_RULES } from './touch.js';

const VIEWPORT_RULES: readonly Rule[] = [
  rule({
    id: 'feel.viewport',
    title: 'A page is not as wide as the device',
    severity: 'error',
    source: VIEWPORT,
    why: 'Without a viewport phones lay the page out for a screen of 980 px and shrink it: everything is tiny, and the first thing users do is zoom.',
    *check({ site, derived }) {
      yield* onPages(site, (page) => {
        const found = viewport(page);
        const width = found?.members.get('width');
        if (width === 'device-width') return undefined;
        // A fixed width is reported by fit.fixed-width.
        if (found && width !== undefined && /^\d+$/.test(width)) return undefined;
        if (found && width === undefined && found.members.has('initial-scale')) return undefined;
        return {
          location: at(site, page, found?.meta ?? page.facts.headPosition),
          observed: found ? `content="${found.meta.content}"` : 'no <meta name="viewport">',
          impact: 'Phones show the page shrunk, as if it were on a desk.',
          // A page that no link leads to may be one for tests, or for another window.
          ...(derived.isReached(page) ? {} : { severity: 'warning' }),
          fix: '<meta name="viewport" content="width=device-width, initial-scale=1, viewport-fit=cover">',
        };
      });
    },
  }),
  rule({
    id: 'feel.viewport-cover',
    title: 'Pages do not reach the edges of the screen',
    severity: 'warning',
    unless: unlessInset,
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

const ICON_RULES: readonly Rule[] = [
  rule({
    id: 'feel.touch-icon',
    title: 'No touch icon',
    severity: 'warning',
    needs: ['start-page'],
    platforms: ['apple'],
    unless: unlessOnlyPacked,
    source: 'Apple web clips: apple-touch-icon, 180 px, opaque',
    why: 'On home screens of that platform the touch icon is the app’s icon. Without it a small picture of the page is used; see-through parts turn black.',
    *check({ site }) {
      const { startPage } = site;
      if (!startPage) return;
      const reference = startPage.facts.references.find(({ kind }) => kind === 'touch-icon');
      const url = reference && resolveReference(startPage, reference);
      const picture = url && site.pictures.get(fileUrl(url));
      const fault = !reference
        ? 'no <link rel="apple-touch-icon">'
        : !picture?.format
          ? undefined // what is not there is reported by files.missing
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
          : 'The home screen shows a small picture of the page instead of the icon.',
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

export const FEEL_RULES: readonly Rule[] = [...VIEWPORT_RULES, ...BAR_RULES, ...STYLE_RULES, ...ICON_RULES];
