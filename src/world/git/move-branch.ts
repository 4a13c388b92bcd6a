import { readFile, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isMissing } from '../files.ts';
import { noteLocks } from '../leftovers.ts';
import type { Repository } from './repository.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';

/**
 * Moves the branch that is checked out, and the working folder with it, forward to a commit.
 * @param allow exit codes that mean git refused, because files of the person are in the way.
 * @returns whether it moved.
 * @throws CUT_SHORT when git was killed; the locks that it held are removed, `undoHalfMove` removes the rest.
 */
export async function moveBranch({
  repository: { place, commonFolder },
  branch,
  commit,
  allow,
}: {
  readonly repository: Repository;
  readonly branch: string;
  readonly commit: string;
  readonly allow: readonly number[];
}): Promise<boolean> {
  const own = path.resolve(place.folder, await gitLine(place, ['rev-parse', '--git-dir']));
  const locks = ['index.lock', 'HEAD.lock', 'ORIG_HEAD.lock'].map((name) => path.join(own, name));
  const noted = await noteLocks(commonFolder, [...locks, path.join(commonFolder, 'refs/heads', `${branch}.lock`)]);
  try {
    return (await git(place, ['merge', '--ff-only', '--quiet', commit], { allow })).exitCode === 0;
  } catch (error) {
    if (isBevelstoneError(error, 'CUT_SHORT')) await noted.removeLocks();
    throw error;
  } finally {
    await noted.forget();
  }
}

/**
 * Takes back what a git that was killed while it moved the branch has changed in the working folder. Only a file that is as
 * one of the two commits has it, or begins as the later one does, is touched, so nothing of the person's is lost; if there
 * is any other, all stay.
 * @param from where the branch still is. @param to where it was to go.
 */
export async function undoHalfMove({ place, root }: Repository, from: string, to: string): Promise<void> {
  const { text } = await git(place, ['diff', '--name-only', '-z', '--no-renames', from, to]);
  const changed = text.split('\0').filter(Boolean);
  if (changed.length === 0) return;
  const literal = { env: { GIT_LITERAL_PATHSPECS: '1' } };
  const status = await git(
    place,
    ['status', '--porcelain=v1', '-z', '--no-renames', '--untracked-files=all', '--', ...changed],
    literal,
  );
  const touched = status.text.split('\0').flatMap((line) => (line === '' ? [] : [line.slice(3)]));
  const known = [await blobsOf(place, from, touched), await blobsOf(place, to, touched)];
  const staged = await blobsOf(place, null, touched);
  for (const file of touched) {
    const ours = known.map((blobs) => blobs.get(file) ?? null);
    if (!ours.includes(staged.get(file) ?? null) || !(await isOfOurs(place, path.join(root, file), ours))) return;
  }
  const tracked = touched.filter((file) => staged.has(file) || known[0]?.has(file) === true);
  if (tracked.length > 0)
    await git(place, ['restore', `--source=${from}`, '--staged', '--worktree', '--', ...tracked], literal);
  for (const file of touched.filter((file) => !tracked.includes(file)))
    await rm(path.join(root, file), { force: true });
}

/** The blobs of files at a commit, or in the index. */
async function blobsOf(
  place: GitPlace,
  commit: string | null,
  files: readonly string[],
): Promise<ReadonlyMap<string, string>> {
  if (files.length === 0) return new Map();
  const verb =
    commit === null ? ['ls-files', '-z', '--stage', '--full-name'] : ['ls-tree', '-z', '-r', '--full-tree', commit];
  const { text } = await git(place, [...verb, '--', ...files], { env: { GIT_LITERAL_PATHSPECS: '1' } });
  return new Map(
    text.split('\0').flatMap((line) => {
      const [facts = '', name] = line.split('\t');
      const blob = /[0-9a-f]{40,64}/.exec(facts)?.[0];
      return name === undefined || blob === undefined ? [] : [[name, blob] as const];
    }),
  );
}

/** Whether a file of the working folder is one of the blobs, the beginning of the last one, or not there. */
async function isOfOurs(place: GitPlace, file: string, [from, to]: readonly (string | null)[]): Promise<boolean> {
  try {
    if (!(await stat(file)).isFile()) return false;
    const blob = await gitLine(place, ['hash-object', '--', file]);
    if (blob === from || blob === to) return true;
    if (to === null || to === undefined) return false;
    const whole = (await git(place, ['cat-file', 'blob', to])).bytes;
    const begun = await readFile(file);
    return whole.subarray(0, begun.length).equals(begun);
  } catch (error) {
    if (isMissing(error)) return true;
    throw error;
  }
}
