import path from 'node:path';
import { makeFolder, readTextIfThere, writeWhole } from '../files.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';

/** What stands before the first patch. */
const baseRef = 'refs/bevelstone/base';
/** Files as they are: neither line ends nor filters change them, whatever upstream's own attributes say. */
const attributes = '* -text -eol -ident -filter -working-tree-encoding !diff !merge\n';
const stateFile = 'bevelstone-edit.json';

/** Who commits where git has no identity. */
const usualIdentity = { name: 'Bevelstone', email: 'inputs@localhost' } as const;

/** A commit of the patched sources. */
export type EditCommit = {
  readonly id: string;
  readonly parents: readonly string[];
  readonly author: string;
  readonly message: string;
};

/** The sources of an input under git: one commit as its makers gave it, then one for each patch. */
export class EditRepository {
  readonly folder: string;
  readonly #place: GitPlace;

  constructor(folder: string, { env, signal }: Pick<GitPlace, 'env'> & { readonly signal: AbortSignal }) {
    this.folder = folder;
    this.#place = { folder, env, signal };
  }

  /** Makes a repository of what lies in the folder. @param from whose identity commits get. */
  async begin(message: string, from: GitPlace): Promise<void> {
    await git(this.#place, ['init', '--quiet', '--initial-branch=patched']);
    await makeFolder(path.join(this.folder, '.git', 'info'));
    await writeWhole(path.join(this.folder, '.git', 'info', 'attributes'), attributes);
    for (const [key, usual] of Object.entries(usualIdentity)) {
      const own = (await git(from, ['config', '--get', `user.${key}`], { allow: [1] })).text.trim();
      await git(this.#place, ['config', `user.${key}`, own || usual]);
    }
    for (const [key, value] of [
      ['core.autocrlf', 'false'],
      ['commit.gpgSign', 'false'],
      ['core.fileMode', 'true'],
    ] as const)
      await git(this.#place, ['config', key, value]);
    await this.commitAll(message, { author: null, isForced: true });
    await git(this.#place, ['update-ref', baseRef, 'HEAD']);
  }

  /**
   * Commits what is there. @param author `NAME <ADDRESS>`; null for who works here. @param isForced whether files that upstream's
   * `.gitignore` names count: not where a build may have left files. @returns its id.
   */
  async commitAll(
    message: string,
    { author, isForced }: { readonly author: string | null; readonly isForced: boolean },
  ): Promise<string> {
    await git(this.#place, ['add', '--all', ...(isForced ? ['--force'] : [])]);
    const by = author === null ? [] : [`--author=${author}`];
    await git(this.#place, ['commit', '--quiet', '--allow-empty', '--no-verify', ...by, '--file=-'], {
      input: message,
    });
    return gitLine(this.#place, ['rev-parse', 'HEAD']);
  }

  /** Whether something is not committed. */
  async isDirty(): Promise<boolean> {
    return (await gitLine(this.#place, ['status', '--porcelain', '--untracked-files=all', '--ignored=no'])) !== '';
  }

  /** Puts what is not committed into the last commit. */
  async amendLast(): Promise<void> {
    await git(this.#place, ['add', '--all']);
    await git(this.#place, ['commit', '--quiet', '--amend', '--no-edit', '--no-verify', '--allow-empty']);
  }

  /** Puts what is not committed into an earlier commit. @returns whether that was possible; if not, all is as it was. */
  async amendEarlier(id: string): Promise<boolean> {
    await git(this.#place, ['add', '--all']);
    await git(this.#place, ['commit', '--quiet', '--no-verify', `--fixup=${id}`]);
    const words = ['rebase', '--quiet', '--interactive', '--autosquash', '--keep-empty', baseRef];
    const { exitCode } = await git(this.#place, words, {
      env: { GIT_SEQUENCE_EDITOR: 'true', GIT_EDITOR: 'true' },
      allow: [1],
    });
    if (exitCode === 0) return true;
    await git(this.#place, ['rebase', '--abort']);
    await git(this.#place, ['reset', '--quiet', '--mixed', 'HEAD~1']);
    return false;
  }

  /** Commits behind the base, in their order. */
  async commits(): Promise<EditCommit[]> {
    const format = '--format=%H%x00%P%x00%an <%ae>%x00%B%x00%x01';
    const { text } = await git(this.#place, ['log', '--reverse', '--topo-order', format, `${baseRef}..HEAD`]);
    return text
      .split('\0\x01')
      .map((part) => part.replace(/^\n/, '').split('\0'))
      .flatMap(([id = '', parents = '', author = '', message = '']) =>
        id === '' ? [] : [{ id, parents: parents.split(' '), author, message: message.trim() }],
      );
  }

  /** What a commit changes, as a patch without a header. */
  async changesOf(id: string): Promise<Buffer> {
    const options = [
      '--no-commit-id',
      '--patch',
      '--full-index',
      '--binary',
      '--no-renames',
      '--no-ext-diff',
      '--no-textconv',
      '--src-prefix=a/',
      '--dst-prefix=b/',
    ];
    return (await git(this.#place, ['diff-tree', ...options, `${id}^`, id])).bytes;
  }

  /** Whether patches, applied to the base one after the other, give exactly what the last commit has. @param files absolute paths. */
  async gives(files: readonly string[]): Promise<boolean> {
    const place = { ...this.#place, indexFile: path.join(this.folder, '.git', 'bevelstone-index') };
    await git(place, ['read-tree', baseRef]);
    for (const file of files) await git(place, ['apply', '--cached', '--whitespace=nowarn', file]);
    const made = await gitLine(place, ['write-tree']);
    return made === (await gitLine(this.#place, ['rev-parse', 'HEAD^{tree}']));
  }

  /** What was written down about the edit; null where the folder is not one. */
  async state(): Promise<string | null> {
    return readTextIfThere(path.join(this.folder, '.git', stateFile));
  }

  async keepState(text: string): Promise<void> {
    await writeWhole(path.join(this.folder, '.git', stateFile), text);
  }
}
