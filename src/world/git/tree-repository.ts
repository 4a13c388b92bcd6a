import { rename } from 'node:fs/promises';
import path from 'node:path';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { makeFolder, writeWhole } from '../files.ts';
import { readRemoteRefs } from './remote-refs.ts';
import { remoteMessage } from './remote-words.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';

/** Who commits what was made of an artifact: the same everywhere, so that the same artifact gives the same commit. */
const identity = { name: 'Bevelstone', email: 'dist@localhost' } as const;
const attributes = '* -text -eol -ident -filter -working-tree-encoding\n';

/** A commit that a remote has. */
export type RemoteCommit = { readonly id: string; readonly tree: string; readonly message: string };

/** A repository of its own in which trees are made, with one remote that it reads from and pushes to. */
export class TreeRepository {
  readonly #place: GitPlace;
  readonly #remote: string;

  private constructor(place: GitPlace, remote: string) {
    [this.#place, this.#remote] = [place, remote];
  }

  /** @param folder an empty folder. @param remote an address as git takes it. */
  static async make(
    folder: string,
    remote: string,
    { env, signal }: Pick<GitPlace, 'env'> & { readonly signal: AbortSignal },
  ): Promise<TreeRepository> {
    const format = await objectFormatOf(remote, { folder, env, signal });
    const place: GitPlace = { folder, env, signal };
    await git(place, ['init', '--quiet', `--object-format=${format}`]);
    await makeFolder(path.join(folder, '.git', 'info'));
    await writeWhole(path.join(folder, '.git', 'info', 'attributes'), attributes);
    await git(place, ['config', 'core.autocrlf', 'false']);
    return new TreeRepository(place, remote);
  }

  /** What a ref of the remote leads to; null where there is none. @throws REMOTE_REFUSED */
  async remoteCommit(ref: string): Promise<RemoteCommit | null> {
    const refs = await readRemoteRefs(this.#place, this.#remote, [ref]);
    if (!refs.has(ref)) return null;
    await git(this.#place, ['fetch', '--quiet', '--depth', '1', '--no-tags', '--', this.#remote, ref]);
    const [id = '', tree = '', ...message] = (
      await git(this.#place, ['log', '-1', '--format=%H%n%T%n%B', 'FETCH_HEAD'])
    ).text.split('\n');
    return { id, tree, message: message.join('\n').trim() };
  }

  /** The tree of everything in a folder, which is moved in here. @returns its id, which depends on names, modes and bytes alone. */
  async treeOf(folder: string): Promise<string> {
    const work = path.join(this.#place.folder, 'work');
    await rename(folder, work);
    // Names that git would not take back, such as `.git`, are refused by git itself.
    const place = { ...this.#place, folder: work };
    const inside = ['--git-dir', path.join(this.#place.folder, '.git'), '--work-tree', work];
    await git(place, [
      ...inside,
      '-c',
      'core.fileMode=true',
      '-c',
      'core.symlinks=true',
      'add',
      '--all',
      '--force',
      '.',
    ]);
    return gitLine(place, [...inside, 'write-tree']);
  }

  /** Names in a tree, as git has them. */
  async namesIn(tree: string): Promise<string[]> {
    const { text } = await git(this.#place, ['ls-tree', '-r', '-z', '--name-only', tree]);
    return text.split('\0').filter(Boolean);
  }

  /** A commit of a tree. @param time in seconds since 1970. @returns its id; the same facts give the same one. */
  async commit(
    tree: string,
    { message, parent, time }: { readonly message: string; readonly parent: string | null; readonly time: number },
  ): Promise<string> {
    const date = `${time} +0000`;
    const env = {
      GIT_AUTHOR_NAME: identity.name,
      GIT_AUTHOR_EMAIL: identity.email,
      GIT_COMMITTER_NAME: identity.name,
      GIT_COMMITTER_EMAIL: identity.email,
      GIT_AUTHOR_DATE: date,
      GIT_COMMITTER_DATE: date,
    };
    const args = ['commit-tree', '--no-gpg-sign', tree, ...(parent === null ? [] : ['-p', parent]), '-F', '-'];
    return gitLine(this.#place, args, { input: message, env });
  }

  /**
   * Pushes a commit to several refs, all or none, and nothing by force.
   * @returns what the remote said against it; null when it took them.
   */
  async push(commit: string, refs: readonly string[]): Promise<string | null> {
    const specs = refs.map((ref) => `${commit}:${ref}`);
    const args = ['push', '--atomic', '--porcelain', '--no-verify', '--', this.#remote, ...specs];
    const { exitCode, text, stderr } = await git(this.#place, args, { allow: [1, 128] });
    if (exitCode === 0) return null;
    return remoteMessage(
      text.split('\n').filter((line) => line.startsWith('!')),
      stderr,
    );
  }
}

/** Objects of a remote are named by SHA-1 or SHA-256; one without any commit does not show which. */
async function objectFormatOf(remote: string, place: GitPlace): Promise<'sha1' | 'sha256'> {
  try {
    const { text } = await git(place, ['ls-remote', '--', remote]);
    return /^[0-9a-f]{64}\t/m.test(text) ? 'sha256' : 'sha1';
  } catch (error) {
    // Whoever asks next gets the error with what it was about.
    if (isBevelstoneError(error, 'GIT_FAILED')) return 'sha1';
    throw error;
  }
}

/** An empty repository without a working folder, made with the folders above it. */
export async function makeBareRepository(
  folder: string,
  { env, signal }: Pick<GitPlace, 'env'> & { readonly signal: AbortSignal },
): Promise<void> {
  await makeFolder(folder);
  await git({ folder, env, signal }, ['init', '--quiet', '--bare', '--initial-branch=main']);
}
