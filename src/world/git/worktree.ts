import { cp, lstat, readlink, symlink } from 'node:fs/promises';
import path from 'node:path';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { makeUsualFolder, removeFolder } from '../files.ts';
import { makeOwnFolder, worktreeName } from '../leftovers.ts';
import type { Repository } from './repository.ts';
import { type GitPlace, git } from './run-git.ts';

// The user's machine must not leak in (docs/design/decisions.md): no attributes, line ends or modes of the user's own.
const neutral = [
  'core.attributesFile=/dev/null',
  'core.autocrlf=false',
  'core.eol=lf',
  'core.symlinks=true',
  'core.fileMode=true',
  'advice.detachedHead=false',
].flatMap((setting) => ['-c', setting]);

/** A checkout of one commit, apart from the working folder. */
export type Checkout = {
  readonly folder: string;
  /** An empty folder beside it, for what build steps make. */
  readonly out: string;
  readonly remove: () => Promise<void>;
};

/**
 * Checks a commit out into a new folder, as a worktree of the repository. Modes follow umask 022 whatever the user's is.
 * The caller removes it.
 * @param name part of the new folder's name, so that two checkouts have paths of different length.
 */
export async function checkOut(repository: Repository, commit: string, name = ''): Promise<Checkout> {
  const { place } = repository;
  return makeCheckout(repository, name, async (folder) => {
    if (!pruned.has(place.folder)) {
      pruned.add(place.folder);
      await inTurn(place, ['worktree', 'prune']);
    }
    await inTurn(place, [...neutral, 'worktree', 'add', '--detach', '--quiet', folder, commit], asEverywhere);
  });
}

/** Repositories whose list was rid of what killed runs had left behind. */
const pruned = new Set<string>();

/** The system's attributes must not matter either. */
const asEverywhere = { env: { GIT_ATTR_NOSYSTEM: '1' }, hasUsualModes: true };

/** Empties the folder beside a checkout. */
export async function emptyOut({ out }: Checkout): Promise<void> {
  await removeFolder(out);
  await makeUsualFolder(out);
}

const turns = new Map<string, Promise<unknown>>();

/**
 * Runs git on the list of worktrees, one after the other for a repository: a worktree that is half made looks like one that is
 * gone, and the folder of the list is taken away with its last entry. Packages are built at the same time.
 */
async function inTurn(
  place: GitPlace,
  args: readonly string[],
  options: Parameters<typeof git>[2] = {},
): Promise<void> {
  const before = turns.get(place.folder) ?? Promise.resolve();
  const mine = before.then(() => git(place, args, options));
  turns.set(
    place.folder,
    mine.catch(() => {}),
  );
  await mine;
}

/** Paths of everything tracked and everything new in a working tree, without what is ignored. @param place at its root. */
export async function workingFiles(place: GitPlace): Promise<Set<string>> {
  const { text } = await git(place, ['ls-files', '-z', '--cached', '--others', '--exclude-standard', '--full-name']);
  return new Set(text.split('\0').filter(Boolean));
}

/** Copies the working folder as it is: everything tracked and everything new, without what is ignored. */
export async function copyWorkingFolder(repository: Repository, name = ''): Promise<Checkout> {
  const { place } = repository;
  return makeCheckout(repository, name, async (folder) => {
    await makeUsualFolder(folder);
    for (const file of await workingFiles(place)) await copyFile(place.folder, folder, file);
  });
}

async function copyFile(from: string, to: string, file: string): Promise<void> {
  const source = path.join(from, file);
  const stat = await lstat(source).catch(() => null);
  // Deleted in the working folder, or a submodule, which brings its own files.
  if (stat === null || stat.isDirectory()) return;
  const target = path.join(to, file);
  await makeUsualFolder(path.dirname(target));
  if (stat.isSymbolicLink()) await symlink(await readlink(source), target);
  else await cp(source, target);
}

/**
 * Takes one worktree out of the repository's list. What cannot be taken out now, such as a folder that was never made, is
 * forgotten by the next run.
 */
async function forget({ folder: repository, env }: GitPlace, worktree: string): Promise<void> {
  try {
    // A stopped run must clean up too, so this last question does not listen to the stop signal.
    await inTurn({ folder: repository, env }, ['worktree', 'remove', '--force', worktree]);
  } catch (error) {
    if (!isBevelstoneError(error, 'GIT_FAILED')) throw error;
  }
}

async function makeCheckout(
  { place, commonFolder }: Repository,
  name: string,
  fill: (folder: string) => Promise<void>,
): Promise<Checkout> {
  const outer = await makeOwnFolder(commonFolder, name === '' ? 'checkout' : name.replace(/-$/, ''));
  const [folder, out] = [path.join(outer.folder, worktreeName(outer.folder)), path.join(outer.folder, 'out')];
  const remove = async () => {
    await forget(place, folder);
    await outer.remove();
  };
  try {
    await makeUsualFolder(out);
    await fill(folder);
    return { folder, out, remove };
  } catch (error) {
    await remove();
    throw error;
  }
}
