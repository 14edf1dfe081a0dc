import fc from 'fast-check';
import { chromium } from 'playwright-core';
import { describe, expect } from 'vitest';
import { Assembler } from '../../src/core/site/assemble.js';
import { pixels } from '../../src/core/survey/lengths.js';
import { Cascade, StyleCache } from '../../src/core/survey/styles/cascade.js';
import { PHONE } from '../../src/core/survey/styles/media.js';
import { reader, readerTest } from '../support/readers.js';

/** The survey's cascade beside that of a browser, on pages made at random. */

const SEED = 20261129;
const PAGES = 250;

const tag = fc.constantFrom('div', 'section', 'nav');
const classes = fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'md:d'), { maxLength: 3 });

interface Made {
  readonly tag: string;
  readonly classes: readonly string[];
  readonly style: string;
  readonly children: readonly Made[];
}

const value = fc.oneof(
  fc.integer({ min: 0, max: 40 }).map((size) => `${size}px`),
  fc.constantFrom('var(--v)', 'var(--w, 7px)', 'calc(2px + var(--v))', '1rem', 'inherit-free'),
);
const declaration = fc
  .tuple(
    fc.constantFrom(
      'padding-top',
      'padding-top',
      'padding',
      'padding-block',
      'padding-block-start',
      '--v',
      '--w',
    ),
    value.filter((text) => text !== 'inherit-free'),
    fc.integer({ min: 0, max: 9 }),
  )
  .map(([property, text, important]) => {
    // A custom property that names itself is no length, in the browser neither.
    const plain = property.startsWith('--') ? `${text.length}px` : text;
    return `${property}: ${plain}${important === 0 ? ' !important' : ''}`;
  });

const compound = fc
  .tuple(
    fc.constantFrom('', '', 'div', 'nav', '*'),
    fc.constantFrom('', '', '.a', '.b', '.c', '.a.b', '#e2', '#e5', '.md\\:d'),
    fc.constantFrom(
      '',
      '',
      '',
      ':not(.b)',
      ':is(.a, #e3)',
      ':where(.a, nav)',
      ':hover',
      ':first-child',
      '[class~="a"]',
      '[hidden]',
    ),
  )
  .map(([name, own, pseudo]) => name + own + pseudo || '.c');
const selector = fc
  .tuple(compound, fc.array(fc.tuple(fc.constantFrom(' ', ' > ', ' + ', ' ~ '), compound), { maxLength: 2 }))
  .map(([first, rest]) => first + rest.map(([between, one]) => between + one).join(''));
const block = fc.array(declaration, { minLength: 1, maxLength: 3 }).map((all) => all.join('; '));
const plainRule = fc
  .tuple(fc.oneof(selector, fc.constant(':root')), block)
  .map(([name, body]) => `${name} { ${body} }`);
const nestedRule = fc
  .tuple(compound, block, fc.constantFrom('& .a', '&.b', '.c &', '> nav', '&:not(.c)'), block)
  .map(([outer, body, inner, more]) => `${outer} { ${body}; ${inner} { ${more} } }`);
const media = fc.constantFrom(
  '(min-width: 600px)',
  '(max-width: 600px)',
  '(width >= 300px) and (orientation: portrait)',
  '(400px <= width < 900px)',
  'print',
  'screen and (hover: none)',
  'not all and (pointer: fine)',
  '(prefers-color-scheme: dark)',
  '(prefers-color-scheme: light), print',
  'not (min-width: 30em)',
);
const rule: fc.Arbitrary<string> = fc.oneof(
  { weight: 5, arbitrary: plainRule },
  { weight: 2, arbitrary: nestedRule },
  { weight: 2, arbitrary: fc.tuple(media, plainRule).map(([query, body]) => `@media ${query} { ${body} }`) },
  {
    weight: 2,
    arbitrary: fc
      .tuple(fc.constantFrom('base', 'theme', 'base.inner', ''), plainRule)
      .map(([name, body]) => `@layer ${name} { ${body} }`),
  },
  { weight: 1, arbitrary: fc.constantFrom('@layer theme, base;', '@layer extra;') },
  { weight: 1, arbitrary: plainRule.map((body) => `@supports (padding-top: 1px) { ${body} }`) },
);

