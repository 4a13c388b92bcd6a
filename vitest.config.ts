import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['test/**/*.test.ts'],
    globalSetup: ['test/builders/test-build.ts'],
    testTimeout: 60_000,
    hookTimeout: 120_000,
    coverage: { provider: 'v8', include: ['src/**/*.ts'], reporter: ['text-summary'] },
  },
});
