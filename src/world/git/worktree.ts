import { mkdtemp, realpath, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { type GitPlace, git } from './run-git.ts';

// The user's machine must not leak in (design page decisions): no attributes, line ends or modes of the user's own.
const neutral = [
  'core.attributesFile=/dev/null',
  'core.autocrlf=false',
  'core.eol=lf',
  'core.symlinks=true',
  'core.fileMode=true',
  'advice.detachedHead=false',
].flatMap((setting) => ['-c', setting]);

/** A checkout of one commit, apart from the working folder. */
export type Checkout = { readonly folder: string; readonly remove: () => Promise<void> };

/**
 * Checks a commit out into a new folder, as a worktree of the repository. Modes follow umask 022 whatever the user's is.
 * The caller removes it.
 */
export async function checkOut(place: GitPlace, commit: string): Promise<Checkout> {
  const outer = await realpath(await mkdtemp(path.join(tmpdir(), 'bevelstone-')));
  const folder = path.join(outer, 'checkout');
  const remove = async () => {
    await rm(outer, { recursive: true, force: true, maxRetries: 3 });
    // A stopped run must clean up too, so this last question does not listen to the stop signal.
    await git({ folder: place.folder, env: place.env }, ['worktree', 'prune']);
  };
  const before = process.umask(0o022);
  try {
    await git(place, ['worktree', 'prune']);
    await git(place, [...neutral, 'worktree', 'add', '--detach', '--quiet', folder, commit], {
      env: { GIT_ATTR_NOSYSTEM: '1' },
    });
    return { folder, remove };
  } catch (error) {
    await remove();
    throw error;
  } finally {
    process.umask(before);
  }
}
