/** Text as it may stand in HTML, also in an attribute between double quotes. */
export const html = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

/** Colours and type of the pages that are written, light and dark. */
export const PAGE_STYLE = `
:root { color-scheme: light dark; --paper: #f7f6f3; --card: #fff; --ink: #1d2529; --soft: #5d6a70; --line: #dfdcd4;
  --error: #b3261e; --warning: #8a5a00; --suggestion: #245a8c; --good: #2b6e44; }
@media (prefers-color-scheme: dark) { :root { --paper: #14191c; --card: #1d2428; --ink: #e6ebed; --soft: #9aa7ad; --line: #313b40;
  --error: #ff8a80; --warning: #f0b94d; --suggestion: #8cbcec; --good: #7fd0a0; } }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 1120px; padding: 36px 28px 60px; background: var(--paper); color: var(--ink);
  font: 16px/1.5 system-ui, sans-serif; }
h1 { font-size: 1.7rem; line-height: 1.2; margin: 0 0 4px; }
h2 { font-size: 1.15rem; margin: 40px 0 4px; }
h2 + p { margin: 0 0 14px; color: var(--soft); }
a { color: var(--suggestion); }
.soft { color: var(--soft); }
code, pre { font-family: ui-monospace, monospace; }
`;
