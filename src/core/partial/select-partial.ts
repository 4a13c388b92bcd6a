import type { ListedEntry } from '../record/contents-list.ts';
import type { PartialEntry, PartialRemoval } from '../record/partial-record.ts';

/** A commit between the base and what was built. */
export type ChangeCommit = {
  readonly id: string;
  readonly issues: readonly string[];
  /** Paths in the repository that it touches. */
  readonly paths: ReadonlySet<string>;
  readonly isSelected: boolean;
};

/** What a selection is made of. Entries by their paths inside the release. */
export type PartialQuestion = {
  readonly before: readonly ListedEntry[];
  readonly after: readonly ListedEntry[];
  readonly commits: readonly ChangeCommit[];
  /** Whether a path in the repository belongs to the package. */
  readonly isOwn: (path: string) => boolean;
  /** Paths that go in, or stay out, whatever the commits say. */
  readonly add: ReadonlySet<string>;
  readonly leaveOut: ReadonlySet<string>;
};

/** What comes from the selected commits, and what else differs and does not. */
export type PartialSelection = {
  readonly entries: readonly PartialEntry[];
  readonly removed: readonly PartialRemoval[];
  readonly unselected: readonly string[];
};

/**
 * Selects the entries that come from some commits. An entry that is a file of the repository comes from the commits that touch
 * that file; what a step made of several files comes from every commit that touches the package.
 */
export function selectPartial(question: PartialQuestion): PartialSelection {
  const { before, after, add, leaveOut } = question;
  const old = filesByPath(before);
  const fresh = filesByPath(after);
  const entries: PartialEntry[] = [];
  const removed: PartialRemoval[] = [];
  const unselected: string[] = [];
  for (const [path, entry] of fresh) {
    const other = old.get(path);
    if (other !== undefined && other.sha256 === entry.sha256 && other.mode === entry.mode && other.type === entry.type)
      continue;
    const { commits, others } = commitsOf(entry, question);
    if (leaveOut.has(path) || (commits.length === 0 && !add.has(path))) unselected.push(path);
    else
      entries.push({
        path,
        effect: other === undefined ? 'added' : 'replaced',
        sha256: entry.sha256 ?? '',
        before: other?.sha256 ?? null,
        commits,
        alsoHolds: others,
      });
  }
  for (const [path, entry] of old) {
    if (fresh.has(path)) continue;
    const { commits } = commitsOf(entry, question);
    if (leaveOut.has(path) || (commits.length === 0 && !add.has(path))) unselected.push(path);
    else removed.push({ path, before: entry.sha256 ?? '', commits });
  }
  return { entries, removed, unselected: unselected.sort() };
}

function filesByPath(entries: readonly ListedEntry[]): Map<string, ListedEntry> {
  const files = entries.filter(({ type, sha256 }) => (type === 'file' || type === 'symlink') && sha256 !== null);
  return new Map(files.map((entry) => [entry.path, entry]));
}

/** The selected commits that an entry comes from, and the others. */
function commitsOf(
  { origin }: ListedEntry,
  { commits, isOwn }: PartialQuestion,
): { readonly commits: readonly string[]; readonly others: readonly string[] } {
  const touches = ({ paths }: ChangeCommit) =>
    origin.type === 'source' ? paths.has(origin.path) : [...paths].some(isOwn);
  const touching = commits.filter(touches);
  const selected = touching.filter(({ isSelected }) => isSelected).map(({ id }) => id);
  const others = touching.filter(({ isSelected }) => !isSelected).map(({ id }) => id);
  return { commits: selected, others };
}
