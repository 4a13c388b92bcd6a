#!/usr/bin/env node
// Answers --version before anything else is loaded.
if (process.argv.length === 3 && process.argv[2] === '--version') {
  process.stdout.write(`${process.env['BEVELSTONE_PROGRAM_VERSION']}\n`);
} else {
  const { runProgram } = await import('./program.ts');
  await runProgram(process.argv.slice(2));
}

export {};
