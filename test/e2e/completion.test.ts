import { execFileSync } from 'node:child_process';
import { symlinkSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, programFile } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { itWith } from '../builders/tools.ts';

/** A search path on which `bevelstone` is the built program. */
function pathWithProgram(): string {
  const bin = temporaryFolder();
  symlinkSync(programFile, path.join(bin, 'bevelstone'));
  return `${bin}:${path.dirname(process.execPath)}:/usr/bin:/bin`;
}

/** What bash offers at the end of a line, through the script that the program prints. */
async function offeredByBash(line: string, { cwd, env }: { cwd: string; env: Readonly<Record<string, string>> }) {
  const { stdout: script } = await bevelstone(['completion', 'bash'], { cwd });
  // bash splits the line at spaces and at @ and : before it calls the function.
  const words = line.match(/[@:=]|[^\s@:=]+/g) ?? [];
  const all = line.endsWith(' ') ? [...words, ''] : words;
  const run = `${script}
COMP_LINE=$1; COMP_POINT=\${#1}; shift; COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); _bevelstone; printf '%s\\n' "\${COMPREPLY[@]}"`;
  const shown = execFileSync('bash', ['-c', run, 'bash', line, ...all], {
    cwd,
    env: testEnvironment({ ...env, PATH: pathWithProgram() }),
    encoding: 'utf8',
  });
  return shown.split('\n').filter((word) => word !== '');
}

describe('completion', () => {
  itWith('bash')('in bash completes commands, options, packages, releases, destinations and streams', async () => {
    const w = await releaseWorkspace({ packages: ['soundings', 'buoys'], destinations: ['office', 'shelf'] });
    expect((await w.release()).error).toBeNull();
    const at = { cwd: w.folder, env: w.env };

    expect(await offeredByBash('bevelstone led', at)).toEqual(['ledger']);
    expect(await offeredByBash('bevelstone release --dry', at)).toEqual(['--dry-run']);
    expect(await offeredByBash('bevelstone build -p ', at)).toEqual(['soundings', 'buoys']);
    expect(await offeredByBash('bevelstone ledger show so', at)).toEqual(['soundings@0.1.0']);
    expect(await offeredByBash('bevelstone ledger show soundings@', at)).toEqual(['@0.1.0']);
    expect(await offeredByBash('bevelstone ledger show soundings@0', at)).toEqual(['0.1.0']);
    expect(await offeredByBash('bevelstone probe ', at)).toEqual(['office', 'shelf']);
    expect(await offeredByBash('bevelstone promote soundings@0.1.0 --from off', at)).toEqual(['office']);
    expect(await offeredByBash('bevelstone survey --stream st', at)).toEqual(['stable']);
    expect(await offeredByBash('bevelstone inspect ', at)).toEqual([]);
  });

  it.each(['bash', 'zsh', 'fish'])('prints a script for %s, and ends well', async (shell) => {
    const run = await bevelstone(['completion', shell], { cwd: temporaryFolder() });

    expect(run.exitCode).toBe(0);
    expect(run.stdout).toMatch(/_bevelstone/);
  });

  for (const shell of ['zsh', 'fish'])
    itWith(shell)(`has a script that ${shell} can read`, async () => {
      const { stdout } = await bevelstone(['completion', shell], { cwd: temporaryFolder() });

      execFileSync(shell, ['-n', '-c', stdout]);
    });

  itWith('fish')('in fish offers releases without files, and files where an artifact is expected', async () => {
    const w = await releaseWorkspace();
    expect((await w.release()).error).toBeNull();
    const { stdout: script } = await bevelstone(['completion', 'fish'], { cwd: w.folder });
    const offered = (line: string): string[] =>
      execFileSync('fish', ['--no-config', '-c', `${script}\ncomplete -C "${line}"`], {
        cwd: w.folder,
        env: testEnvironment({ ...w.env, PATH: pathWithProgram() }),
        encoding: 'utf8',
      })
        .split('\n')
        .filter((word) => word !== '');

    expect(offered('bevelstone ledger show ')).toEqual(['soundings@0.1.0']);
    expect(offered('bevelstone inspect bevelstone.y')).toEqual(['bevelstone.yaml']);
  });

  it('outside of a repository offers no names, and no error', async () => {
    const run = await bevelstone(['completion', '--line', 'bevelstone probe '], { cwd: temporaryFolder() });

    expect([run.exitCode, run.stdout.trim(), run.stderr]).toEqual([0, '', '']);
  });
});
