import path from 'node:path';
import { git } from './run-git.ts';

/**
 * Applies a patch to a folder, all of it or nothing (git-apply(1)). Paths that lead out of the folder are refused by git itself.
 * @param folder absolute path, links resolved.
 * @returns why it does not apply, in git's words; null when it did.
 */
export function applyPatch(folder: string, patch: string, machine: Machine): Promise<string | null> {
  return run({ folder, patch, options: [] }, machine);
}

/** Applies the parts of a patch that fit; the others lie beside their files, with `.rej` behind the name. */
export async function applyWhatFits(folder: string, patch: string, machine: Machine): Promise<void> {
  await run({ folder, patch, options: ['--reject'] }, machine);
}

type Machine = { readonly env: Readonly<Record<string, string | undefined>>; readonly signal: AbortSignal };

async function run(
  { folder, patch, options }: { readonly folder: string; readonly patch: string; readonly options: readonly string[] },
  { env, signal }: Machine,
): Promise<string | null> {
  const settings = ['apply.whitespace=nowarn', 'apply.ignoreWhitespace=no', 'core.autocrlf=false'];
  const { exitCode, stderr } = await git(
    { folder, env, signal },
    [...settings.flatMap((setting) => ['-c', setting]), 'apply', '--whitespace=nowarn', '-p1', ...options, patch],
    // In a folder of a repository git would pass over paths that the repository has elsewhere.
    { env: { GIT_CEILING_DIRECTORIES: path.dirname(folder) }, allow: [1, 128], hasUsualModes: true },
  );
  return exitCode === 0 ? null : stderr.replace(/^(?:error|fatal): /gm, '');
}
