/**
 * A page as an installed app shows it. A browser that is driven always says that it is a browser; so what pages ask of
 * `display-mode` (Media Queries 5, section 4.6) is answered in their style sheets and scripts.
 */

/** CSS px that the system covers at each edge of a screen. */
export type Insets = Readonly<Record<'top' | 'right' | 'bottom' | 'left', number>>;

/** Replaces the questions for the display mode in a media query by ones that are always, or never, true. */
const answered = (mode: string) => `.replace(/\\(\\s*display-mode\\s*:\\s*([\\w-]+)\\s*\\)/gi,
    (_, asked) => asked.toLowerCase() === '${mode}' ? '(min-width: 0px)' : '(max-width: 0px)')`;

/** Makes the page's scripts take it for an installed app; a browser that is driven always says that it is one. */
export const scriptsAsApp = (mode: string) => `(() => {
  const ask = window.matchMedia.bind(window);
  window.matchMedia = (query) => ask(String(query)${answered(mode)});
})();`;
/** Makes scripts find what Apple's home screen apps say of themselves. */
export const APPLE_AS_APP = `Object.defineProperty(navigator, 'standalone', { get: () => true });`;

/** Makes style rules for installed apps count. */
export const stylesAsApp = (mode: string) => `(() => {
  const change = (media) => {
    if (media && media.mediaText.includes('display-mode')) media.mediaText = media.mediaText${answered(mode)};
  };
  const walk = (rules) => { for (const rule of rules) { change(rule.media); if (rule.cssRules) walk(rule.cssRules); } };
  for (const sheet of document.styleSheets) {
    try { change(sheet.media); walk(sheet.cssRules); } catch { /* a sheet of another host may not be read */ }
  }
})()`;
