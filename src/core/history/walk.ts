import type { Commit, Person } from './commit.ts';
import { Graph } from './graph.ts';
import type { Meaning } from './meaning.ts';
import { type ReadCommit, type ReadingRules, readCommit } from './read-commit.ts';

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

/** What a walk needs to know to read commits, and what it keeps of them. */
export type WalkRules = ReadingRules & { readonly keepOthers: boolean };

/** What history says, read once, commit by commit: the graph of all, the meaning of those that touch a package. */
export class Walk {
  readonly graph = new Graph();
  #notes: Placed<{ readonly index: number; readonly text: string }>[] = [];
  #touching: Placed<TouchingCommit>[] = [];
  #others: Placed<OtherCommit>[] = [];
  readonly #owners = new Map<string, readonly number[]>();
  readonly #rules: WalkRules;

  constructor(rules: WalkRules) {
    this.#rules = rules;
  }

  /** Reads a commit and puts it at the end. @throws AMEND_AMBIGUOUS */
  add(commit: Commit): ReadCommit {
    const read = readCommit(commit, this.#rules);
    this.put(read);
    return read;
  }

  /** Puts a commit that was read, now or earlier, at the end. */
  put({ id, parents, author, touched, meaning, subject, isCut, record }: ReadCommit): void {
    const index = this.graph.add(id, parents);
    if (isCut) this.#note(index, `the message of ${id.slice(0, 7)} is very long; only its beginning was read`);
    if (meaning === null) {
      if (this.#rules.keepOthers) this.#others.push({ index, id, subject, isMerge: parents.length > 1 });
      return;
    }
    if (record !== null && record.extra !== null)
      this.#note(
        index,
        `${id.slice(0, 7)} records a release and also changes ${record.extra}, so it counts like every commit`,
      );
    const isRecord = record !== null && record.extra === null;
    this.#touching.push({ index, author, touched: this.#share(touched), meaning, isRecord });
  }

  /**
   * Ends the walk: what was put counts as far as it is reachable from one commit and not from another, in topological order.
   * @param without null for none.
   * @returns the place that each commit had among those put.
   */
  arrange(head: string, without: string | null): Int32Array {
    const { size } = this.graph;
    const order = this.graph.arrange(head, without);
    const indexes = new Int32Array(size).fill(-1);
    for (let index = 0; index < order.length; index++) indexes[order[index] ?? 0] = index;
    this.#touching = arranged(this.#touching, indexes);
    this.#others = arranged(this.#others, indexes);
    this.#notes = arranged(this.#notes, indexes);
    return order;
  }

  /** In topological order, children first. */
  get touching(): readonly TouchingCommit[] {
    return this.#touching;
  }

  /** Commits that touch no package, where they are wanted. */
  get others(): readonly OtherCommit[] {
    return this.#others;
  }

  get notes(): string[] {
    return this.#notes.map(({ text }) => text);
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

  #note(index: number, text: string): void {
    this.#notes.push({ index, text });
  }

  /** One list per combination of packages, however many commits touch it. */
  #share(touched: readonly number[]): readonly number[] {
    const key = touched.join();
    const known = this.#owners.get(key) ?? touched;
    this.#owners.set(key, known);
    return known;
  }
}

/** Something of a commit, whose index changes once: when the walk is arranged. */
type Placed<Held extends { readonly index: number }> = Omit<Held, 'index'> & { index: number };

/** What is kept, by the new indexes. */
function arranged<Held extends { index: number }>(held: readonly Held[], indexes: Int32Array): Held[] {
  const byIndex = new Array<Held | undefined>(indexes.length);
  for (const one of held) {
    const index = indexes[one.index] ?? -1;
    if (index < 0) continue;
    one.index = index;
    byIndex[index] = one;
  }
  return byIndex.filter((one) => one !== undefined);
}
