import { realpath } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { exists } from '../files.ts';
import { idOf } from './object-reader.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';

/** A repository as the work finds it. */
export type Repository = {
  readonly place: GitPlace;
  /** Absolute path of the working folder's root. */
  readonly root: string;
  /** Absolute path of the folder that all worktrees share, for journals, locks and logs. */
  readonly commonFolder: string;
};

/**
 * Finds the repository that holds a folder.
 * @throws WORKSPACE_NOT_FOUND when none does, REPOSITORY_SHALLOW when its history is cut off.
 */
export async function openRepository(folder: string, env: GitPlace['env'], signal?: AbortSignal): Promise<Repository> {
  if (!(await exists(folder))) throw noFolder(folder);
  const outer: GitPlace = { folder, env, ...(signal === undefined ? {} : { signal }) };
  const asked = [
    'rev-parse',
    '--path-format=absolute',
    '--show-toplevel',
    '--git-common-dir',
    '--is-shallow-repository',
  ];
  const answer = await git(outer, asked, { allow: [128] });
  if (answer.exitCode !== 0) {
    throw new BevelstoneError('WORKSPACE_NOT_FOUND', {
      message: `${folder} is not inside a git repository`,
      why: 'versions are derived from git history',
      fix: 'Change to the repository, or give its folder with -C',
    });
  }
  const [root = '', common = '', shallow] = answer.text.trimEnd().split('\n');
  if (shallow === 'true') {
    throw new BevelstoneError('REPOSITORY_SHALLOW', {
      message: 'this clone is shallow',
      why: 'versions derived from an incomplete history would be wrong',
      fix: 'Run: git fetch --unshallow --tags',
    });
  }
  return { place: { ...outer, folder: root }, root, commonFolder: path.resolve(folder, common) };
}

/** The folder that all worktrees share, when a folder lies in the working tree of a repository; null elsewhere. */
export async function gitFolderAround(folder: string, env: GitPlace['env']): Promise<string | null> {
  const asked = ['rev-parse', '--path-format=absolute', '--is-inside-work-tree', '--git-common-dir'];
  const { exitCode, text } = await git({ folder, env }, asked, { allow: [128] });
  const [isInside = '', common = ''] = text.trim().split('\n');
  return exitCode === 0 && isInside === 'true' ? common : null;
}

/** Root of the working tree that a folder lies in, the folder itself elsewhere; and the path from there, with `/`. */
export async function workingTreeAround(
  folder: string,
  env: GitPlace['env'],
): Promise<{ readonly root: string; readonly inside: string }> {
  const place = await realpath(folder);
  const { exitCode, text } = await git({ folder: place, env }, ['rev-parse', '--show-toplevel'], { allow: [128] });
  const root = exitCode === 0 && text.trim() !== '' ? text.replace(/\r?\n$/, '') : place;
  return { root, inside: path.relative(root, place).split(path.sep).join('/') };
}

function noFolder(folder: string): BevelstoneError {
  return new BevelstoneError('WORKSPACE_NOT_FOUND', {
    message: `folder not found: ${folder}`,
    why: 'it was given with -C',
    fix: 'Check the path given with -C',
  });
}

/**
 * The full id of a commit named in any way git knows.
 * @throws COMMIT_NOT_FOUND, or REPOSITORY_EMPTY when it is HEAD and there is no commit.
 */
export async function resolveCommit(place: GitPlace, name: string): Promise<string> {
  const id = await idOf(place, `${name}^{commit}`);
  if (id !== null) return id;
  if (name === 'HEAD') {
    throw new BevelstoneError('REPOSITORY_EMPTY', {
      message: 'the repository has no commits',
      why: 'versions are derived from commits',
      fix: 'Commit the first files',
    });
  }
  throw new BevelstoneError('COMMIT_NOT_FOUND', {
    message: `unknown commit "${name}"`,
    why: 'it is not a branch, tag or commit id of this clone',
    fix: 'Check the name, or run git fetch',
  });
}

/** The branch that HEAD names, or null when it names none. */
export async function currentBranch(place: GitPlace): Promise<string | null> {
  const answer = await git(place, ['symbolic-ref', '--quiet', '--short', 'HEAD'], { allow: [1] });
  return answer.exitCode === 0 ? answer.text.trim() : null;
}

/** Paths that are changed, staged or new in the working folder, ignored ones left out. */
export async function uncommittedPaths(place: GitPlace): Promise<string[]> {
  const { text } = await git(place, ['status', '--porcelain=v1', '-z', '--no-renames', '--untracked-files=normal']);
  return text.split('\0').flatMap((line) => (line === '' ? [] : [line.slice(3)]));
}

/** Time of the commit in seconds since 1970, as its committer's clock had it. */
export async function commitTime(place: GitPlace, commit: string): Promise<number> {
  return Number(await gitLine(place, ['show', '-s', '--format=%ct', commit]));
}

/** The remote that the branch follows, else `origin`, else the only one. */
export async function remoteOf(place: GitPlace, branch: string | null): Promise<string | null> {
  const remotes = (await git(place, ['remote'])).text.split('\n').filter((name) => name !== '');
  const followed =
    branch === null ? '' : await gitLine(place, ['config', '--get', `branch.${branch}.remote`], { allow: [1] });
  if (remotes.includes(followed)) return followed;
  if (remotes.includes('origin')) return 'origin';
  return remotes.length === 1 ? (remotes[0] ?? null) : null;
}

/** Name and address of whoever commits, as git knows them; null when it does not. */
export async function committerName(place: GitPlace): Promise<string | null> {
  const { exitCode, text } = await git(place, ['var', 'GIT_COMMITTER_IDENT'], { allow: [1, 128] });
  return exitCode === 0 ? withoutTime(text) : null;
}

function withoutTime(identity: string): string {
  return identity.trim().replace(/ \d+ [+-]\d{4}$/, '');
}

const identities = new WeakMap<GitPlace['env'], Map<string, Promise<string>>>();

/** Name and address of whoever commits, as git knows them; asked once. @throws GIT_FAILED when git does not know. */
export function committerIdentity(place: GitPlace): Promise<string> {
  const known = identities.get(place.env) ?? new Map<string, Promise<string>>();
  identities.set(place.env, known);
  const identity = known.get(place.folder) ?? gitLine(place, ['var', 'GIT_COMMITTER_IDENT']).then(withoutTime);
  known.set(place.folder, identity);
  return identity;
}

/** @throws IDENTITY_MISSING when git does not know who commits. */
export async function checkIdentity(place: GitPlace): Promise<void> {
  try {
    await git(place, ['var', 'GIT_COMMITTER_IDENT']);
  } catch (cause) {
    if (!isBevelstoneError(cause, 'GIT_FAILED')) throw cause;
    throw new BevelstoneError('IDENTITY_MISSING', {
      message: 'git has no identity for the tag',
      why: 'user.name and user.email are not set',
      fix: 'Set both with git config, or GIT_COMMITTER_NAME and GIT_COMMITTER_EMAIL in CI',
      cause,
    });
  }
}
