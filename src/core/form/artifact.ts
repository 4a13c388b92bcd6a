import type { BinaryKind } from '../contents/binary.ts';
import type { ReadEntry } from '../contents/entry.ts';
import type { FileFacts } from '../facts/facts.ts';
import type { Description } from './description.ts';

/** An artifact as rules and pages see it. All of it comes from the file itself. */
export type Artifact = Description & {
  readonly fileName: string;
  readonly sizeBytes: number;
  readonly entries: readonly ReadEntry[];
  /** Whole texts of manifests, licences and lists inside, by path. */
  readonly texts: ReadonlyMap<string, string>;
  /** Texts of a deb's control archive. */
  readonly control: ReadonlyMap<string, string>;
  readonly binaries: ReadonlyMap<string, BinaryKind>;
  readonly facts: FileFacts;
};

/** Paths of entries without the artifact's own top folder. */
export function insidePaths({ entries, prefix }: Pick<Artifact, 'entries' | 'prefix'>): string[] {
  return entries.map(({ path }) => insidePath(path, prefix));
}

/** A path without the artifact's own top folder. */
export function insidePath(path: string, prefix: string): string {
  return path.startsWith(prefix) ? path.slice(prefix.length) : path;
}

/** Entries that are files. */
export const filesIn = onceForEntries((entries) => entries.filter(({ type }) => type === 'file'));

/** The paths of all entries, to look one up. */
export const pathsIn = onceForEntries((entries): ReadonlySet<string> => new Set(entries.map(({ path }) => path)));

/** The paths of all folders, without `/` behind: those with an entry of their own, and those in which something lies. */
export const foldersIn = onceForEntries((entries): ReadonlySet<string> => {
  const folders = new Set<string>();
  let before = '';
  for (const { path, type } of entries) {
    if (type === 'folder') folders.add(path.replace(/\/+$/, ''));
    const parent = path.slice(0, Math.max(0, path.lastIndexOf('/')));
    // Neighbours mostly lie in one folder.
    if (parent === before) continue;
    before = parent;
    for (let at = path.indexOf('/'); at !== -1; at = path.indexOf('/', at + 1)) folders.add(path.slice(0, at));
  }
  return folders;
});

/** Many rules ask the same of all entries, of which there can be a million. */
function onceForEntries<Answer>(
  make: (entries: readonly ReadEntry[]) => Answer,
): (artifact: Pick<Artifact, 'entries'>) => Answer {
  const answers = new WeakMap<readonly ReadEntry[], { readonly answer: Answer }>();
  return ({ entries }) => {
    const known = answers.get(entries) ?? { answer: make(entries) };
    answers.set(entries, known);
    return known.answer;
  };
}
