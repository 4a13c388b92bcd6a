import { execFileSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { it } from 'vitest';

/** Whether a program can be run here. */
export function hasTool(name: string, ...args: readonly string[]): boolean {
  try {
    execFileSync(name, args.length > 0 ? [...args] : ['--version'], { stdio: 'ignore' });
    return true;
  } catch {
    return false;
  }
}

/** `it`, or a test that is skipped with the reason printed when one of these tools, or a file given by its path, is missing. */
export function itWith(...tools: readonly string[]): typeof it | typeof it.skip {
  const missing = tools.filter((name) => {
    if (name.startsWith('/')) return !existsSync(name);
    return !(name === 'python3-venv' ? hasTool('python3', '-c', 'import venv, ensurepip') : hasTool(name));
  });
  if (missing.length === 0) return it;
  // biome-ignore lint/suspicious/noConsole: a skipped test says why
  console.log(`skipped: there is no ${missing.join(', no ')} here`);
  return it.skip;
}
