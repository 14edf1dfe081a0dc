import { readFileSync } from 'node:fs';
import { defineConfig } from 'vitest/config';

const { version } = JSON.parse(readFileSync(new URL('package.json', import.meta.url), 'utf8'));

export default defineConfig({
  // As the build puts it in.
  define: { HULL_VERSION: JSON.stringify(version) },
  test: {
    include: ['test/**/*.test.ts'],
    globalSetup: ['test/support/built.ts'],
    // A guard against hanging, never a measure: a real browser on a busy machine takes its time.
    testTimeout: 240_000,
    hookTimeout: 120_000,
    expect: { poll: { timeout: 15_000 } },
    // Tests of the built program start processes of their own, and many wait for browsers: three keep two cores busy, and four keep each other waiting.
    maxWorkers: 3,
    reporters: process.env.CI ? ['default'] : ['dot'],
  },
});
