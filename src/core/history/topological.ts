/** Commits by their places in a list, and the places of their parents, one commit after the other. */
export type ParentTable = {
  readonly size: number;
  /** Where each commit's parents begin, and behind the last one where they end. */
  readonly starts: Int32Array;
  /** -1 for a parent that is not in the list. */
  readonly parents: Int32Array;
};

/**
 * The commits reachable from one and not from another, in the order of `git log --topo-order`: children before parents, and
 * after a merge first all that its last parent brought in. The order follows from the graph alone, so what git printed earlier
 * and what it prints now can be put together, and git can print a long history in whatever order is quickest.
 * @param without null for none.
 * @returns places, the new first one first.
 */
export function topologicalOrder(table: ParentTable, head: number, without: number | null): Int32Array {
  const { size, starts, parents } = table;
  const isOut = without === null ? new Uint8Array(size) : reachableFrom(table, without);
  /** 1 + children that were not given yet; 0 for a commit that does not count. */
  const waits = new Int32Array(size);
  const open: number[] = [];
  if (isOut[head] === 0) {
    waits[head] = 1;
    open.push(head);
  }
  for (let place = open.pop(); place !== undefined; place = open.pop()) {
    for (let at = starts[place] ?? 0; at < (starts[place + 1] ?? 0); at++) {
      const parent = parents[at] ?? -1;
      if (parent < 0 || isOut[parent] === 1) continue;
      if (waits[parent] === 0) {
        waits[parent] = 1;
        open.push(parent);
      }
      waits[parent] = (waits[parent] ?? 0) + 1;
    }
  }
  const order = new Int32Array(size);
  let count = 0;
  if (waits[head] === 1) open.push(head);
  for (let place = open.pop(); place !== undefined; place = open.pop()) {
    order[count++] = place;
    for (let at = starts[place] ?? 0; at < (starts[place + 1] ?? 0); at++) {
      const parent = parents[at] ?? -1;
      if (parent < 0 || isOut[parent] === 1) continue;
      const left = (waits[parent] ?? 0) - 1;
      waits[parent] = left;
      if (left === 1) open.push(parent);
    }
  }
  return order.subarray(0, count);
}

function reachableFrom({ size, starts, parents }: ParentTable, start: number): Uint8Array {
  const marks = new Uint8Array(size);
  marks[start] = 1;
  const open = [start];
  for (let place = open.pop(); place !== undefined; place = open.pop()) {
    for (let at = starts[place] ?? 0; at < (starts[place + 1] ?? 0); at++) {
      const parent = parents[at] ?? -1;
      if (parent < 0 || marks[parent] === 1) continue;
      marks[parent] = 1;
      open.push(parent);
    }
  }
  return marks;
}
