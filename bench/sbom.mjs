// An SBOM of a folder against sha256sum and sha1sum of the same files; verifying a large archive against tar -tzf.
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { compare, report } from './measure.mjs';
import { makeTree } from './tree.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const tree = path.join(top, 'tree');
const rounds = Number(process.argv[2] ?? 5);
makeTree(tree, { files: 10_000, sizeBytes: 300_000_000 });
execFileSync('tar', ['-czf', path.join(top, 'tree.tar.gz'), 'tree'], { cwd: top });
const sh = (command) => ({ program: 'sh', args: ['-c', command], cwd: top });
const node = (...args) => ({ program: process.execPath, args: [program, ...args], cwd: top });
const results = [
  report(
    'sbom write, both kinds',
    compare(
      node('sbom', 'write', 'tree', '--to', 'sboms', '--quiet'),
      sh(
        'find tree -type f -print0 | xargs -0 sha256sum > sums && find tree -type f -print0 | xargs -0 sha1sum > sums',
      ),
      rounds,
    ),
    0.55,
  ),
  // The tree has no licence and no readme to speak of, and nothing that any rule refuses.
  report(
    'verify 10,000 entries',
    compare(node('verify', 'tree.tar.gz', '--json'), sh('tar -tzf tree.tar.gz'), rounds),
    1.2,
  ),
];
const hook = path.join(import.meta.dirname, 'peak-memory.cjs');
for (const [title, args] of [
  ['sbom write', ['sbom', 'write', 'tree', '--to', 'sboms']],
  ['verify', ['verify', 'tree.tar.gz', '--json']],
]) {
  const { stderr } = spawnSync(process.execPath, ['-r', hook, program, ...args], {
    cwd: top,
    encoding: 'utf8',
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const peak = Number(/^peak (\d+)$/m.exec(stderr)?.[1]);
  console.log(`${title.padEnd(34)} ${peak} MB of memory at most, ${peak < 200 ? 'within' : 'OVER'} 200`);
  results.push(peak < 200);
}
rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
