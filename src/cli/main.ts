#!/usr/bin/env node
// Answers --version before anything else is loaded.
const version = process.env['BEVELSTONE_PROGRAM_VERSION'] ?? '0.0.0';
if (process.argv.length === 3 && process.argv[2] === '--version') {
  process.stdout.write(`${version}\n`);
} else {
  const { runProgram } = await import('./program.ts');
  const { stdin, stdout, stderr, env } = process;
  await runProgram(process.argv.slice(2), {
    stdin,
    stdout,
    stderr,
    env,
    version,
    build: process.env['BEVELSTONE_PROGRAM_BUILD'] ?? null,
    // Stays for good: once nothing listens, a library that watches signals too would end the program on the spot.
    onSignal: (work) => {
      for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, work);
    },
    setExitCode: (code) => {
      process.exitCode = code;
    },
  });
}

export {};
