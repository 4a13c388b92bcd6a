/**
 * The commits of a walk in topological order, children first, in a form that takes few bytes each: a hundred thousand
 * commits fit into a few megabytes. Parents outside the walk are kept as such.
 */
export class Graph {
  readonly #ids = new IdTable();
  /** Ids of all parents, commit after commit, and where each commit's begin. */
  readonly #parentIds = new IdTable();
  #parentStarts = new Int32Array(1024);
  /** 1 + index of a commit, by the first bytes of its id: open addressing. */
  #slots = new Int32Array(4096);
  #parents: Int32Array | null = null;

  /** @returns the index of the commit: 0 for the first given, one more for each after it. */
  add(id: string, parents: readonly string[]): number {
    const index = this.#ids.push(id);
    for (const parent of parents) this.#parentIds.push(parent);
    if (index + 2 > this.#parentStarts.length) this.#parentStarts = grown(this.#parentStarts);
    this.#parentStarts[index + 1] = this.#parentIds.size;
    if (this.#ids.size * 2 > this.#slots.length) this.#rehash();
    else this.#slots[this.#slotOf(id)] = index + 1;
    return index;
  }

  get size(): number {
    return this.#ids.size;
  }

  /** The full id of a commit. */
  idOf(index: number): string {
    return this.#ids.get(index);
  }

  indexOf(id: string): number | null {
    const found = this.#slots[this.#slotOf(id)] ?? 0;
    return found === 0 ? null : found - 1;
  }

  /** The index of the only commit whose id begins so; null when there is none or more than one. */
  indexOfPrefix(prefix: string): number | null {
    if (prefix.length >= 40) return this.indexOf(prefix);
    let found: number | null = null;
    for (let index = 0; index < this.size; index++) {
      if (!this.idOf(index).startsWith(prefix)) continue;
      if (found !== null) return null;
      found = index;
    }
    return found;
  }

  /** Ids of all parents, inside the walk or not. */
  parentIds(index: number): string[] {
    const ids: string[] = [];
    for (let at = this.#parentStarts[index] ?? 0; at < (this.#parentStarts[index + 1] ?? 0); at++)
      ids.push(this.#parentIds.get(at));
    return ids;
  }

  /** Indexes of the parents inside the walk; call only after the last add. */
  parents(index: number): number[] {
    this.#parents ??= Int32Array.from(
      { length: this.#parentIds.size },
      (_, at) => this.indexOf(this.#parentIds.get(at)) ?? -1,
    );
    const found: number[] = [];
    for (let at = this.#parentStarts[index] ?? 0; at < (this.#parentStarts[index + 1] ?? 0); at++) {
      const parent = this.#parents[at] ?? -1;
      if (parent >= 0) found.push(parent);
    }
    return found;
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
  carry(sets: readonly (readonly number[])[]): Carried {
    const words = Math.max(1, Math.ceil(sets.length / 32));
    const bits = new Uint32Array(this.size * words);
    let isEmpty = true;
    for (const [set, starts] of sets.entries()) {
      for (const start of starts) {
        bits[start * words + (set >> 5)] = (bits[start * words + (set >> 5)] ?? 0) | (1 << (set & 31));
        isEmpty = false;
      }
    }
    for (let index = 0; index < this.size && !isEmpty; index++) {
      for (const parent of this.parents(index)) {
        for (let word = 0; word < words; word++) {
          bits[parent * words + word] = (bits[parent * words + word] ?? 0) | (bits[index * words + word] ?? 0);
        }
      }
    }
    return { words, bits };
  }

  /** The slot that holds the id, or the free one where it would go. */
  #slotOf(id: string): number {
    const mask = this.#slots.length - 1;
    let slot = Number.parseInt(id.slice(0, 8), 16) & mask;
    for (let held = this.#slots[slot] ?? 0; held !== 0; held = this.#slots[slot] ?? 0) {
      if (this.#ids.is(held - 1, id)) return slot;
      slot = (slot + 1) & mask;
    }
    return slot;
  }

  #rehash(): void {
    this.#slots = new Int32Array(this.#slots.length * 2);
    for (let index = 0; index < this.size; index++) this.#slots[this.#slotOf(this.idOf(index))] = index + 1;
  }
}

/** Object ids of one length, as bytes one after the other. */
class IdTable {
  #bytes = Buffer.alloc(32 * 1024);
  #idBytes = 20;
  size = 0;

  push(id: string): number {
    if (this.size === 0) this.#idBytes = id.length / 2;
    const index = this.size++;
    if (this.size * this.#idBytes > this.#bytes.length) {
      const larger = Buffer.alloc(this.#bytes.length * 2);
      this.#bytes.copy(larger);
      this.#bytes = larger;
    }
    this.#bytes.write(id, index * this.#idBytes, 'hex');
    return index;
  }

  get(index: number): string {
    return this.#bytes.toString('hex', index * this.#idBytes, (index + 1) * this.#idBytes);
  }

  is(index: number, id: string): boolean {
    if (id.length !== this.#idBytes * 2) return false;
    for (let byte = 0; byte < this.#idBytes; byte++) {
      const value = hexValue(id.charCodeAt(byte * 2)) * 16 + hexValue(id.charCodeAt(byte * 2 + 1));
      if (this.#bytes[index * this.#idBytes + byte] !== value) return false;
    }
    return true;
  }
}

function grown(array: Int32Array): Int32Array<ArrayBuffer> {
  const larger = new Int32Array(array.length * 2);
  larger.set(array);
  return larger;
}

/** Which sets of starting points reach each commit; read with isReached. */
export type Carried = { readonly words: number; readonly bits: Uint32Array };

/** Whether set s of a carry reaches the commit. */
export function isReached(carried: Carried, index: number, set: number): boolean {
  return (((carried.bits[index * carried.words + (set >> 5)] ?? 0) >>> (set & 31)) & 1) === 1;
}

function hexValue(code: number): number {
  return code < 58 ? code - 48 : code - 87;
}
