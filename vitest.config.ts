import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['test/**/*.test.ts'],
    setupFiles: ['test/builders/long-properties.ts'],
    globalSetup: ['test/builders/test-build.ts'],
    // Most of the time goes by in programs that the tests start and wait for.
    maxWorkers: 4,
    // Modules are loaded once per worker, not once per file: no test changes what another imports.
    isolate: false,
    // Limits for a machine with much else to do; nothing takes nearly as long on an idle one.
    testTimeout: 600_000,
    hookTimeout: 600_000,
    coverage: { provider: 'v8', include: ['src/**/*.ts'], reporter: ['text-summary'] },
  },
});
