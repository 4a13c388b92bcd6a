import path from 'node:path';
import { faultPoint } from '../../world/fault-point.ts';
import { copyFolder } from '../../world/files.ts';
import { replaceFolder } from '../../world/fresh-folder.ts';
import { moveBranch, undoHalfMove } from '../../world/git/move-branch.ts';
import { forgetRun } from '../../world/git/release-commit.ts';
import { currentBranch, type Repository, uncommittedPaths } from '../../world/git/repository.ts';
import { git, gitLine } from '../../world/git/run-git.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Context } from '../context.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import type { Run } from '../run/run.ts';

/** What is brought home. */
export type Settling = {
  readonly commit: string;
  readonly releases: readonly ReleaseFolder[];
  /** Output folder, inside the repository's root. */
  readonly output: string;
};

/**
 * Brings a release home: the local branch follows what was pushed, the release folders lie where `build` would have put them.
 * @returns what the person has to do by hand, where their own changes are in the way.
 */
export async function settle(
  context: Context,
  {
    repository,
    run: { id, journal, opened },
    settling: { commit, releases, output },
  }: { readonly repository: Repository; readonly run: Run; readonly settling: Settling },
): Promise<string[]> {
  faultPoint('settled', '', 'before');
  const isAgain = journal.isMeant('settled') && !journal.isDone('settled');
  if (!journal.isMeant('settled')) journal.append({ step: 'settled', phase: 'intent' });
  const advice =
    opened.branch === null || commit === opened.source
      ? []
      : await follow({ repository, branch: opened.branch, commit, isAgain });
  await forgetRun(repository.place, id);
  const top = await placeInside(repository.root, output, '`output`');
  for (const { folder } of releases) {
    await replaceFolder(repository.commonFolder, path.join(top, path.basename(folder)), (fresh) =>
      copyFolder(folder, fresh),
    );
  }
  faultPoint('settled', '', 'after-effect');
  if (!journal.isDone('settled')) {
    journal.append({ step: 'settled', phase: 'done', data: advice });
    for (const text of advice) context.report({ type: 'note', text });
  }
  faultPoint('settled', '', 'after-done');
  return advice;
}

/**
 * Moves the branch forward when nothing of the person's is lost by it.
 * @param isAgain whether an earlier try was cut short.
 */
async function follow({
  repository,
  branch,
  commit,
  isAgain,
}: {
  readonly repository: Repository;
  readonly branch: string;
  readonly commit: string;
  readonly isAgain: boolean;
}): Promise<string[]> {
  const { place } = repository;
  const ref = `refs/heads/${branch}`;
  const local = await gitLine(place, ['rev-parse', '--verify', '--quiet', ref], { allow: [1] });
  if (local === '') return [];
  const contains = async (a: string, b: string) =>
    (await git(place, ['merge-base', '--is-ancestor', a, b], { allow: [1] })).exitCode === 0;
  if (await contains(commit, local)) return [];
  const catchUp = [`${branch} here is left as it is; to catch up: git merge ${commit.slice(0, 12)}`];
  if (!(await contains(local, commit))) return catchUp;
  if ((await currentBranch(place)) !== branch) {
    const moved = await git(place, ['update-ref', ref, commit, local], { allow: [1, 128] });
    return moved.exitCode === 0 ? [] : catchUp;
  }
  if (isAgain) await undoHalfMove(repository, local, commit);
  // git itself refuses when a changed file would be touched; others stay as they are.
  const isChanged = (await uncommittedPaths(place)).length > 0;
  return (await moveBranch({ repository, branch, commit, allow: isChanged ? [1, 128] : [] })) ? [] : catchUp;
}
