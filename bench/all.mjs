// Runs every benchmark, also when one exceeds a limit, and fails if any did. Names among the arguments choose some of them.
import { spawnSync } from 'node:child_process';
import path from 'node:path';

const all = [
  'start',
  'survey',
  'workspace',
  'pack',
  'archives',
  'lockfiles',
  'layouts',
  'sbom',
  'surface',
  'deliver',
  'ledger',
  'release',
  'growth',
  'large',
];
const asked = process.argv.slice(2);
const unknown = asked.filter((name) => !all.includes(name));
if (unknown.length > 0) throw new Error(`unknown: ${unknown.join(', ')}; there are: ${all.join(', ')}`);
const failed = [];
for (const name of asked.length > 0 ? asked : all) {
  console.log(`\n${name}`);
  const { status } = spawnSync(process.execPath, [path.join(import.meta.dirname, `${name}.mjs`)], { stdio: 'inherit' });
  if (status !== 0) failed.push(name);
}
console.log(
  failed.length === 0 ? '\nall within their limits' : `\nover a limit, or worse than recorded: ${failed.join(', ')}`,
);
process.exitCode = failed.length === 0 ? 0 : 1;
