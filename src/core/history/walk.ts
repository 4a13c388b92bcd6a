import { type Commit, type Person, subjectOf } from './commit.ts';
import { Graph } from './graph.ts';
import { type Amendments, type Meaning, type MeaningRules, readMeaning } from './meaning.ts';

/** A commit of the walk that touches at least one package. */
export type TouchingCommit = {
  readonly index: number;
  readonly id: string;
  readonly author: Person;
  readonly isMerge: boolean;
  readonly touched: readonly number[];
  readonly meaning: Meaning;
  /** Whether it is a release's own commit and touches nothing else (design page versions, step 8). */
  readonly isRecord: boolean;
};

/** A commit that touches no package, kept only when somebody wants to see it. */
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
  readonly #byIndex = new Map<number, TouchingCommit>();
  readonly #rules: WalkRules;

  constructor(rules: WalkRules) {
    this.#rules = rules;
  }

  add(commit: Commit): void {
    const { owners, meaning, amendments, keepOthers } = this.#rules;
    const index = this.graph.add(commit.id, commit.parents);
    const touched = [...new Set(commit.paths.flatMap((path) => owners(path)))];
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
      id: commit.id,
      author: commit.author,
      isMerge,
      touched,
      meaning: read,
      isRecord: this.#isRecord(commit, read),
    };
    this.touching.push(record);
    this.#byIndex.set(index, record);
  }

  touchingAt(index: number): TouchingCommit | null {
    return this.#byIndex.get(index) ?? null;
  }

  /** Ids that messages refer to and the walk does not hold: git has to say what they are. */
  openReferences(): string[] {
    const ids = this.touching.flatMap(({ meaning: { references } }) => [
      ...references.pickedFrom,
      ...references.reverts.map(({ commit }) => commit),
    ]);
    return [...new Set(ids)].filter((id) => this.graph.indexOfPrefix(id) === null);
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
