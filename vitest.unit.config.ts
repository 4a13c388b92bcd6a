import { defineConfig } from 'vitest/config';

/** Tests of everything that is pure: versions, formats, rules, decisions, what is shown. They need no built program. */
export default defineConfig({ test: { include: ['test/{cli,core}/**/*.test.ts'], testTimeout: 60_000 } });
