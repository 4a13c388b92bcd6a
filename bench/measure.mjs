// Runs commands in turn, A B A B, and compares them round by round, so that whatever else the machine does hits both.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { loadavg, tmpdir } from 'node:os';
import path from 'node:path';

const recordFile = path.join(import.meta.dirname, 'ratios.json');
const hook = path.join(import.meta.dirname, 'peak-memory.cjs');
/** How much worse than recorded a ratio may be. */
const tolerance = 1.1;

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

/** Wall seconds, and, of the Node processes that a command starts, memory at most in MB and processor seconds: those of git do not count. */
export function usageOf(command) {
  const folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-usage-'));
  const env = { ...command.env, NODE_OPTIONS: `--require ${hook}`, BENCH_USAGE: path.join(folder, 'usage') };
  const seconds = runOnce({ ...command, env });
  const file = env.BENCH_USAGE;
  const lines = existsSync(file) ? readFileSync(file, 'utf8').trim().split('\n').map(JSON.parse) : [];
  rmSync(folder, { recursive: true });
  return {
    seconds,
    peakMB: Math.max(0, ...lines.map(({ peakMB }) => peakMB)),
    cpuSeconds: Number(lines.reduce((sum, { cpuSeconds }) => sum + cpuSeconds, 0).toFixed(2)),
  };
}

/** The middle one of some numbers. */
export function median(numbers) {
  const sorted = [...numbers].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)];
}

/** Median of the paired ratios ours / theirs over the rounds, after one round to warm up. */
export function compare(ours, theirs, rounds = 9) {
  runOnce(theirs);
  const { peakMB, cpuSeconds } = usageOf(ours);
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
    peakMB,
    cpuSeconds,
  };
}

/**
 * One line of a table: what, ratio, limit, times. The ratio is also compared with the one in ratios.json: it may be 10 % worse.
 * A new line and one that is better by as much are recorded; `BENCH_RECORD=1` records all.
 */
export function report(title, result, limit) {
  const { ratio, ours, theirs, rounds, load, peakMB, cpuSeconds } = result;
  const verdict = limit === Number.POSITIVE_INFINITY ? '' : `, ${ratio <= limit ? 'within' : 'OVER'} ${limit}`;
  const times = `${(ours * 1000).toFixed(0)} ms against ${(theirs * 1000).toFixed(0)} ms`;
  const usage = `${peakMB} MB, ${cpuSeconds} s of processor time`;
  console.log(
    `${title.padEnd(34)} ${ratio.toFixed(2)} times${verdict}   (${times}, ${usage}, ${rounds} rounds, load ${load.toFixed(1)})`,
  );
  return isAsRecorded(title, result) && ratio <= limit;
}

function isAsRecorded(title, { ratio, ours, theirs, peakMB, cpuSeconds }) {
  const records = existsSync(recordFile) ? JSON.parse(readFileSync(recordFile, 'utf8')) : {};
  const before = records[title];
  if (before !== undefined && ratio > before.ratio * tolerance && process.env.BENCH_RECORD === undefined) {
    console.log(`${''.padEnd(34)} WORSE than recorded: ${before.ratio.toFixed(2)}`);
    return false;
  }
  if (before === undefined || ratio * tolerance < before.ratio || process.env.BENCH_RECORD !== undefined) {
    const round = (number) => Number(number.toFixed(3));
    records[title] = { ratio: round(ratio), seconds: round(ours), referenceSeconds: round(theirs), peakMB, cpuSeconds };
    const sorted = Object.fromEntries(Object.entries(records).sort(([a], [b]) => (a < b ? -1 : 1)));
    writeFileSync(recordFile, `${JSON.stringify(sorted, null, 2)}\n`);
  }
  return true;
}
