import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { TestProject } from 'vitest/node';

declare module 'vitest' {
  export interface ProvidedContext {
    testBuild: string;
  }
}

/** Builds the program once with its fault points, for all tests that kill it. */
export default function setup(project: TestProject): () => void {
  const folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-faulty-'));
  execFileSync(process.execPath, ['scripts/build.mjs', '--test-build', folder], {
    cwd: path.join(import.meta.dirname, '../..'),
    stdio: 'inherit',
  });
  project.provide('testBuild', folder);
  return () => rmSync(folder, { recursive: true, force: true });
}
