// Preloaded into a measured program: says at its end how much memory it had at most, and how much processor time it took.
const { appendFileSync } = require('node:fs');
const { isMainThread } = require('node:worker_threads');

// A thread counts what its whole process used: each of them would count it once more.
const atEnd = isMainThread ? process.on.bind(process, 'exit') : () => {};
atEnd(() => {
  const { maxRSS, userCPUTime, systemCPUTime } = process.resourceUsage();
  const usage = { peakMB: Math.round(maxRSS / 1024), cpuSeconds: (userCPUTime + systemCPUTime) / 1e6 };
  if (process.env.BENCH_USAGE !== undefined) appendFileSync(process.env.BENCH_USAGE, `${JSON.stringify(usage)}\n`);
  else process.stderr.write(`\npeak ${usage.peakMB}\n`);
});
