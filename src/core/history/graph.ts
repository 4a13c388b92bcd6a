/**
 * The commits of a walk in topological order, children first, in a form that takes little memory.
 * Parents outside the walk are dropped.
 */
export class Graph {
  readonly ids: string[] = [];
  readonly #index = new Map<string, number>();
  readonly #parentIds: (readonly string[])[] = [];
  #parents: (readonly number[])[] | null = null;

  /** @returns the index of the commit: 0 for the first given, one more for each after it. */
  add(id: string, parents: readonly string[]): number {
    const index = this.ids.push(id) - 1;
    this.#index.set(id, index);
    this.#parentIds.push(parents);
    return index;
  }

  get size(): number {
    return this.ids.length;
  }

  indexOf(id: string): number | null {
    return this.#index.get(id) ?? null;
  }

  /** The index of the only commit whose id begins so; null when there is none or more than one. */
  indexOfPrefix(prefix: string): number | null {
    const exact = this.#index.get(prefix);
    if (exact !== undefined || prefix.length >= 40) return exact ?? null;
    const found = this.ids.flatMap((id, index) => (id.startsWith(prefix) ? [index] : []));
    return found.length === 1 ? (found[0] ?? null) : null;
  }

  /** Ids of all parents, inside the walk or not. */
  parentIds(index: number): readonly string[] {
    return this.#parentIds[index] ?? [];
  }

  /** Indexes of the parents inside the walk; call only after the last add. */
  parents(index: number): readonly number[] {
    this.#parents ??= this.#parentIds.map((ids) =>
      ids.map((id) => this.#index.get(id)).filter((parent) => parent !== undefined),
    );
    return this.#parents[index] ?? [];
  }

  /** Whether a commit reaches another through its parents; looks no further than topological order demands. */
  reaches(from: number, to: number): boolean {
    const seen = new Set([from]);
    const open = [from];
    while (open.length > 0) {
      const index = open.pop() ?? 0;
      if (index === to) return true;
      for (const parent of this.parents(index)) {
        if (parent > to || seen.has(parent)) continue;
        seen.add(parent);
        open.push(parent);
      }
    }
    return false;
  }

  /** Marks the commits reachable from these, themselves included: one byte per commit. */
  reachable(from: Iterable<number>): Uint8Array {
    const marks = new Uint8Array(this.size);
    const open = [...from];
    for (const index of open) marks[index] = 1;
    while (open.length > 0) {
      for (const parent of this.parents(open.pop() ?? 0)) {
        if (marks[parent] === 1) continue;
        marks[parent] = 1;
        open.push(parent);
      }
    }
    return marks;
  }

  /**
   * For several sets of starting points at once: which sets reach each commit. One pass, since children come first.
   * @returns `words` 32-bit words per commit; bit s of a commit is set when set s reaches it.
   */
  carry(sets: readonly (readonly number[])[]): { readonly words: number; readonly bits: Uint32Array } {
    const words = Math.max(1, Math.ceil(sets.length / 32));
    const bits = new Uint32Array(this.size * words);
    for (const [set, starts] of sets.entries()) {
      for (const start of starts)
        bits[start * words + (set >> 5)] = (bits[start * words + (set >> 5)] ?? 0) | (1 << (set & 31));
    }
    for (let index = 0; index < this.size; index++) {
      for (const parent of this.parents(index)) {
        for (let word = 0; word < words; word++) {
          bits[parent * words + word] = (bits[parent * words + word] ?? 0) | (bits[index * words + word] ?? 0);
        }
      }
    }
    return { words, bits };
  }
}

/** Whether set s of a carry reaches the commit. */
export function isReached(
  carried: { readonly words: number; readonly bits: Uint32Array },
  index: number,
  set: number,
): boolean {
  return (((carried.bits[index * carried.words + (set >> 5)] ?? 0) >>> (set & 31)) & 1) === 1;
}
