import { readObjects } from './object-reader.ts';
import { type GitPlace, git } from './run-git.ts';

/** An entry of a tree; its name as bytes, each a character. */
type Entry = { readonly mode: string; readonly id: string };

/** A folder that gets something: its own new files, and the folders in it that get some, by their names as bytes. */
type Folder = { readonly path: string; readonly files: Map<string, string>; readonly folders: Map<string, Folder> };

/**
 * A commit's tree with some files more. Only the folders that they lie in are read and written, however large the rest is.
 * @param commit null for an empty tree.
 * @param files ids of blobs by path.
 * @returns the id of the new tree; null when a file would lie where a folder is, a folder where a file is, or a folder cannot be read.
 */
export async function addToTree(
  place: GitPlace,
  commit: string | null,
  files: ReadonlyMap<string, string>,
): Promise<string | null> {
  const levels = levelsOf(files);
  const folders = levels.flat();
  if (folders.some(({ path }) => path.includes('\n'))) return null;
  const before = commit === null ? new Map<string, Map<string, Entry>>() : await readFolders(place, commit, folders);
  if (before === null || (commit !== null && !before.has(''))) return null;
  const made = new Map<string, string>();
  // A folder needs the ids of those inside it.
  for (const level of levels.toReversed()) {
    const trees = level.map((folder) => withNew(folder, before, made));
    if (trees.includes(null)) return null;
    // What was there already is not looked up again.
    const { text } = await git(place, ['mktree', '-z', '--missing', '--batch'], {
      input: Buffer.from(trees.map((tree) => `${tree}\0`).join(''), 'latin1'),
    });
    for (const [index, id] of text.trim().split('\n').entries()) made.set(level[index]?.path ?? '', id);
  }
  return made.get('') ?? null;
}

/** The folders that get something, by how deep they lie. */
function levelsOf(files: ReadonlyMap<string, string>): Folder[][] {
  const root: Folder = { path: '', files: new Map(), folders: new Map() };
  const levels = [[root]];
  for (const [path, id] of files) {
    const parts = path.split('/');
    const name = parts.pop() ?? '';
    let folder = root;
    for (const [depth, part] of parts.entries()) {
      const inside = parts.slice(0, depth + 1).join('/');
      const next = folder.folders.get(bytesOf(part)) ?? { path: inside, files: new Map(), folders: new Map() };
      if (!folder.folders.has(bytesOf(part))) {
        levels[depth + 1] ??= [];
        levels[depth + 1]?.push(next);
      }
      folder.folders.set(bytesOf(part), next);
      folder = next;
    }
    folder.files.set(bytesOf(name), id);
  }
  return levels;
}

/** Entries of those folders that are there, by path; null where one of them is a file. */
async function readFolders(
  place: GitPlace,
  commit: string,
  folders: readonly Folder[],
): Promise<Map<string, Map<string, Entry>> | null> {
  const found = await readObjects(
    place,
    folders.map(({ path }) => `${commit}:${path}`),
  );
  if (found.some((object) => object !== null && object.type !== 'tree')) return null;
  return new Map(
    folders.flatMap(({ path }, index) => {
      const bytes = found[index]?.bytes;
      return bytes === undefined ? [] : [[path, parseTree(bytes, commit.length / 2)] as const];
    }),
  );
}

/** What `mktree` reads for a folder; null where a file and a folder have the same name, or a folder is there and cannot be read. */
function withNew(
  folder: Folder,
  before: ReadonlyMap<string, ReadonlyMap<string, Entry>>,
  made: ReadonlyMap<string, string>,
): string | null {
  const entries = new Map(before.get(folder.path));
  for (const [name, { path }] of folder.folders) {
    const isThere = entries.has(name);
    if (isThere ? entries.get(name)?.mode !== treeMode || !before.has(path) : folder.files.has(name)) return null;
    entries.set(name, { mode: treeMode, id: made.get(path) ?? '' });
  }
  for (const [name, id] of folder.files) {
    if (entries.get(name)?.mode === treeMode) return null;
    entries.set(name, { mode: '100644', id });
  }
  return [...entries].map(([name, { mode, id }]) => `${mode} ${typeOf(mode)} ${id}\t${name}\0`).join('');
}

const treeMode = '40000';

function typeOf(mode: string): string {
  if (mode === treeMode) return 'tree';
  return mode === '160000' ? 'commit' : 'blob';
}

/** git's own form of a tree: mode, blank, name, NUL, and the bytes of the id, for each entry. */
function parseTree(bytes: Buffer, idBytes: number): Map<string, Entry> {
  const entries = new Map<string, Entry>();
  for (let at = 0; at < bytes.length; ) {
    const [blank, end] = [bytes.indexOf(32, at), bytes.indexOf(0, at)];
    const next = end + 1 + idBytes;
    const entry = { mode: bytes.toString('latin1', at, blank), id: bytes.toString('hex', end + 1, next) };
    entries.set(bytes.toString('latin1', blank + 1, end), entry);
    at = next;
  }
  return entries;
}

function bytesOf(name: string): string {
  return Buffer.from(name).toString('latin1');
}
