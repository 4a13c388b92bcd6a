/**
 * The commits of a graph divided into chains: from a commit to its first parent, as long as no other chain holds that
 * parent. On one chain the order answers whether a commit reaches another; between chains only the few edges that lead
 * from one to another are followed.
 */
export class Chains {
  readonly #chainOf: Int32Array;
  /** By chain: the edges that leave it, in the order of the commits that they start from. */
  readonly #edges: Edge[][] = [];

  /** @param parents of a commit, by index, children first. */
  constructor(size: number, parents: (index: number) => readonly number[]) {
    this.#chainOf = new Int32Array(size).fill(-1);
    for (let index = 0; index < size; index++) {
      if (this.#chain(index) < 0) this.#chainOf[index] = this.#edges.push([]) - 1;
      const chain = this.#chain(index);
      for (const [place, parent] of parents(index).entries()) {
        if (place === 0 && this.#chain(parent) < 0) this.#chainOf[parent] = chain;
        else this.#edges[chain]?.push({ from: index, to: parent });
      }
    }
  }

  /** Whether a commit reaches another through its parents; every commit reaches itself. */
  reaches(from: number, to: number): boolean {
    /** By chain: the first commit of it that was reached. */
    const reached = new Map<number, number>();
    const open = [from];
    for (let index = open.pop(); index !== undefined; index = open.pop()) {
      const chain = this.#chain(index);
      const before = reached.get(chain) ?? Number.POSITIVE_INFINITY;
      if (index > to || before <= index) continue;
      if (chain === this.#chain(to)) return true;
      reached.set(chain, index);
      const edges = this.#edges[chain] ?? [];
      for (let at = firstFrom(edges, index); at < edges.length; at++) {
        const edge = edges[at];
        // Parents come after their children, so an edge that starts behind the commit cannot lead to it.
        if (edge === undefined || edge.from >= Math.min(before, to)) break;
        open.push(edge.to);
      }
    }
    return false;
  }

  #chain(index: number): number {
    return this.#chainOf[index] ?? -1;
  }
}

type Edge = { readonly from: number; readonly to: number };

/** The place of the first edge that starts at a commit or after it. */
function firstFrom(edges: readonly Edge[], index: number): number {
  let [low, high] = [0, edges.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((edges[middle]?.from ?? 0) < index) low = middle + 1;
    else high = middle;
  }
  return low;
}
