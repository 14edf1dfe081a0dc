import { join } from 'node:path';
import { expect, it } from 'vitest';
import { readListing } from '../../../src/core/listing/read.js';
import { listingsOf } from '../../../src/core/preview/listings.js';
import type { PreviewRequest } from '../../../src/core/preview/types.js';
import { temporaryFolder, writeFiles } from '../../support/temporary.js';

it('are those of the project, where it has a listing', () => {
  const dir = temporaryFolder();
  writeFiles(dir, {
    'en.md': `---\nname: Saltmarsh Ferry\nsummary: Sailings and tickets\nsubtitle: ${'x'.repeat(40)}\n---\n\n# Description\n\nText.\n`,
  });
  const [listing] = readListing(join(dir)).languages;
  const warnings: never[] = [];
  const shown = listingsOf({ listing, app: { name: 'Ferry' } } as unknown as PreviewRequest, warnings);
  expect(shown.map(({ platform, name, short }) => [platform, name, short?.length])).toEqual([
    ['android', 'Saltmarsh Ferry', 20],
    ['apple', 'Saltmarsh Ferry', 30],
  ]);
  expect(warnings).toEqual([]);
});
