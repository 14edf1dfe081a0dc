import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import {
  type Answer,
  type AnswerRules,
  answerOf,
  defaultFallback,
  headersOf,
} from '../../../src/core/site/answer.js';
import { readHeadersFile, readRedirectsFile } from '../../../src/core/site/host-files.js';

interface Vector {
  readonly method?: string;
  readonly path: string;
  readonly page: boolean;
  readonly answer: string;
  readonly headers?: Record<string, string>;
}
type VectorSite = AnswerRules & {
  readonly name: string;
  readonly files: readonly string[];
  readonly requests: readonly Vector[];
};

const { sites } = JSON.parse(readFileSync('shell/vectors/answers.json', 'utf8')) as { sites: VectorSite[] };

const inWords = (answer: Answer): string =>
  answer.is === 'file'
    ? `${answer.status} ${answer.path}`
    : answer.is === 'nothing'
      ? `${answer.status}`
      : answer.is;

describe('what answers a request to packed pages', () => {
  for (const { name, files, requests, ...rules } of sites) {
    it(`is the same here as in the shells: ${name}`, () => {
      for (const { method = 'GET', path, page, answer, headers } of requests) {
        const has = (file: string) => files.includes(file);
        const label = `${method} ${path} ${page ? 'page' : 'file'}`;
        expect(inWords(answerOf(rules, has, { method, path, page })), label).toBe(answer);
        if (headers) expect(headersOf(rules, path.slice(rules.base.length)), label).toEqual(headers);
      }
    });
  }
});

describe('the page for navigations that nothing answers', () => {
  it('is 200.html, or the only page', () => {
    expect(defaultFallback(['200.html', 'index.html', 'about.html'])).toBe('200.html');
    expect(defaultFallback(['404.html', 'app.js', 'index.html', 'offline.html'])).toBe('index.html');
  });

  it('is none where there are several pages', () => {
    expect(defaultFallback(['index.html', 'timetable.html'])).toBeUndefined();
    expect(defaultFallback(['islands/index.html', 'index.html'])).toBeUndefined();
  });
});

describe('files for static hosts', () => {
  it('give header fields by path', () => {
    const { headers, unfollowed } = readHeadersFile(
      [
        '# threads',
        '/*',
        '  Cross-Origin-Opener-Policy: same-origin',
        '  Cross-Origin-Embedder-Policy: require-corp',
        '  Content-Length: 3',
        '/piers/:name',
        '  X-Robots-Tag: noindex',
        '',
        '/js/*',
        '  X-A: 1',
        '  X-A: 2',
      ].join('\r\n'),
    );
    expect(headers).toEqual([
      {
        path: '*',
        fields: {
          'Cross-Origin-Opener-Policy': 'same-origin',
          'Cross-Origin-Embedder-Policy': 'require-corp',
        },
      },
      { path: 'js/*', fields: { 'X-A': '1, 2' } },
    ]);
    expect(unfollowed.map(({ line }) => line)).toEqual([5, 6]);
  });

  it('name the page that answers everything, and redirects that are not followed', () => {
    const read = readRedirectsFile(
      '/old /new 301\n# all routes\n/*   /index.html   200\n/api/* https://api.saltmarsh.example/:splat 200\n',
    );
    expect(read.fallback).toBe('index.html');
    expect(read.unfollowed.map(({ line }) => line)).toEqual([1, 4]);
    expect(readRedirectsFile('/* / 200').fallback).toBe('index.html');
    expect(readRedirectsFile('/* /index.html').fallback).toBeUndefined();
  });
});
