import { describe, expect, it } from 'vitest';
import { Assembler } from '../../../src/core/site/assemble.js';
import type { Site } from '../../../src/core/site/site.js';
import { Derived } from '../../../src/core/survey/derived.js';
import type { RuleContext } from '../../../src/core/survey/rule.js';
import { findRule } from '../../../src/core/survey/survey.js';

/** Widths of what holds the page, as the rules that count say them. */

function widths(styles: string): string[] {
  const assembler = new Assembler();
  const head = `<head><meta name="viewport" content="width=device-width"><style>${styles}</style></head>`;
  const body = '<div class="page wide"><main>Boats leave every forty minutes from each pier.</main></div>';
  const page = assembler.addPage(
    'https://ferry.saltmarsh.example/',
    'index.html',
    `<html>${head}<body>${body}</body></html>`,
  );
  const site = {
    kind: 'folder',
    startPage: page,
    pages: assembler.pages,
    scripts: [],
    styles: assembler.styles,
    styleGroups: assembler.styleGroups(),
  } as unknown as Site;
  const context = { site, derived: new Derived(site) } as unknown as RuleContext;
  return [...findRule('fit.fixed-width').check(context)].map(({ observed }) => observed);
}

describe('a fixed width', () => {
  it('is found where it counts', () => {
    expect(widths('.page { width: 960px }')).toEqual(['.page { width: 960px }']);
    expect(widths('main { min-width: 600px }')).toEqual(['main { min-width: 600px }']);
    expect(widths(':root { --page: 800px } .page { width: var(--page) }')).toEqual([
      '.page { width: var(--page) }',
    ]);
    expect(widths('.page { width: 960px; max-width: 1200px }')).toHaveLength(1);
  });

  it('is none where another rule limits it, or no phone has it', () => {
    expect(widths('.page { width: 960px } .wide { max-width: 100% }')).toEqual([]);
    expect(widths('.page { width: 960px; max-width: calc(100vw - 2rem) }')).toEqual([]);
    expect(widths('.page { width: 960px; max-width: 400px }')).toEqual([]);
    expect(widths('.page { width: 960px } .page.wide { width: auto }')).toEqual([]);
    expect(widths('@media (min-width: 60em) { .page { width: 960px } }')).toEqual([]);
    expect(widths('@media print { .page { width: 960px } }')).toEqual([]);
    expect(widths('.page { width: 320px } .elsewhere { width: 960px }')).toEqual([]);
  });
});
