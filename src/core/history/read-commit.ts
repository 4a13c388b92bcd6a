import type { Commit, Person } from './commit.ts';
import { subjectOf } from './commit.ts';
import { type Amendments, type Meaning, type MeaningRules, readMeaning } from './meaning.ts';

/** What a commit is to the packages of a workspace: all that a walk needs to know of it. */
export type ReadCommit = {
  readonly id: string;
  readonly parents: readonly string[];
  readonly author: Person;
  /** Indexes of the packages that it touches. */
  readonly touched: readonly number[];
  /** Null for a commit that touches no package. */
  readonly meaning: Meaning | null;
  /** First line of the message of a commit that touches no package; '' for others. */
  readonly subject: string;
  /** Whether only the beginning of its message was read. */
  readonly isCut: boolean;
  /** Whether it says that it is a release's own commit, and what it changes beside its files; null for any other commit. */
  readonly record: { readonly extra: string | null } | null;
};

/** What a walk needs to know to read a commit. */
export type ReadingRules = {
  readonly owners: (path: string) => readonly number[];
  readonly isWriteBackPath: (path: string) => boolean;
  readonly meaning: MeaningRules;
  readonly amendments: Amendments;
};

/** Reads a commit for the packages of a workspace (docs/design/versions.md, steps 8 and 9). @throws AMEND_AMBIGUOUS */
export function readCommit(commit: Commit, rules: ReadingRules): ReadCommit {
  const { id, parents, author, cut: isCut } = commit;
  const touched = ownersOf(commit.paths, rules.owners);
  const amendment = rules.amendments.of(id);
  // Written out, since this is done for every commit of a long history.
  if (touched.length === 0) {
    const subject = subjectOf(commit.message);
    return { id, parents, author, touched, meaning: null, subject, isCut, record: null };
  }
  const meaning = readMeaning(commit, rules.meaning, amendment);
  const record =
    meaning.references.releases.length === 0
      ? null
      : { extra: commit.paths.find((path) => !rules.isWriteBackPath(path)) ?? null };
  return { id, parents, author, touched, meaning, subject: '', isCut, record };
}

const none: readonly number[] = [];

function ownersOf(paths: readonly string[], owners: (path: string) => readonly number[]): readonly number[] {
  const [first] = paths;
  if (first === undefined) return none;
  const found = owners(first);
  if (paths.length === 1 || paths.every((path) => owners(path) === found)) return found;
  return [...new Set(paths.flatMap((path) => owners(path)))];
}
