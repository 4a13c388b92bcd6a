// Runs commands in turn, A B A B, and compares them round by round, so that whatever else the machine does hits both.
import { spawnSync } from 'node:child_process';
import { loadavg } from 'node:os';

/** Wall seconds of one command. */
function runOnce({ program, args, cwd, env }) {
  const start = performance.now();
  const { status, error } = spawnSync(program, args, {
    cwd,
    env: { ...process.env, ...env },
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  if (error || status !== 0) throw new Error(`${program} ${args.join(' ')} ended with ${status ?? error}`);
  return (performance.now() - start) / 1000;
}

function median(numbers) {
  const sorted = [...numbers].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)];
}

/** Median of the paired ratios ours / theirs over the rounds, after one round to warm up. */
export function compare(ours, theirs, rounds = 9) {
  runOnce(theirs);
  runOnce(ours);
  const pairs = [];
  for (let round = 0; round < rounds; round++) {
    const [b, a] = [runOnce(theirs), runOnce(ours)];
    pairs.push({ ratio: a / b, ours: a, theirs: b });
  }
  return {
    ratio: median(pairs.map(({ ratio }) => ratio)),
    ours: median(pairs.map(({ ours }) => ours)),
    theirs: median(pairs.map(({ theirs }) => theirs)),
    rounds,
    load: loadavg()[0],
  };
}

/** One line of a table: what, ratio, limit, times. */
export function report(title, { ratio, ours, theirs, rounds, load }, limit) {
  const verdict = limit === Number.POSITIVE_INFINITY ? '' : `, ${ratio <= limit ? 'within' : 'OVER'} ${limit}`;
  const times = `${(ours * 1000).toFixed(0)} ms against ${(theirs * 1000).toFixed(0)} ms`;
  console.log(
    `${title.padEnd(34)} ${ratio.toFixed(2)} times${verdict}   (${times}, ${rounds} rounds, load ${load.toFixed(1)})`,
  );
  return ratio <= limit;
}
