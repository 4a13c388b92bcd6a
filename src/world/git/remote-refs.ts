import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { type GitPlace, git } from './run-git.ts';

/** The objects that refs of a remote name, as it says now. @throws REMOTE_REFUSED */
export async function readRemoteRefs(
  place: GitPlace,
  remote: string,
  refs: readonly string[],
): Promise<ReadonlyMap<string, string>> {
  try {
    const { text } = await git(place, ['ls-remote', remote, ...refs]);
    return new Map(
      text.split('\n').flatMap((line): [string, string][] => {
        const [id, ref] = line.split('\t');
        return id === undefined || ref === undefined ? [] : [[ref, id]];
      }),
    );
  } catch (cause) {
    if (!isBevelstoneError(cause, 'GIT_FAILED')) throw cause;
    throw new BevelstoneError('REMOTE_REFUSED', {
      message: `cannot read the refs of ${remote}`,
      why: cause.why,
      fix: 'Check the network and your read access, then run the same command again',
      cause,
    });
  }
}
