import { describe, expect, test } from 'vitest';
import { originRules } from '../../../../src/core/platforms/android/app/page-port.js';
import { compileUrlPattern, patternBelow } from '../../../../src/core/project/url-pattern.js';

const rules = async (...texts: string[]) =>
  originRules(await Promise.all(texts.map((text) => compileUrlPattern(text, { pointer: '/web/inside' }))));

describe('origins of a rule, as the engine takes them', () => {
  test('are those of its host, each once', async () => {
    expect(originRules([patternBelow(new URL('https://example.saltmarsh.ferry.invalid/'))])).toEqual([
      'https://example.saltmarsh.ferry.invalid',
    ]);
    expect(
      await rules(
        'https://ferry.saltmarsh.example/*',
        'https://ferry.saltmarsh.example/pier/:name',
        'https://*.saltmarsh.example/*',
        'http://pier-cam.saltmarsh.example:8080/*',
        'https://xn--fhre-loa.example/*',
      ),
    ).toEqual([
      'https://ferry.saltmarsh.example',
      'https://*.saltmarsh.example',
      'http://pier-cam.saltmarsh.example:8080',
      'https://xn--fhre-loa.example',
    ]);
  });

  test('are not known where the engine has no words for them', async () => {
    for (const text of [
      'https://ferry*.saltmarsh.example/*',
      'https://:name.saltmarsh.example/*',
      'https://ferry.*.example/*',
      'https://{www.}?saltmarsh.example/*',
      '*://ferry.saltmarsh.example/*',
      'https://ferry.saltmarsh.example:*/*',
      'https://*/*',
    ]) {
      expect(await rules('https://ferry.saltmarsh.example/*', text), text).toBeUndefined();
    }
  });
});
