import { describe, expect, it } from 'vitest';
import { Assembler } from '../../../src/core/site/assemble.js';
import { readScript } from '../../../src/core/site/script.js';
import type { Site } from '../../../src/core/site/site.js';
import { roomAt } from '../../../src/core/survey/bars.js';
import { Derived } from '../../../src/core/survey/derived.js';
import { unknownStyles } from '../../../src/core/survey/rules/pages.js';
import { styleRules } from '../../../src/core/tags/tags.js';

const TEXT = 'Boats leave the mainland pier every forty minutes, and come back as often.';

/** A site of one page with these styles; `scripts` are words that scripts may give to elements. */
function siteOf(styles: string, body: string, scripts = ''): Site {
  const assembler = new Assembler();
  const page = assembler.addPage(
    'https://ferry.saltmarsh.example/',
    'index.html',
    `<!doctype html><html><head><style>${styles}</style></head><body>${body}<p>${TEXT}</p></body></html>`,
  );
  const script = {
    url: page.url,
    name: 'a.js',
    facts: readScript(scripts),
    start: { line: 1, column: 1 },
    pages: 0,
  };
  return {
    kind: 'folder',
    startPage: page,
    pages: assembler.pages,
    scripts: [script],
    styles: assembler.styles,
    styleGroups: assembler.styleGroups(),
  } as unknown as Site;
}

function barsOf(styles: string, body: string, scripts?: string) {
  const site = siteOf(styles, body, scripts);
  const [group] = site.styleGroups;
  if (!group) throw new Error('no styles');
  const found = new Derived(site).stylesOf(group);
  return {
    bars: found.bars.map(({ name, edge, kind, height, usesInset }) => ({
      name,
      edge,
      kind,
      height,
      usesInset,
    })),
    room: (edge: 'top' | 'bottom') => roomAt(group.page, found, edge),
  };
}

const HEADER = '<header class="bar top"><h1>Ferry</h1></header>';
const FIXED = '.bar { position: fixed; inset: 0 0 auto 0; height: 56px }';
const clears = (styles: string, body = HEADER, scripts?: string) =>
  barsOf(styles, body, scripts).bars.map(({ usesInset }) => usesInset);

describe('a fixed bar', () => {
  it('is found with its edge and height, whatever way its styles say so', () => {
    expect(barsOf(FIXED, HEADER).bars).toEqual([
      { name: '.bar', edge: 'top', kind: 'fixed', height: 56, usesInset: 'no' },
    ]);
    const tabs = '<nav class="tabs" style="--h: 4rem"><a href="/">Piers</a></nav>';
    expect(
      barsOf('.tabs { position: fixed; bottom: 0; width: 100%; min-height: calc(var(--h) + 2px) }', tabs)
        .bars,
    ).toEqual([{ name: '.tabs', edge: 'bottom', kind: 'fixed', height: 66, usesInset: 'no' }]);
    expect(
      barsOf('body { > .bar { position: sticky; top: 0 } }', HEADER).bars.map(({ kind, name }) => [
        kind,
        name,
      ]),
    ).toEqual([['sticky', '.bar']]);
    expect(barsOf('', '<div style="position:fixed;top:0;left:0;right:0">x</div>').bars).toHaveLength(1);
  });

  it('is none where another rule counts more, or no phone shows it', () => {
    expect(barsOf(`${FIXED} header.bar { position: static }`, HEADER).bars).toEqual([]);
    expect(barsOf(`header.bar { position: static } ${FIXED}`, HEADER).bars).toEqual([]);
    expect(barsOf(`.bar { position: static !important } ${FIXED}`, HEADER).bars).toEqual([]);
    expect(barsOf(`@media (min-width: 60em) { ${FIXED} }`, HEADER).bars).toEqual([]);
    expect(barsOf(`@media print { ${FIXED} }`, HEADER).bars).toEqual([]);
    expect(barsOf(`${FIXED} @media (max-width: 600px) { .bar { display: none } }`, HEADER).bars).toEqual([]);
    expect(barsOf(FIXED, HEADER.replace('<header', '<header hidden')).bars).toEqual([]);
    expect(barsOf(FIXED, `<div class="menu">${HEADER}</div><style>.menu{display:none}</style>`).bars).toEqual(
      [],
    );
    expect(barsOf('.elsewhere { position: fixed; top: 0; width: 100% }', HEADER).bars).toEqual([]);
    expect(barsOf(`.dark .bar { position: fixed; top: 0; width: 100% }`, HEADER).bars).toEqual([]);
  });

  it('is one where scripts draw the whole page, named by its tag too', () => {
    const site = siteOf('header { position: fixed; inset: 0 0 auto 0 }', '');
    const [group] = site.styleGroups;
    const shell = { ...group, page: { ...group?.page, facts: { ...group?.page.facts, textLength: 0 } } };
    const { bars } = new Derived(site).stylesOf(shell as never);
    expect(bars.map(({ name, usesInset }) => [name, usesInset])).toEqual([['header', 'no']]);
  });

  it('is one too where only a script makes it one', () => {
    const stuck = '.bar.stuck { position: fixed; inset: 0 0 auto 0; background: #fff }';
    expect(barsOf(stuck, HEADER).bars).toEqual([]);
    expect(barsOf(stuck, HEADER, 'bar.classList.add("stuck")').bars).toHaveLength(1);
  });
});

