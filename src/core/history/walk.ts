import { type Commit, type Person, subjectOf } from './commit.ts';
import { Graph } from './graph.ts';
import { type Amendments, type Meaning, type MeaningRules, readMeaning } from './meaning.ts';

/** A commit of the walk that touches at least one package. */
export type TouchingCommit = {
  readonly index: number;
  readonly author: Person;
  readonly touched: readonly number[];
  readonly meaning: Meaning;
  /** Whether it is a release's own commit and touches only its files (docs/design/versions.md, step 8). */
  readonly isRecord: boolean;
};

/** A commit that touches no package, kept only on request. */
export type OtherCommit = {
  readonly index: number;
  readonly id: string;
  readonly subject: string;
  readonly isMerge: boolean;
};

/** What a walk needs to know to read a commit. */
export type WalkRules = {
  readonly owners: (path: string) => readonly number[];
  readonly isWriteBackPath: (path: string) => boolean;
  readonly meaning: MeaningRules;
  readonly amendments: Amendments;
  readonly keepOthers: boolean;
};

/** What history says, read once, commit by commit: the graph of all, the meaning of those that touch a package. */
export class Walk {
  readonly graph = new Graph();
  /** In topological order, children first. */
  readonly touching: TouchingCommit[] = [];
  readonly others: OtherCommit[] = [];
  readonly notes: string[] = [];
  readonly #owners = new Map<string, readonly number[]>();
  readonly #rules: WalkRules;

  constructor(rules: WalkRules) {
    this.#rules = rules;
  }

  add(commit: Commit): void {
    const { owners, meaning, amendments, keepOthers } = this.#rules;
    const index = this.graph.add(commit.id, commit.parents);
    const touched = this.#share(ownersOf(commit.paths, owners));
    const isMerge = commit.parents.length > 1;
    const amendment = amendments.of(commit);
    if (commit.cut)
      this.notes.push(`the message of ${commit.id.slice(0, 7)} is very long; only its beginning was read`);
    if (touched.length === 0) {
      if (keepOthers) this.others.push({ index, id: commit.id, subject: subjectOf(commit.message), isMerge });
      return;
    }
    const read = readMeaning(commit, meaning, amendment);
    const record = {
      index,
      author: commit.author,
      touched,
      meaning: read,
      isRecord: this.#isRecord(commit, read),
    };
    this.touching.push(record);
  }

  touchingAt(index: number): TouchingCommit | null {
    let [low, high] = [0, this.touching.length - 1];
    while (low <= high) {
      const middle = (low + high) >> 1;
      const found = this.touching[middle];
      if (found === undefined || found.index === index) return found ?? null;
      if (found.index < index) low = middle + 1;
      else high = middle - 1;
    }
    return null;
  }

  /** Ids that messages refer to and the walk does not hold: git has to say what they are. */
  openReferences(): string[] {
    const ids = this.touching.flatMap(({ meaning: { references } }) => [
      ...references.pickedFrom,
      ...references.reverts.map(({ commit }) => commit),
    ]);
    return [...new Set(ids)].filter((id) => this.graph.indexOfPrefix(id) === null);
  }

  /** One list per combination of packages, however many commits touch it. */
  #share(touched: readonly number[]): readonly number[] {
    const key = touched.join();
    const known = this.#owners.get(key) ?? touched;
    this.#owners.set(key, known);
    return known;
  }

  #isRecord(commit: Commit, meaning: Meaning): boolean {
    if (meaning.references.releases.length === 0) return false;
    const extra = commit.paths.find((path) => !this.#rules.isWriteBackPath(path));
    if (extra === undefined) return true;
    this.notes.push(
      `${commit.id.slice(0, 7)} records a release and also changes ${extra}, so it counts like every commit`,
    );
    return false;
  }
}

function ownersOf(paths: readonly string[], owners: (path: string) => readonly number[]): readonly number[] {
  const [first] = paths;
  const found = first === undefined ? [] : owners(first);
  if (paths.every((path) => owners(path) === found)) return found;
  return [...new Set(paths.flatMap((path) => owners(path)))];
}
