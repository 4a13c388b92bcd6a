// Installs and builds what is missing, so that every script works on a fresh clone on its own, and says what it does.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)));

/** Runs a program in the project's folder with its output shown. */
export function run(title, program, args, env = {}) {
  console.log(`\n▪ ${title}`);
  const { status, error } = spawnSync(program, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } });
  if (error) console.error(`${program} could not be started: ${error.message}`);
  return status === 0;
}

/** Dependencies as the lockfile names them; nothing when they are there already. */
export function installDependencies() {
  const lock = readFileSync(path.join(root, 'package-lock.json'), 'utf8');
  const mark = path.join(root, 'node_modules', '.bevelstone-lock');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return true;
  if (!run('install dependencies (npm ci)', 'npm', ['ci', '--no-audit', '--no-fund'])) return false;
  writeFileSync(mark, lock);
  return true;
}

/** The program in dist/, always built anew: it takes less than a second. */
export function buildProgram() {
  const isBuilt = run('build the program (dist/main.js)', process.execPath, ['scripts/build.mjs']);
  return isBuilt && statSync(path.join(root, 'dist', 'main.js')).size > 0;
}
