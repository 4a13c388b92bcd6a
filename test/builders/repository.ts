import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, realpathSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { onTestFinished } from 'vitest';

const environment = {
  PATH: process.env['PATH'] ?? '',
  HOME: '/nonexistent',
  GIT_CONFIG_NOSYSTEM: '1',
  GIT_AUTHOR_NAME: 'Harbour desk',
  GIT_AUTHOR_EMAIL: 'harbour@fenmarsh.example',
  GIT_COMMITTER_NAME: 'Harbour desk',
  GIT_COMMITTER_EMAIL: 'harbour@fenmarsh.example',
  LC_ALL: 'C',
};

/** The environment in which tests run git and the program: no HOME, nothing of the machine's. */
export function testEnvironment(more: Readonly<Record<string, string>> = {}): Record<string, string> {
  return { ...environment, ...more };
}

/** A new folder that goes away with the test. */
export function temporaryFolder(): string {
  const folder = realpathSync(mkdtempSync(path.join(tmpdir(), 'bevelstone-test-')));
  onTestFinished(() => rmSync(folder, { recursive: true, force: true }));
  return folder;
}

/** As `git fast-import` wants paths with line breaks or quotes. */
function quotePath(path: string): string {
  return /["\n]/.test(path) ? `"${path.replaceAll('"', '\\"').replaceAll('\n', '\\n')}"` : path;
}

/** What a commit of a test repository is, beside its message. */
export type TestCommit = {
  /** Paths that get new content. */
  readonly paths?: readonly string[];
  /** Whole contents by path. */
  readonly files?: Readonly<Record<string, string>>;
  readonly remove?: readonly string[];
  readonly parents?: readonly string[];
};

/** A real repository, laid out commit by commit through `git fast-import`. */
export class TestRepository {
  readonly folder: string;
  #branch = 'main';
  #clock = 1_767_225_600;
  #count = 0;

  constructor(files: Readonly<Record<string, string>> = {}, message = 'chore: begin') {
    this.folder = temporaryFolder();
    this.git('init', '--quiet', '--initial-branch=main');
    if (Object.keys(files).length > 0) this.commit(message, { files });
  }

  git(...args: string[]): string {
    return execFileSync('git', args, {
      cwd: this.folder,
      env: environment,
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'pipe'],
    }).trim();
  }

  get head(): string {
    return this.git('rev-parse', this.#branch);
  }

  /** Commits on the current branch. @returns the full id. */
  commit(message: string, { paths = [], files = {}, remove = [], parents }: TestCommit = {}): string {
    const mark = path.join(this.folder, '.git', 'test-marks');
    const tips =
      parents ??
      this.git('for-each-ref', '--format=%(objectname)', `refs/heads/${this.#branch}`).split('\n').filter(Boolean);
    const all = { ...Object.fromEntries(paths.map((path) => [path, `${++this.#count}\n`])), ...files };
    this.#clock += 60;
    const who = `Harbour desk <harbour@fenmarsh.example> ${this.#clock} +0000`;
    const data = (text: string) => `data ${Buffer.byteLength(text)}\n${text}\n`;
    const [first, ...merged] = tips;
    const stream = [
      `commit refs/heads/${this.#branch}\nmark :1\nauthor ${who}\ncommitter ${who}\n${data(message)}`,
      first === undefined ? '' : `from ${first}\n`,
      ...merged.map((id) => `merge ${id}\n`),
      ...remove.map((name) => `D ${name}\n`),
      ...Object.entries(all).map(([value, text]) => `M 100644 inline ${quotePath(value)}\n${data(text)}`),
    ].join('');
    execFileSync('git', ['fast-import', '--quiet', '--force', `--export-marks=${mark}`], {
      cwd: this.folder,
      env: environment,
      input: stream,
    });
    return readFileSync(mark, 'utf8').trim().split(' ')[1] ?? '';
  }

  tag(...names: string[]): void {
    for (const name of names) this.git('tag', '-a', '-m', name, name, this.#branch);
  }

  /** Goes on a branch, begun here when it is new. */
  on(branch: string, from?: string): void {
    const exists = this.git('for-each-ref', `refs/heads/${branch}`) !== '';
    if (!exists) this.git('branch', branch, from ?? this.#branch);
    this.#branch = branch;
    this.git('symbolic-ref', 'HEAD', `refs/heads/${branch}`);
  }

  /** Merges without changing anything beyond what the other side brings; conflicts don't happen, paths are new. */
  merge(other: string, message = `Merge ${other}`): string {
    const theirs = this.git('rev-parse', other);
    const mine = this.head;
    const base = this.git('merge-base', mine, theirs);
    const brought = this.git('diff', '--name-only', '--no-renames', '--diff-filter=AM', base, theirs)
      .split('\n')
      .filter(Boolean);
    const files = Object.fromEntries(brought.map((name) => [name, `${this.git('show', `${theirs}:${name}`)}\n`]));
    return this.commit(message, { files, parents: [mine, theirs] });
  }

  /** Reverts a commit, as git's own message has it, touching the same paths. */
  revert(id: string, paths: readonly string[]): string {
    return this.commit(`Revert "something"\n\nThis reverts commit ${id}.`, { paths });
  }

  /** Brings the working folder to the current branch, and writes files into it without committing. */
  checkOut(uncommitted: Readonly<Record<string, string>> = {}): void {
    this.git('reset', '--quiet', '--hard', this.#branch);
    for (const [file, text] of Object.entries(uncommitted)) writeFileSync(path.join(this.folder, file), text);
  }
}
