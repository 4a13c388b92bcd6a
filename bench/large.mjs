// What few repositories have: a million commits, a million files in one archive, and a file of more than 8 GiB.
import { spawnSync } from 'node:child_process';
import { closeSync, existsSync, ftruncateSync, mkdirSync, mkdtempSync, openSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { makeHistory } from './history.mjs';
import { compare, report } from './measure.mjs';
import { buildPacker } from './packer.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = process.argv[2] ?? mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const results = [];

/** Compares once, since each takes minutes. */
function once(title, ours, theirs, { limit, mostMB }) {
  const found = compare(ours, theirs, 1);
  results.push(report(title, found, limit), found.peakMB <= mostMB);
  if (found.peakMB > mostMB) console.log(`${''.padEnd(34)} OVER ${mostMB} MB of memory`);
}

const history = path.join(top, 'history');
if (!existsSync(path.join(history, '.git/description')))
  await makeHistory(history, { commits: 1_000_000, packages: 300, tags: 20_000, unreleased: 900_000 });
const sh = (command, cwd) => ({ program: 'sh', args: ['-c', command], cwd });
const [last] = spawnSync('git', ['tag', '--sort=-creatordate'], { cwd: history, encoding: 'utf8' }).stdout.split('\n');
once(
  'survey, 1,000,000 commits',
  sh(`rm -f .git/bevelstone/history-cache; ${process.execPath} ${program} survey --quiet`, history),
  sh(`git log -z --name-only HEAD ^${last}`, history),
  { limit: 1.5, mostMB: 400 },
);

// A workspace says how many entries an archive may have.
const many = path.join(top, 'many');
if (!existsSync(path.join(many, 'many.tar.gz'))) {
  for (let index = 0; index < 1_000_000; index++) {
    const folder = path.join(many, 'tables', String(Math.floor(index / 10_000)), String(Math.floor(index / 100) % 100));
    if (index % 100 === 0) mkdirSync(folder, { recursive: true });
    writeFileSync(path.join(folder, `tide-${index}.txt`), `height ${index}\n`);
  }
  spawnSync('tar', ['--sort=name', '-czf', 'many.tar.gz', 'tables'], { cwd: many });
  spawnSync('git', ['init', '--quiet'], { cwd: many });
  writeFileSync(path.join(many, 'bevelstone.yaml'), 'schema: 1\nlimits: { entries: 2000000 }\n');
}
const packer = path.join(top, 'packer.mjs');
buildPacker(packer);
const node = (args, cwd) => ({ program: process.execPath, args, cwd });
const fresh = (file, args, cwd) => sh(`rm -f ${file}; ${process.execPath} ${packer} ${args.join(' ')} ${file}`, cwd);
const list = (file, cwd) => sh(`tar -tzf ${file}`, cwd);
once(
  'pack 1,000,000 files as tar.gz',
  fresh('ours.tar.gz', [path.join(many, 'tables')], many),
  sh('tar --sort=name -cf - tables | gzip -6 > theirs.tar.gz', many),
  { limit: 1, mostMB: 1000 },
);
for (const [command, limit] of [
  ['inspect', 2.5],
  ['verify', 4],
])
  once(
    `${command}, 1,000,000 entries`,
    node([program, command, 'many.tar.gz', '--json'], many),
    list('many.tar.gz', many),
    { limit, mostMB: 800 },
  );

const big = path.join(top, 'big');
mkdirSync(path.join(big, 'tree'), { recursive: true });
const file = openSync(path.join(big, 'tree/depths.bin'), 'w');
ftruncateSync(file, 8.5 * 2 ** 30);
closeSync(file);
for (const [form, theirs] of [
  ['tar.gz', 'tar -cf - tree | gzip -6 > theirs.tar.gz'],
  ['zip', 'rm -f theirs.zip; zip -6 -q -r theirs.zip tree'],
])
  once(`pack 8.5 GiB as ${form}`, fresh(`ours.${form}`, ['tree'], big), sh(theirs, big), {
    limit: 1,
    mostMB: 200,
  });
if (process.argv[2] === undefined) rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
