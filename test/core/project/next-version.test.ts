import { describe, expect, it } from 'vitest';
import { compareVersions, nextVersion } from '../../../src/core/project/next-version.js';
import { refused } from '../../support/errors.js';

const now = { version: '1.4.2', build: 7 };

describe('the next version', () => {
  it.each([
    ['major', '2.0.0'],
    ['minor', '1.5.0'],
    ['patch', '1.4.3'],
    ['build', '1.4.2'],
    ['1.10', '1.10'],
  ])('after %s is %s, with the build above', (step, version) => {
    expect(nextVersion(now, step, [])).toEqual({ version, build: 8 });
  });

  it('lies above what is packed', async () => {
    const packed = [{ file: 'out/a.apk', version: '1.6.0', build: 12 }];
    expect(nextVersion(now, '1.6.0', packed)).toEqual({ version: '1.6.0', build: 13 });
    const error = await refused('version.goes-back', () => nextVersion(now, 'minor', packed));
    expect(error.location?.file).toBe('out/a.apk');
    await refused('version.goes-back', () => nextVersion(now, '1.4.1', []));
    await refused('app.bad-version', () => nextVersion(now, 'huge', []));
  });

  it('goes by numbers, not by letters', () => {
    expect(compareVersions('1.10.0', '1.9')).toBeGreaterThan(0);
    expect(compareVersions('1.4', '1.4.0')).toBe(0);
  });
});
