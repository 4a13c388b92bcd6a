import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { makeFolder } from '../files.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';

/** A repository as a client gets it. */
export type ClientClone = {
  readonly place: GitPlace;
  /** Whether the remote's HEAD leads to a commit: some clients ask for it before anything else. */
  readonly hasHead: boolean;
};

/**
 * Clones a remote with its whole history, without a working folder.
 * @throws REMOTE_REFUSED in git's words, REPOSITORY_SHALLOW when the remote itself is cut off.
 */
export async function cloneAsClient(
  remote: string,
  folder: string,
  { env, signal }: Pick<GitPlace, 'env'> & { readonly signal: AbortSignal },
): Promise<ClientClone> {
  const place: GitPlace = { folder: path.join(folder, 'clone'), env, signal };
  await makeFolder(place.folder);
  try {
    await git(place, ['init', '--quiet', '--bare']);
    await git(place, ['fetch', '--quiet', '--update-shallow', '--no-write-fetch-head', '--', remote, '+refs/*:refs/*']);
    const head = await git(place, ['ls-remote', '--', remote, 'HEAD']);
    if ((await gitLine(place, ['rev-parse', '--is-shallow-repository'])) === 'true') throw shallow(remote);
    return { place, hasHead: head.text.trim() !== '' };
  } catch (cause) {
    if (!isBevelstoneError(cause, 'GIT_FAILED')) throw cause;
    throw new BevelstoneError(/shallow/i.test(cause.why) ? 'REPOSITORY_SHALLOW' : 'REMOTE_REFUSED', {
      message: `${remote} cannot be cloned`,
      why: cause.why,
      fix: 'Check the address, the network and your read access; `repository` in bevelstone.yaml names another address',
      cause,
    });
  }
}

function shallow(remote: string): BevelstoneError {
  return new BevelstoneError('REPOSITORY_SHALLOW', {
    message: `${remote} is shallow itself`,
    why: 'its history is cut off, and clients that ask for more than one commit get errors',
    fix: 'Run there: git fetch --unshallow',
  });
}

/** A gzipped tar archive of a commit below one folder, as many hosts serve it. */
export async function archiveCommit(
  place: GitPlace,
  { commit, top, file }: { readonly commit: string; readonly top: string; readonly file: string },
): Promise<void> {
  await git(place, ['archive', '--format=tar.gz', `--prefix=${top}/`, `--output=${file}`, commit]);
}