const tree: fc.Memo<Made> = fc.memo((depth) =>
  fc.record({
    tag,
    classes,
    style: fc.oneof({ weight: 9, arbitrary: fc.constant('') }, { weight: 1, arbitrary: declaration }),
    children: depth <= 1 ? fc.constant([]) : fc.array(tree(depth - 1), { maxLength: 3 }),
  }),
);
const page = fc.record({
  body: fc.array(tree(3), { minLength: 1, maxLength: 3 }),
  sheets: fc.array(fc.array(rule, { minLength: 1, maxLength: 6 }), { minLength: 1, maxLength: 2 }),
});

function html({
  body,
  sheets,
}: {
  readonly body: readonly Made[];
  readonly sheets: readonly string[][];
}): string {
  let count = 0;
  const write = (one: Made): string => {
    const id = `e${count}`;
    count += 1;
    const attributes = [
      `id="${id}"`,
      ...(one.classes.length > 0 ? [`class="${one.classes.join(' ')}"`] : []),
      ...(one.style === '' ? [] : [`style="${one.style}"`]),
    ].join(' ');
    return `<${one.tag} ${attributes}>${one.children.map(write).join('')}</${one.tag}>`;
  };
  const styles = sheets.map((rules) => `<style>\n${rules.join('\n')}\n</style>`).join('\n');
  return `<!doctype html><html><head><meta name="viewport" content="width=device-width">${styles}</head><body>${body.map(write).join('')}</body></html>`;
}

describe('the cascade', () => {
  readerTest('chromium', 'says what a browser computes, and where it cannot, that it may be', async () => {
    const browser = await chromium.launch({
      executablePath: reader('chromium') ?? '',
      args: ['--no-sandbox'],
    });
    try {
      const context = await browser.newContext({
        viewport: { width: PHONE.width, height: PHONE.height },
        deviceScaleFactor: PHONE.ratio,
        isMobile: true,
        hasTouch: true,
      });
      const shown = await context.newPage();
      let certain = 0;
      let possible = 0;
      for (const [index, made] of fc.sample(page, { numRuns: PAGES, seed: SEED }).entries()) {
        const scheme = index % 3 === 0 ? 'dark' : 'light';
        await shown.emulateMedia({ colorScheme: scheme });
        const text = html(made);
        await shown.setContent(text);
        const computed = (await shown.evaluate(
          `Object.fromEntries([...document.querySelectorAll('body [id]')].map((one) => [one.id, getComputedStyle(one).paddingTop]))`,
        )) as Record<string, string>;

        const assembler = new Assembler();
        assembler.addPage('https://example/', 'page.html', text);
        const [group] = assembler.styleGroups();
        if (!group) throw new Error('no styles');
        const { styles, attributes } = group;
        const cascade = new Cascade({ styles, attributes, cache: new StyleCache(), isNamed: () => false });
        for (const node of group.elements) {
          if (node.id === undefined) continue;
          const declared = cascade.declared(node, 'padding-top', scheme);
          const read = (one: { readonly value: string } | undefined) => {
            const expanded = one && cascade.expand(node, one.value, scheme);
            // A custom property that is not set makes the declaration invalid: the initial value counts.
            return expanded === undefined || expanded.includes('var(') ? 0 : pixels(expanded);
          };
          const wanted = Number.parseFloat(computed[node.id] ?? '');
          const told = `page ${index}, ${scheme}, #${node.id}: ${JSON.stringify(declared.certain?.value)}\n${text}`;
          // A custom property behind it may be set by what is only possible.
          const isOpen = declared.certain?.value.includes('var(') === true && /[~+] |first-child/.test(text);
          if (declared.possible.length === 0 && !isOpen) {
            certain += 1;
            expect(read(declared.certain), told).toBe(wanted);
          } else {
            possible += 1;
            // A custom property behind it may itself be only possible: then any of its values would do.
            const all = [declared.certain, ...declared.possible];
            if (all.some((one) => one?.value.includes('var('))) continue;
            expect(all.map(read), told).toContain(wanted);
          }
        }
      }
      // The pages show enough of both.
      expect(certain).toBeGreaterThan(400);
      expect(possible).toBeGreaterThan(50);
    } finally {
      await browser.close();
    }
  });
});
