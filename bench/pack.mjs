// Packing a tree with digests of entries and output against tar, gzip and zip; reading it against tar -tzf.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { compare, report } from './measure.mjs';
import { buildPacker } from './packer.mjs';
import { makeTree, makeUnevenTree } from './tree.mjs';

const root = path.join(import.meta.dirname, '..');
const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const tree = path.join(top, 'tree');
const packer = path.join(top, 'packer.mjs');
const rounds = Number(process.argv[2] ?? 5);
makeTree(tree, { files: 10_000, sizeBytes: 300_000_000 });
makeUnevenTree(path.join(top, 'uneven'), { files: 10_000, sizeBytes: 300_000_000 });
buildPacker(packer);

const [tarGz, zip] = [path.join(top, 'ours.tar.gz'), path.join(top, 'ours.zip')];
const sh = (command) => ({ program: 'sh', args: ['-c', command], cwd: top });
const node = (...args) => ({ program: process.execPath, args, cwd: top });
const fresh = (file, run) => sh(`rm -f ${file}; ${[run.program, ...run.args].join(' ')}`);
const results = [
  report(
    'pack as tar.gz',
    compare(
      fresh(tarGz, node(packer, tree, tarGz)),
      sh('tar --sort=name -cf - tree | gzip -6 > theirs.tar.gz'),
      rounds,
    ),
    0.5,
  ),
  report(
    'pack an uneven tree as tar.gz',
    compare(
      fresh(tarGz, node(packer, path.join(top, 'uneven'), tarGz)),
      sh('tar --sort=name -cf - uneven | gzip -6 > theirs.tar.gz'),
      rounds,
    ),
    0.5,
  ),
  report(
    'pack as zip',
    compare(fresh(zip, node(packer, tree, zip)), sh('rm -f theirs.zip; zip -6 -q -r theirs.zip tree'), rounds),
    0.6,
  ),
  report(
    'inspect with entry digests',
    compare(node(path.join(root, 'dist/main.js'), 'inspect', tarGz, '--json'), sh(`tar -tzf ${tarGz}`), rounds),
    0.8,
  ),
];
const hook = path.join(import.meta.dirname, 'peak-memory.cjs');
for (const [title, most, args] of [
  ['pack as tar.gz', 128, [packer, tree, path.join(top, 'again.tar.gz')]],
  ['pack as zip', 200, [packer, tree, path.join(top, 'again.zip')]],
  ['inspect', 200, [path.join(root, 'dist/main.js'), 'inspect', tarGz, '--json']],
]) {
  const { stderr } = spawnSync(process.execPath, ['-r', hook, ...args], {
    encoding: 'utf8',
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const peak = Number(/^peak (\d+)$/m.exec(stderr)?.[1]);
  console.log(`${title.padEnd(34)} ${peak} MB of memory at most, ${peak <= most ? 'within' : 'OVER'} ${most}`);
  results.push(peak <= most);
}
const megabytes = (file) => (statSync(file).size / 1e6).toFixed(1);
console.log(
  `sizes: ours ${megabytes(tarGz)} MB, gzip ${megabytes(path.join(top, 'theirs.tar.gz'))} MB; ours ${megabytes(zip)} MB, zip ${megabytes(path.join(top, 'theirs.zip'))} MB`,
);
rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
