import { looksDifferent, luminance, parseColor, toHex } from '../../project/color.js';
import type { ElementNode } from '../../site/elements.js';
import { unitLocation } from '../../site/site.js';
import { nameOf, roomAt } from '../bars.js';
import { type Rule, rule } from '../rule.js';
import { isSeen, seenIn, showsEdges, viewsOf } from '../seen.js';
import { unlessInset, unlessViewed } from '../target.js';
import {
  allBars,
  at,
  DRAWN_BY_SCRIPTS,
  INSETS,
  isDrawnByScripts,
  onPages,
  pageLocation,
  some,
  unknownStyles,
} from './pages.js';

export const BAR_RULES: readonly Rule[] = [
  rule({
    id: 'feel.safe-area',
    title: 'A fixed bar overlaps the notch or the gesture bar',
    severity: 'warning',
    unless: unlessInset,
    source: INSETS,
    blind: (context) => {
      const unclear = [...allBars(context)].find(({ bar }) => bar.usesInset === 'maybe')?.bar;
      if (unclear) return `scripts or states decide whether ${unclear.name} keeps clear of the inset`;
      // What a browser measured is known, whatever makes it so.
      return showsEdges(context) ? undefined : unknownStyles(context);
    },
    why: 'Pages reach under status bar, notch and gesture bar. What is fixed to an edge has to make room for them itself, or its texts and buttons lie beneath.',
    *check(context) {
      const { site, browser } = context;
      let told = false;
      for (const { bar } of allBars(context)) {
        if (bar.usesInset !== 'no') continue;
        told = true;
        const { edge, name, position } = bar;
        yield {
          location: unitLocation(site, position.unit, position),
          observed: `${name} { position: ${position.value} } at the ${edge}, without env(safe-area-inset-${edge})`,
          impact:
            edge === 'top'
              ? 'Its texts lie under the status bar and the notch.'
              : 'Its buttons lie under the gesture bar: a tap leaves the app.',
          fix: `${name} { padding-${edge}: env(safe-area-inset-${edge}); }`,
        };
      }
      if (told) return;
      for (const view of viewsOf(context)) {
        const [seen] = view.underCutout;
        if (!seen) continue;
        yield {
          location: pageLocation(site, view.url),
          observed: `${seen.element} “${seen.text}” on ${view.device.name}, under the ${seen.edge} edge’s inset${seenIn(view.engine, !browser)}`,
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
    blind: (context) => {
      if (isSeen(context)) return undefined;
      return isDrawnByScripts(context.site) ? DRAWN_BY_SCRIPTS : unknownStyles(context);
    },
    why: 'A fixed bar takes no room of its own: the first or last lines of the page lie beneath it, and cannot be scrolled into sight.',
    *check(context) {
      const { site, browser } = context;
      let told = false;
      const seen = new Set<string>();
      for (const { bar, group } of allBars(context)) {
        if (bar.kind !== 'fixed' || seen.has(bar.edge)) continue;
        // What leaves room may be an element that only scripts make.
        if (isDrawnByScripts(site)) continue;
        const room = roomAt(group.page, context.derived.stylesOf(group), bar.edge);
        const need = bar.height ?? 24;
        if (room === undefined || room >= need * 0.8) continue;
        seen.add(bar.edge);
        told = true;
        yield {
          location: unitLocation(site, bar.position.unit, bar.position),
          observed: `${bar.name} is fixed at the ${bar.edge}${bar.height ? `, ${bar.height} px high` : ''}; the page leaves ${room} px`,
          impact: `The ${bar.edge === 'top' ? 'first' : 'last'} lines of the page lie under the bar.`,
          fix: `body { padding-${bar.edge}: calc(${bar.height ?? 56}px + env(safe-area-inset-${bar.edge})); }`,
        };
      }
      if (told) return;
      const view = viewsOf(context).find(({ underBar }) => underBar.length > 0);
      const [first] = view?.underBar ?? [];
      if (!view || !first) return;
      yield {
        location: pageLocation(site, view.url),
        observed: `${first.element} “${first.text}” lies under ${first.bar} on ${view.device.name}${seenIn(view.engine, !browser)}`,
        impact: 'It cannot be scrolled into sight.',
        fix: 'Give the page a padding as high as the bar.',
      };
    },
  }),
  rule({
    id: 'feel.header',
    title: 'The header scrolls away',
    severity: 'suggestion',
    blind: unknownStyles,
    source: 'Platform conventions: the top bar of an app does not scroll away',
    why: 'In an app the bar with title and actions stays where it is; a header that scrolls away with the text is what makes a page feel like a page.',
    *check(context) {
      const { site } = context;
      yield* onPages(site, (page) => {
        const { banner } = page.facts;
        const group = site.styleGroups.find((item) => item.page === page);
        if (!banner || !group || group.unread.length > 0) return undefined;
        const { cascade } = context.derived.stylesOf(group);
        let stays = false;
        for (let node: ElementNode | undefined = banner.node; node !== undefined; node = node.parent) {
          const { certain, possible } = cascade.declared(node, 'position');
          if ([certain, ...possible].some((one) => /fixed|sticky/.test(one?.value ?? ''))) stays = true;
        }
        // A page whose body does not scroll keeps its header too.
        const isFrame = some(
          group,
          ({ property, value }, { selectors }) =>
            /^overflow/.test(property) &&
            value === 'hidden' &&
            selectors.some((text) => /^(html|body)$/.test(text)),
        );
        if (stays || isFrame) return undefined;
        const { classes } = banner.node;
        return {
          location: at(site, page, banner),
          observed: `<${banner.tag}${classes[0] ? ` class="${classes.join(' ')}"` : ''}> that is neither fixed nor sticky`,
          impact: 'It scrolls away with the text, as on a web page.',
          fix: `${nameOf(banner.node)} { position: sticky; top: 0; padding-top: env(safe-area-inset-top); }`,
        };
      });
    },
  }),
  rule({
    id: 'feel.theme-color',
    title: 'The page names no theme colour',
    severity: 'warning',
    needs: ['start-page'],
    unless: unlessViewed,
    source: 'HTML Standard, "theme-color"',
    why: 'The status bar takes the page’s theme colour; without it there is a black or white band over a coloured header.',
    *check(context) {
      const { site } = context;
      const { startPage } = site;
      if (!startPage) return;
      const meta = startPage.facts.metas.find(({ name }) => name === 'theme-color');
      if (meta && parseColor(meta.content)) return;
      const bar =
        site.styleGroups[0] &&
        context.derived.stylesOf(site.styleGroups[0]).bars.find(({ edge }) => edge === 'top');
      yield {
        location: at(site, startPage, meta ?? startPage.facts.headPosition),
        observed: meta ? `content="${meta.content}" is not a valid colour` : 'no <meta name="theme-color">',
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
    why: 'The status bar’s band has the theme colour. Where the header has another the band is seen as a stripe, and with a see-through status bar white symbols are on a light header.',
    *check(context) {
      const { site } = context;
      const { startPage } = site;
      const [group] = site.styleGroups;
      if (!startPage || !group || group.page !== startPage) return;
      const bar = context.derived.stylesOf(group).bars.find(({ edge, color }) => edge === 'top' && color);
      if (!bar?.color) return;
      const meta = startPage.facts.metas.find(
        ({ name, media }) => name === 'theme-color' && (media === undefined || /light/.test(media)),
      );
      const { project } = context;
      const isOwn = project !== undefined && context.target.engine === 'webview';
      const own = isOwn ? project.settings.look.theme_color : undefined;
      const ownColor = own === undefined ? undefined : parseColor(own);
      if (project && ownColor && looksDifferent(ownColor, bar.color)) {
        yield {
          location: project.location('/look/theme_color'),
          observed: `"${own}", while ${bar.name} is ${toHex(bar.color)}`,
          impact: 'Users see a stripe of another colour above the header.',
          fix: `"look": { "theme_color": "${toHex(bar.color)}" }`,
        };
      }
      const theme = meta && parseColor(meta.content);
      if (!isOwn && meta && theme && looksDifferent(theme, bar.color)) {
        yield {
          location: at(site, startPage, meta),
          observed: `theme-color "${meta.content}", while ${bar.name} is ${toHex(bar.color)}`,
          impact: 'Users see a stripe of another colour above the header.',
          fix: `<meta name="theme-color" content="${toHex(bar.color)}">`,
        };
      }
      const style = startPage.facts.metas.find(
        ({ name }) => name === 'apple-mobile-web-app-status-bar-style',
      );
      if (style && /black-translucent/i.test(style.content) && luminance(bar.color) > 0.4) {
        yield {
          location: at(site, startPage, style),
          observed: `white symbols (${style.content}) on ${bar.name}, ${toHex(bar.color)}`,
          impact: 'Clock and battery cannot be read.',
          fix: '<meta name="apple-mobile-web-app-status-bar-style" content="default">',
        };
      }
    },
  }),
];
