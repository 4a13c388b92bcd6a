import { execFileSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import path from 'node:path';
import { it } from 'vitest';

/** Where a `cargo` that leads to one of several keeps them: a test has another HOME. */
export const rustEnvironment: Readonly<Record<string, string>> = (() => {
  const { RUSTUP_HOME, HOME = '/', PATH = '' } = process.env;
  const beside = PATH.split(':').map((folder) => path.resolve(folder, '../../.rustup'));
  // The shim leaves its settings in an empty HOME, which has no toolchains.
  const place = [RUSTUP_HOME, path.join(HOME, '.rustup'), ...beside].find(
    (each) => each !== undefined && existsSync(path.join(each, 'toolchains')),
  );
  return place === undefined ? {} : { RUSTUP_HOME: place };
})();

/** Why the real cargo cannot be used here; null when it can. Sparse indexes need 1.70 or newer. */
export function whyNoCargo(): string | null {
  try {
    const env = { ...process.env, ...rustEnvironment };
    const said = execFileSync('cargo', ['--version'], { encoding: 'utf8', env, stdio: ['ignore', 'pipe', 'ignore'] });
    const [, major = 0, minor = 0] = /(\d+)\.(\d+)/.exec(said)?.map(Number) ?? [];
    return major > 1 || minor >= 70 ? null : `${said.trim()} is older than 1.70`;
  } catch {
    return 'there is no cargo here that runs';
  }
}

/** Why the go command cannot be used here; null when it can. */
export function whyNoGo(): string | null {
  try {
    execFileSync('go', ['version'], { stdio: 'ignore' });
    return null;
  } catch {
    return 'there is no go here';
  }
}

/** `it`, or a test that is skipped with the reason printed. */
export function itUnless(why: string | null): typeof it | typeof it.skip {
  if (why === null) return it;
  // biome-ignore lint/suspicious/noConsole: a skipped test says why
  console.log(`skipped: ${why}`);
  return it.skip;
}
