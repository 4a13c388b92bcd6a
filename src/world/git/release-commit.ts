import { lstat, readFile, readlink } from 'node:fs/promises';
import path from 'node:path';
import { withIndex } from './own-index.ts';
import type { Repository } from './repository.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';
import { writeBlobs } from './write-blobs.ts';

/** A commit that no branch names yet. */
export type ObjectCommit = { readonly commit: string; readonly tree: string };

/** What a commit is made of. */
export type CommitParts = {
  readonly parent: string;
  /** A checkout of the parent with changes in it. */
  readonly checkout: string;
  /** Which of its changes count; everything else stays as it was. */
  readonly takes: (path: string) => boolean;
  readonly message: string;
  /** Seconds since 1970. */
  readonly time: number;
};

/**
 * Makes a commit as an object only: no branch moves, no hook runs, neither working folder nor index is touched. The same parts
 * give the same commit.
 * @returns null when nothing that counts was changed.
 */
export async function makeCommitObject(repository: Repository, parts: CommitParts): Promise<ObjectCommit | null> {
  const { place } = repository;
  const { parent, checkout, takes, message, time } = parts;
  const changed = (await changedPaths({ ...place, folder: checkout })).filter(takes);
  if (changed.length === 0) return null;
  const rows = await indexRows(repository, { checkout, changed, idLength: parent.length });
  return withIndex(repository, async (indexed) => {
    await git(indexed, ['read-tree', parent]);
    await git(indexed, ['update-index', '-z', '--add', '--index-info'], { input: rows.join('') });
    const tree = await gitLine(indexed, ['write-tree']);
    const date = `${time} +0000`;
    const env = { GIT_AUTHOR_DATE: date, GIT_COMMITTER_DATE: date };
    const args = ['commit-tree', '--no-gpg-sign', tree, '-p', parent, '-F', '-'];
    const commit = await gitLine(indexed, args, { input: `${message}\n`, env });
    return { commit, tree };
  });
}

/** Keeps a commit from being collected while its run goes on. */
export async function keepForRun(place: GitPlace, run: string, commit: string): Promise<void> {
  await git(place, ['update-ref', runRef(run), commit]);
}

/** Lets go of what a run kept. */
export async function forgetRun(place: GitPlace, run: string): Promise<void> {
  await git(place, ['update-ref', '-d', runRef(run)]);
}

/** The ref that keeps the commit of a run. */
export function runRef(run: string): string {
  return `refs/bevelstone/run/${run}`;
}

/** Lines for `update-index --index-info`; what is gone from the checkout goes from the tree. */
async function indexRows(
  repository: Repository,
  {
    checkout,
    changed,
    idLength,
  }: { readonly checkout: string; readonly changed: readonly string[]; readonly idLength: number },
): Promise<string[]> {
  const found = await Promise.all(changed.map((file) => readChanged(checkout, file)));
  const there = found.filter((item) => item !== null);
  const ids = await writeBlobs(
    repository,
    there.map(({ bytes }) => bytes),
  );
  return changed.map((file, index) => {
    const item = found[index] ?? null;
    if (item === null) return `0 ${'0'.repeat(idLength)}\t${file}\0`;
    return `${item.mode} ${ids[there.indexOf(item)]}\t${file}\0`;
  });
}

async function readChanged(
  checkout: string,
  file: string,
): Promise<{ readonly mode: string; readonly bytes: Uint8Array } | null> {
  const full = path.join(checkout, file);
  const stat = await lstat(full).catch(() => null);
  if (stat === null) return null;
  if (stat.isSymbolicLink()) return { mode: '120000', bytes: Buffer.from(await readlink(full)) };
  return { mode: (stat.mode & 0o100) === 0 ? '100644' : '100755', bytes: await readFile(full) };
}

async function changedPaths(place: GitPlace): Promise<string[]> {
  const { text } = await git(place, ['status', '--porcelain=v1', '-z', '--no-renames', '--untracked-files=all']);
  return text.split('\0').flatMap((line) => (line === '' ? [] : [line.slice(3)]));
}
