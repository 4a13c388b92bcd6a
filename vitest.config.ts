import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['test/**/*.test.ts'],
    globalSetup: ['test/builders/test-build.ts'],
    // Most of the time goes by in programs that the tests start and wait for.
    maxWorkers: 2,
    testTimeout: 60_000,
    hookTimeout: 120_000,
    coverage: { provider: 'v8', include: ['src/**/*.ts'], reporter: ['text-summary'] },
  },
});
