import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['test/**/*.test.ts'],
    testTimeout: 60_000,
    hookTimeout: 60_000,
    // Tests of the built program start processes of their own; two at a time keep two cores busy.
    maxWorkers: 2,
    reporters: process.env.CI ? ['default'] : ['dot'],
  },
});
