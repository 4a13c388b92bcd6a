// `survey --json` against `git log` over the same range: all unreleased, few unreleased in a long history, and a history
// with reverts, cherry-picks, squash bodies, octopus merges and wrong clocks.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
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
  { commits: 100_000, packages: 50, tags: 0, unreleased: 100_000, limit: 1.5, isMessy: true },
  { commits: 100_000, packages: 1, tags: 1_000, unreleased: 200, limit: 3 },
  { commits: 100_000, packages: 50, tags: 1_000, unreleased: 200, limit: 3 },
];

const results = [];
for (const { commits, packages, tags, unreleased, limit = Number.POSITIVE_INFINITY, isMessy = false } of cases) {
  const folder = path.join(top, `${commits}-${packages}-${tags}${isMessy ? '-messy' : ''}`);
  if (!existsSync(path.join(folder, '.git/description'))) {
    if (isMessy) await makeMessyHistory(folder, { commits, packages });
    else await makeHistory(folder, { commits, packages, tags, unreleased });
  }
  const last = spawnSync('git', ['tag', '--sort=-creatordate'], { cwd: folder, encoding: 'utf8' }).stdout.split(
    '\n',
  )[0];
  const range = tags === 0 ? ['HEAD'] : ['HEAD', `^${last}`];
  const ours = { program: process.execPath, args: [program, 'survey', '--json', '--quiet'], cwd: folder };
  const log = ['log', '--name-only', ...range];
  // A limited log takes no time at all, so Node's own start counts with it.
  const theirs =
    tags === 0
      ? { program: 'git', args: log, cwd: folder }
      : { program: 'sh', args: ['-c', `git ${log.join(' ')} && node -e 0`], cwd: folder };
  const title = `${commits} ${isMessy ? 'messy ' : ''}commits, ${packages} packages, ${tags} tags`;
  results.push(report(title, compare(ours, theirs, commits > 50_000 ? 5 : 7), limit));
  const hook = path.join(import.meta.dirname, 'peak-memory.cjs');
  const { stderr } = spawnSync(process.execPath, ['-r', hook, ...ours.args], {
    cwd: folder,
    encoding: 'utf8',
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const peak = Number(/^peak (\d+)$/m.exec(stderr)?.[1]);
  console.log(`${''.padEnd(34)} ${peak} MB of memory at most, ${peak < 150 ? 'within' : 'OVER'} 150`);
  results.push(peak < 150);
}
if (process.argv[2] === undefined) rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