describe('the inset', () => {
  const inset = 'padding-top: env(safe-area-inset-top)';

  it('counts where its rule counts', () => {
    expect(clears(`${FIXED} .bar { ${inset} }`)).toEqual(['yes']);
    expect(clears(`${FIXED} .bar { padding: env(safe-area-inset-top) 16px 0 }`)).toEqual(['yes']);
    expect(
      clears(
        `:root { --safe: env(safe-area-inset-top, 0px) } ${FIXED} .bar { padding-top: calc(8px + var(--safe)) }`,
      ),
    ).toEqual(['yes']);
    expect(clears(`${FIXED} @media (display-mode: standalone) { .bar { ${inset} } }`)).toEqual(['yes']);
    expect(clears(`${FIXED} .bar::before { content: ""; height: env(safe-area-inset-top) }`)).toEqual([
      'yes',
    ]);
    expect(clears(`${FIXED} .bar h1 { margin-top: env(safe-area-inset-top) }`)).toEqual(['yes']);
    expect(clears('.bar { position: fixed; top: env(safe-area-inset-top); left: 0; right: 0 }')).toEqual([
      'yes',
    ]);
  });

  it('does not where it loses, or is on another side', () => {
    expect(clears(`${FIXED} .bar { ${inset} } header.bar { padding: 8px }`)).toEqual(['no']);
    expect(clears(`${FIXED} .bar { ${inset} } .bar { padding-top: 8px }`)).toEqual(['no']);
    expect(clears(`${FIXED} .bar { padding: 8px !important } .bar { ${inset} }`)).toEqual(['no']);
    expect(clears(`@layer app { .bar { ${inset} } } ${FIXED} .bar { padding: 0 }`)).toEqual(['no']);
    expect(clears(`${FIXED} @media print { .bar { ${inset} } }`)).toEqual(['no']);
    expect(clears(`${FIXED} .bar { padding-bottom: env(safe-area-inset-bottom) }`)).toEqual(['no']);
    expect(
      clears(`${FIXED} .bar { ${inset} }`, HEADER.replace('">', '" style="padding: 8px 16px">')),
    ).toEqual(['no']);
  });

  it('may count where scripts decide', () => {
    expect(
      clears(`${FIXED} .ready .bar { ${inset} }`, HEADER, 'document.documentElement.className = "ready"'),
    ).toEqual(['maybe']);
  });

  it('is put there by the tags so that it counts, and then it does', () => {
    for (const styles of [
      FIXED,
      `${FIXED} header.bar.top { padding: 8px 16px }`,
      `${FIXED} body #none .bar, header.bar { padding: 4px !important }`,
      `* { box-sizing: border-box } ${FIXED} @media (max-width: 600px) { header.bar { padding: 8px } }`,
    ]) {
      const block = styleRules(siteOf(styles, HEADER));
      expect(clears(`${styles} ${block}`), block).toEqual(['yes']);
    }
    expect(
      styleRules(siteOf(`* { box-sizing: border-box } ${FIXED} .bar { padding: 8px }`, HEADER)),
    ).toContain(
      '.bar { padding-top: calc(8px + env(safe-area-inset-top)); height: calc(56px + env(safe-area-inset-top)); padding-left: calc(8px + env(safe-area-inset-left));',
    );
  });
});

describe('more elements than are kept', () => {
  it('make what styles say unknown, not fine', () => {
    const many = Array.from({ length: 150_010 }, (_, index) => `<i id="n${index}">`).join('');
    const site = siteOf(FIXED, `${HEADER}<div>${many.replaceAll('>', '></i>')}</div>`);
    expect(site.styleGroups[0]?.isCut).toBe(true);
    expect(unknownStyles({ site, browser: undefined } as never)).toMatch(/too many different elements/);
    expect(siteOf(FIXED, HEADER).styleGroups[0]?.isCut).toBe(false);
  });
});

describe('room under a bar', () => {
  const page = `${HEADER}<div id="root"><div class="layout"><main>x</main></div></div>`;

  it('is what the page leaves, by whatever rule', () => {
    expect(barsOf(FIXED, page).room('top')).toBe(0);
    expect(barsOf(`${FIXED} body { padding-top: 56px }`, page).room('top')).toBe(56);
    expect(barsOf(`${FIXED} .layout { margin-top: 40px } main { padding: 16px }`, page).room('top')).toBe(56);
    expect(
      barsOf(`${FIXED} body::before { content: ""; display: block; height: 3.5rem }`, page).room('top'),
    ).toBe(56);
    expect(barsOf(`${FIXED} body { padding-top: 56px } body { padding: 0 }`, page).room('top')).toBe(0);
  });

  it('cannot be told where it depends on the screen', () => {
    expect(barsOf(`${FIXED} main { padding-top: 10vh }`, page).room('top')).toBeUndefined();
  });
});
