// How long a command takes to start, against an empty program in the same interpreter.

import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { compare, report } from './measure.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
spawnSync(process.execPath, [program, 'demo', path.join(top, 'demo'), '--quiet'], { stdio: 'ignore' });
const cwd = path.join(top, 'demo/fenmarsh-tides');

const node = (...args) => ({ program: process.execPath, args, cwd });
const empty = node('-e', '0');
const results = [
  report('bevelstone --version', compare(node(program, '--version'), empty), 1.1),
  report('bevelstone --help', compare(node(program, '--help'), empty), 1.7),
  report('bevelstone survey (reads the file)', compare(node(program, 'survey', '--quiet', '--json'), empty), 2.2),
];
rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
