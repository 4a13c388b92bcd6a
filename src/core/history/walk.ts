import type { Commit, Person } from './commit.ts';
import { Graph, type PackedGraph } from './graph.ts';
import type { Meaning } from './meaning.ts';
import { type ReadingRules, readCommit } from './read-commit.ts';
import { type NamedCounts, type PackedSayings, Sayings } from './sayings.ts';

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

/** What a walk needs to know to read commits, and what it gives of them. */
export type WalkRules = ReadingRules & { readonly keepOthers: boolean };

/** Commits of a walk as bytes, in the order in which they were put: what the next survey need not read from git again. */
export type PackedCommits = { readonly graph: PackedGraph; readonly sayings: PackedSayings };

/** What history says, read once, commit by commit: the graph of all, the meaning of those that touch a package. */
export class Walk {
  readonly graph = new Graph();
  readonly #sayings = new Sayings();
  readonly #rules: WalkRules;

  constructor(rules: WalkRules) {
    this.#rules = rules;
  }

  /** Reads a commit and puts it at the end. @throws AMEND_AMBIGUOUS */
  add(commit: Commit): void {
    const read = readCommit(commit, this.#rules);
    this.graph.add(read.id, read.parents);
    this.#sayings.add(read);
  }

  /** Puts commits that an earlier walk packed at the end: its parts in the order in which they were packed, before any other commit. */
  putPacked({ graph, sayings }: PackedCommits): void {
    this.graph.addPacked(graph);
    this.#sayings.put(sayings);
  }

  /** Commits from one place up to another, for a later walk. @param before what the parts before this one name. */
  pack(from: number, to: number, before: NamedCounts): PackedCommits {
    return { graph: this.graph.pack(from, to), sayings: this.#sayings.pack(from, to, before) };
  }

  /** How many people, lists of packages and kinds the commits name. */
  get named(): NamedCounts {
    return this.#sayings.named;
  }

  /**
   * Ends the walk: what was put counts as far as it is reachable from one commit and not from another, in topological order.
   * @param without null for none.
   */
  arrange(head: string, without: string | null): void {
    this.#sayings.arrange(this.graph.arrange(head, without));
  }

  /** In topological order, children first; each is made when it is asked for. */
  *touching(): Generator<TouchingCommit> {
    for (let index = 0; index < this.graph.size; index++)
      if (this.#sayings.touchesAny(index)) yield new PackedCommit(index, this.#sayings);
  }

  /** Of the touching commits at least those that refer to something. */
  *referring(): Generator<TouchingCommit> {
    for (let index = 0; index < this.graph.size; index++)
      if (this.#sayings.mayRefer(index)) yield new PackedCommit(index, this.#sayings);
  }

  /** Commits that touch no package, where they are wanted. */
  get others(): readonly OtherCommit[] {
    if (!this.#rules.keepOthers) return [];
    const others: OtherCommit[] = [];
    for (let index = 0; index < this.graph.size; index++) {
      if (this.#sayings.touchesAny(index)) continue;
      const [id, subject] = [this.graph.idOf(index), this.#sayings.subject(index)];
      others.push({ index, id, subject, isMerge: this.graph.parentIds(index).length > 1 });
    }
    return others;
  }

  /** What is worth saying of how commits were read. */
  get notes(): string[] {
    const notes: string[] = [];
    for (let index = 0; index < this.graph.size; index++) {
      if (!this.#sayings.hasNote(index)) continue;
      const { isCut, extra } = this.#sayings.note(index);
      const short = this.graph.idOf(index).slice(0, 7);
      if (isCut) notes.push(`the message of ${short} is very long; only its beginning was read`);
      if (extra !== null)
        notes.push(`${short} records a release and also changes ${extra}, so it counts like every commit`);
    }
    return notes;
  }

  touchingAt(index: number): TouchingCommit | null {
    return index < this.graph.size && this.#sayings.touchesAny(index) ? new PackedCommit(index, this.#sayings) : null;
  }

  /** Ids that messages refer to and the walk does not hold: git has to say what they are. */
  openReferences(): string[] {
    const open = new Set<string>();
    for (const { meaning } of this.referring()) {
      const { pickedFrom, reverts } = meaning.references;
      for (const id of [...pickedFrom, ...reverts.map(({ commit }) => commit)])
        if (this.graph.indexOfPrefix(id) === null) open.add(id);
    }
    return [...open];
  }
}

/** A commit whose parts are read from the walk only when they are needed. */
class PackedCommit implements TouchingCommit {
  readonly index: number;
  readonly #sayings: Sayings;
  #meaning: Meaning | null = null;

  constructor(index: number, sayings: Sayings) {
    this.index = index;
    this.#sayings = sayings;
  }

  get author(): Person {
    return this.#sayings.author(this.index);
  }

  get touched(): readonly number[] {
    return this.#sayings.touched(this.index);
  }

  get meaning(): Meaning {
    this.#meaning ??= this.#sayings.meaning(this.index);
    return this.#meaning;
  }

  get isRecord(): boolean {
    return this.#sayings.isRecord(this.index);
  }
}
