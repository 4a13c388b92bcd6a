// Everything that has to hold: types, format and lint, floors, dead exports, tests. Ends with one line of counts.
// `--unit` runs the tests of pure code alone, without a build; `--full` every part at its full length.
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { buildProgram, installDependencies, root, run } from './prepare.mjs';

const flags = new Set(process.argv.slice(2).filter((one) => one === '--unit' || one === '--full'));
const isUnit = flags.has('--unit');
const bin = (name) => path.join(root, 'node_modules', '.bin', name);
const checks = [
  ['types (tsc)', 'tsc', ['--noEmit']],
  ['format and lint (biome)', 'biome', ['check', '--error-on-warnings']],
  ['floors and circles (dependency-cruiser)', 'depcruise', ['src', '--config', '.dependency-cruiser.cjs']],
  ['dead exports and dependencies (knip)', 'knip', []],
];

let passed = 0;
let failed = 0;
const count = (isGood) => (isGood ? passed++ : failed++);
if (!installDependencies() || !(isUnit || buildProgram())) {
  console.log('\n0 passed, 1 failed');
  process.exit(1);
}
if (!isUnit) for (const [title, program, args] of checks) count(run(title, bin(program), args));

const folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-test-'));
const report = path.join(folder, 'report.json');
const isRun = run(
  'tests (vitest)',
  bin('vitest'),
  [
    'run',
    '--reporter=default',
    '--reporter=json',
    `--outputFile=${report}`,
    ...(isUnit ? ['--config=vitest.unit.config.ts'] : []),
    ...process.argv.slice(2).filter((one) => !flags.has(one)),
  ],
  flags.has('--full') ? { BEVELSTONE_TESTS: 'full' } : {},
);
let skipped = 0;
try {
  const { numPassedTests, numFailedTests, numPendingTests } = JSON.parse(readFileSync(report, 'utf8'));
  passed += numPassedTests;
  failed += numFailedTests;
  skipped = numPendingTests;
  // A file that can't even be loaded fails without a failed test.
  if (!isRun && numFailedTests === 0) failed++;
} catch {
  failed++;
}
rmSync(folder, { recursive: true });
console.log(`\n${passed} passed, ${failed} failed${skipped > 0 ? `, ${skipped} skipped` : ''}`);
process.exitCode = failed === 0 ? 0 : 1;
