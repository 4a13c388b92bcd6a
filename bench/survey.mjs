// `survey` against `git log` over the same range: all unreleased, few unreleased in a long history, and a history with
// reverts, cherry-picks, squash bodies, octopus merges and wrong clocks; without what earlier surveys remembered, and with it.
import { spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { makeHistory, makeMessyHistory } from './history.mjs';
import { compare, report } from './measure.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = process.argv[2] ?? mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const cases = [
  { commits: 1_000, packages: 1, tags: 0, unreleased: 1_000 },
  { commits: 10_000, packages: 50, tags: 0, unreleased: 10_000 },
  { commits: 100_000, packages: 1, tags: 0, unreleased: 100_000, limit: 1.5 },
  { commits: 100_000, packages: 50, tags: 0, unreleased: 100_000, limit: 1.5 },
  { commits: 100_000, packages: 50, tags: 0, unreleased: 100_000, limit: 1.3, isMessy: true, warmLimit: 0.25 },
  { commits: 100_000, packages: 1, tags: 1_000, unreleased: 200, limit: 2.3 },
  { commits: 100_000, packages: 50, tags: 1_000, unreleased: 200, limit: 2.3 },
];
const remembered = '.git/bevelstone/history-cache';
const node = [process.execPath, program].join(' ');

const results = [];
for (const {
  commits,
  packages,
  tags,
  unreleased,
  limit = Number.POSITIVE_INFINITY,
  isMessy = false,
  warmLimit,
} of cases) {
  const cwd = path.join(top, `${commits}-${packages}-${tags}${isMessy ? '-messy' : ''}`);
  if (!existsSync(path.join(cwd, '.git/description'))) {
    if (isMessy) await makeMessyHistory(cwd, { commits, packages, refs: 20_000 });
    else await makeHistory(cwd, { commits, packages, tags, unreleased });
  }
  const sh = (command) => ({ program: 'sh', args: ['-c', command], cwd });
  const [last] = spawnSync('git', ['tag', '--sort=-creatordate'], { cwd, encoding: 'utf8' }).stdout.split('\n');
  const log = `git log -z --name-only ${tags === 0 ? 'HEAD' : `HEAD ^${last}`}`;
  // A limited log takes no time at all, so Node's own start counts with it.
  const theirs = sh(tags === 0 ? log : `${log} && node -e 0`);
  const title = `${commits} ${isMessy ? 'messy ' : ''}commits, ${packages} packages, ${tags} tags`;
  const rounds = commits > 50_000 ? 5 : 7;
  const cold = compare(sh(`rm -f ${remembered}; ${node} survey --quiet`), theirs, rounds);
  results.push(report(title, cold, limit), cold.peakMB < 150);
  if (cold.peakMB >= 150) console.log(`${''.padEnd(34)} OVER 150 MB of memory`);
  if (warmLimit === undefined) continue;
  // As it was a hundred commits ago.
  spawnSync('sh', ['-c', `rm -f ${remembered}; ${node} survey --quiet --at HEAD~100`], { cwd, stdio: 'ignore' });
  const saved = path.join(top, 'remembered');
  copyFileSync(path.join(cwd, remembered), saved);
  const warm = compare(sh(`cp ${saved} ${remembered}; ${node} survey --quiet`), theirs, rounds);
  results.push(report(`${title}, again after 100`, warm, warmLimit));
}
if (process.argv[2] === undefined) rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
