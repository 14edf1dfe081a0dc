import { describe, expect, it } from 'vitest';
import { findBuiltBase } from '../../../src/core/site/built-base.js';

const FILES = ['index.html', 'assets/app.js', 'assets/app.css', 'favicon.svg'];
const found = (...tags: string[]) => {
  const { hosted, builtFor } = findBuiltBase(`<!doctype html><head>${tags.join('')}</head>`, (path) =>
    FILES.includes(path),
  );
  return [hosted?.href, builtFor];
};
const canonical = (href: string) => `<link rel="canonical" href="${href}">`;

describe('where a folder says that its pages lie', () => {
  it('is its canonical address', () => {
    expect(found(canonical('https://ferry.saltmarsh.example/'))).toEqual([
      'https://ferry.saltmarsh.example/',
      undefined,
    ]);
    expect(found(canonical('https://ferry.saltmarsh.example/app/index.html'))).toEqual([
      'https://ferry.saltmarsh.example/app/',
      undefined,
    ]);
  });

  it('is a folder also where its address has no slash', () => {
    const tags = [
      canonical('https://ferry.saltmarsh.example/shop'),
      '<script src="/shop/assets/app.js"></script>',
    ];
    expect(found(...tags)).toEqual(['https://ferry.saltmarsh.example/shop/', '/shop/']);
    expect(found(canonical('https://ferry.saltmarsh.example/shop'))).toEqual([
      'https://ferry.saltmarsh.example/shop/',
      undefined,
    ]);
  });

  it('is the root where the page’s files are there', () => {
    const tags = [
      canonical('https://ferry.saltmarsh.example/en'),
      '<link rel=stylesheet href=/assets/app.css>',
    ];
    expect(found(...tags)).toEqual(['https://ferry.saltmarsh.example/', undefined]);
  });

  it('is told by addresses that lead to files only without their first steps', () => {
    expect(found('<script type="module" src="/a/b/assets/app.js"></script>')).toEqual([undefined, '/a/b/']);
    expect(found('<script src="/assets/gone.js"></script>')).toEqual([undefined, undefined]);
    expect(found('<script src="//cdn.example/assets/app.js"></script>')).toEqual([undefined, undefined]);
    // A file at the root shows that the page’s own addresses are right; another app’s are not there.
    expect(
      found('<link rel="icon" href="/favicon.svg">', '<script src="/x/assets/app.js"></script>'),
    ).toEqual([undefined, undefined]);
  });
});
