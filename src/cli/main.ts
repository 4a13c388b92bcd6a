#!/usr/bin/env node
// Answers --version and most of --help before anything else is loaded.
import { preparedHelp } from '../world/prepared-help.ts';

const { stdin, stdout, stderr, env } = process;
const version = process.env['BEVELSTONE_PROGRAM_VERSION'] ?? '0.0.0';
const args = process.argv.slice(2);
const help = args.at(-1) === '--help' ? preparedHelp(args.slice(0, -1), stdout.columns) : null;
const answer = args.length === 1 && args[0] === '--version' ? `${version}\n` : help;
if (answer !== null) {
  stdout.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
  });
  stdout.write(answer);
} else {
  const { runProgram } = await import('./program.ts');
  await runProgram(args, {
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
