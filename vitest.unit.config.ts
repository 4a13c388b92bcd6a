import { defineConfig } from 'vitest/config';

/** Tests of everything that is pure: versions, formats, rules, decisions. They need no built program. */
export default defineConfig({ test: { include: ['test/core/**/*.test.ts'], testTimeout: 60_000 } });
