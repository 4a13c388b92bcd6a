// A bill of a folder against sha256sum and sha1sum of the same files; verifying a large archive against tar -tzf.
import { execFileSync } from 'node:child_process';
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
    'bill write, both kinds',
    compare(
      node('bill', 'write', 'tree', '--to', 'bills', '--quiet'),
      sh(
        'find tree -type f -print0 | xargs -0 sha256sum > sums && find tree -type f -print0 | xargs -0 sha1sum > sums',
      ),
      rounds,
    ),
    0.9,
  ),
  // The tree has no licence and no readme to speak of, and nothing that any rule refuses.
  report(
    'verify 10,000 entries',
    compare(node('verify', 'tree.tar.gz', '--json'), sh('tar -tzf tree.tar.gz'), rounds),
    2,
  ),
];
rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
