// Preloaded into a measured program: says at its end how much memory it had at most.
process.on('exit', () => process.stderr.write(`\npeak ${Math.round(process.resourceUsage().maxRSS / 1024)}\n`));
