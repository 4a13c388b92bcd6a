import { Chains } from './chains.ts';
import { type ParentTable, topologicalOrder } from './topological.ts';

/** The fewest digits of a shortened id that are looked up: git's own shortest. */
const shortestPrefix = 7;

/** The digits of an id that decide on its slot. */
const slotDigits = 8;

/**
 * The commits of a walk in a form that takes few bytes each: a hundred thousand commits fit into a few megabytes. They are added
 * in any order; `arrange` puts them into topological order, children first, on which all other questions rely. Parents outside
 * the walk are kept as such.
 */
export class Graph {
  readonly #ids = new IdTable();
  /** Ids of all parents, commit after commit, and where each commit's begin. */
  readonly #parentIds = new IdTable();
  #parentStarts = new Int32Array(1024);
  /** 1 + index of a commit, by the first bytes of its id: open addressing. */
  #slots = new Int32Array(4096);
  #parents: Int32Array | null = null;
  #chains: Chains | null = null;

  /** Ids of parents that are not among the commits, each once. */
  unknownParents(): string[] {
    const { parents } = this.#table();
    const ids = new Set<string>();
    for (const [at, parent] of parents.entries()) if (parent < 0) ids.add(this.#parentIds.get(at));
    return [...ids];
  }

  /** @returns the index of the commit: 0 for the first given, one more for each after it. */
  add(id: string, parents: readonly string[]): number {
    const index = this.#ids.push(id);
    for (const parent of parents) this.#parentIds.push(parent);
    if (index + 2 > this.#parentStarts.length) this.#parentStarts = grown(this.#parentStarts);
    this.#parentStarts[index + 1] = this.#parentIds.size;
    if (this.#ids.size * 2 > this.#slots.length) this.#rehash();
    else this.#slots[this.#slotAt(this.#ids, index)] = index + 1;
    return index;
  }

  /** Adds commits that another graph packed, one after the other. */
  addPacked({ idBytes, ids, parentCounts, parentIds }: PackedGraph): void {
    const before = this.size;
    this.#ids.append(ids, idBytes);
    let end = this.#parentIds.size;
    this.#parentIds.append(parentIds, idBytes);
    while (this.size + 2 > this.#parentStarts.length) this.#parentStarts = grown(this.#parentStarts);
    for (let index = before; index < this.size; index++) {
      end += parentCounts[index - before] ?? 0;
      this.#parentStarts[index + 1] = end;
    }
    if (this.size * 2 > this.#slots.length) this.#rehash();
    else this.#fillSlots(before);
  }

  /** The ids and parents of some commits, by their places. */
  pack(from: number, to: number): PackedGraph {
    const parentCounts = new Int32Array(to - from);
    const [start, end] = [this.#parentStarts[from] ?? 0, this.#parentStarts[to] ?? 0];
    for (let index = from; index < to; index++)
      parentCounts[index - from] = (this.#parentStarts[index + 1] ?? 0) - (this.#parentStarts[index] ?? 0);
    const { idBytes } = this.#ids;
    return { idBytes, ids: this.#ids.slice(from, to), parentCounts, parentIds: this.#parentIds.slice(start, end) };
  }

  /**
   * Keeps the commits reachable from one and not from another, in topological order. Of two with one id the last is kept.
   * @param without null for none, or for one that was not added.
   * @returns the index that each of them had before. Empty when the head was not added.
   */
  arrange(headId: string, without: string | null): Int32Array {
    const head = this.indexOf(headId);
    const table = this.#table();
    const end = without === null ? null : this.indexOf(without);
    const order = head === null ? new Int32Array(0) : topologicalOrder(table, head, end);
    this.#ids.arrange(order);
    const places = new Int32Array(table.size).fill(-1);
    const starts = new Int32Array(order.length + 2);
    for (let index = 0; index < order.length; index++) {
      const old = order[index] ?? 0;
      places[old] = index;
      starts[index + 1] = (starts[index] ?? 0) + (table.starts[old + 1] ?? 0) - (table.starts[old] ?? 0);
    }
    const edges = new Int32Array(starts[order.length] ?? 0);
    const parents = new Int32Array(edges.length);
    for (let index = 0, at = 0; index < order.length; index++) {
      const old = order[index] ?? 0;
      for (let from = table.starts[old] ?? 0; from < (table.starts[old + 1] ?? 0); from++, at++) {
        edges[at] = from;
        const parent = table.parents[from] ?? -1;
        parents[at] = parent < 0 ? -1 : (places[parent] ?? -1);
      }
    }
    this.#parentIds.arrange(edges);
    this.#parentStarts = starts;
    this.#parents = parents;
    this.#chains = null;
    this.#slots.fill(0);
    this.#fillSlots(0);
    return order;
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

  /**
   * The index of the only commit whose id begins so; null when there is none, more than one, or less than seven digits are
   * given. Ids with the same first digits lie in the same run of slots, so only those are compared.
   */
  indexOfPrefix(prefix: string): number | null {
    if (prefix.length < shortestPrefix) return null;
    let found: number | null = null;
    for (const start of slotStarts(prefix)) {
      for (const index of this.#indexesFrom(this.#home(start))) {
        if (index === found || !this.#ids.startsWith(index, prefix)) continue;
        if (found !== null) return null;
        found = index;
      }
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
    const { parents } = this.#table();
    const found: number[] = [];
    for (let at = this.#parentStarts[index] ?? 0; at < (this.#parentStarts[index + 1] ?? 0); at++) {
      const parent = parents[at] ?? -1;
      if (parent >= 0) found.push(parent);
    }
    return found;
  }

  /** Whether a commit reaches another through its parents; call only after the last add. */
  reaches(from: number, to: number): boolean {
    this.#chains ??= new Chains(this.size, (index) => this.parents(index));
    return this.#chains.reaches(from, to);
  }

  /**
   * The commits that are reachable from one and not from another, in topological order: what a merge brought in. Looks at
   * no commit behind the last of them.
   * @param without null for none.
   */
  reachableOnly(from: number, without: number | null): number[] {
    const found: number[] = [];
    /** Whether a commit is also reachable from `without`. */
    const isShared = new Map<number, boolean>([[from, false]]);
    if (without !== null) isShared.set(without, true);
    let open = isShared.get(from) === false ? 1 : 0;
    for (let index = Math.min(from, without ?? from); open > 0; index++) {
      const shared = isShared.get(index);
      if (shared === undefined) continue;
      isShared.delete(index);
      if (!shared) {
        open--;
        found.push(index);
      }
      for (const parent of this.parents(index)) {
        const before = isShared.get(parent);
        if (before === undefined && !shared) open++;
        if (before === false && shared) open--;
        isShared.set(parent, shared || before === true);
      }
    }
    return found;
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

  #table(): ParentTable {
    if (this.#parents === null) {
      this.#parents = new Int32Array(this.#parentIds.size);
      for (let at = 0; at < this.#parents.length; at++)
        this.#parents[at] = (this.#slots[this.#slotAt(this.#parentIds, at)] ?? 0) - 1;
    }
    return { size: this.size, starts: this.#parentStarts, parents: this.#parents };
  }

  /** The slot that holds the id, or the free one where it would go. */
  #slotOf(id: string): number {
    const mask = this.#slots.length - 1;
    let slot = this.#home(id);
    for (let held = this.#slots[slot] ?? 0; held !== 0; held = this.#slots[slot] ?? 0) {
      if (this.#ids.is(held - 1, id)) return slot;
      slot = (slot + 1) & mask;
    }
    return slot;
  }

  /** The same for an id of a table, which need not become a text for it. */
  #slotAt(table: IdTable, index: number): number {
    const mask = this.#slots.length - 1;
    let slot = table.firstDigits(index) & mask;
    for (let held = this.#slots[slot] ?? 0; held !== 0; held = this.#slots[slot] ?? 0) {
      if (this.#ids.isSame(held - 1, table, index)) return slot;
      slot = (slot + 1) & mask;
    }
    return slot;
  }

  /** The slot where the search for an id begins. */
  #home(id: string): number {
    return Number.parseInt(id.slice(0, slotDigits), 16) & (this.#slots.length - 1);
  }

  /** The commits in the run of taken slots that begins there. */
  *#indexesFrom(home: number): Generator<number> {
    const mask = this.#slots.length - 1;
    for (let slot = home; (this.#slots[slot] ?? 0) !== 0; slot = (slot + 1) & mask) yield (this.#slots[slot] ?? 0) - 1;
  }

  #rehash(): void {
    let length = this.#slots.length * 2;
    while (this.size * 2 > length) length *= 2;
    this.#slots = new Int32Array(length);
    this.#fillSlots(0);
  }

  /** Gives slots to all commits from one on. */
  #fillSlots(from: number): void {
    for (let index = from; index < this.size; index++) this.#slots[this.#slotAt(this.#ids, index)] = index + 1;
  }
}

/** Commits with their parents as bytes. */
export type PackedGraph = {
  /** Bytes of one object id. */
  readonly idBytes: number;
  readonly ids: Uint8Array;
  /** How many parents each commit has, and the ids of all, commit after commit. */
  readonly parentCounts: Int32Array;
  readonly parentIds: Uint8Array;
};

/** Object ids of one length, as bytes one after the other. */
class IdTable {
  #bytes = Buffer.alloc(32 * 1024);
  #idBytes = 20;
  size = 0;

  get idBytes(): number {
    return this.#idBytes;
  }

  push(id: string): number {
    if (this.size === 0) this.#idBytes = id.length / 2;
    const index = this.size++;
    this.#reserve();
    this.#bytes.write(id, index * this.#idBytes, 'hex');
    return index;
  }

  append(ids: Uint8Array, idBytes: number): void {
    this.#idBytes = idBytes;
    const start = this.size * idBytes;
    this.size += ids.length / idBytes;
    this.#reserve();
    this.#bytes.set(ids, start);
  }

  /** The bytes of some of them. */
  slice(from: number, to: number): Uint8Array {
    return this.#bytes.subarray(from * this.#idBytes, to * this.#idBytes);
  }

  #reserve(): void {
    const needed = this.size * this.#idBytes;
    if (needed <= this.#bytes.length) return;
    const larger = Buffer.alloc(Math.max(needed, this.#bytes.length * 2));
    this.#bytes.copy(larger);
    this.#bytes = larger;
  }

  /** Keeps those of these places, in this order. */
  arrange(order: Int32Array): void {
    const bytes = Buffer.alloc(Math.max(1, order.length) * this.#idBytes);
    let to = 0;
    for (let index = 0; index < order.length; index++) {
      const from = (order[index] ?? 0) * this.#idBytes;
      // So few bytes are copied faster one by one.
      for (let at = from; at < from + this.#idBytes; at++) bytes[to++] = this.#bytes[at] ?? 0;
    }
    this.#bytes = bytes;
    this.size = order.length;
  }

  get(index: number): string {
    return this.#bytes.toString('hex', index * this.#idBytes, (index + 1) * this.#idBytes);
  }

  /** The digits that decide on a slot, as a number. */
  firstDigits(index: number): number {
    return this.#bytes.readUInt32BE(index * this.#idBytes);
  }

  /** Whether an id here is one of another table. */
  isSame(index: number, other: IdTable, otherIndex: number): boolean {
    const [start, otherStart] = [index * this.#idBytes, otherIndex * other.#idBytes];
    if (this.#idBytes !== other.#idBytes) return false;
    for (let at = 0; at < this.#idBytes; at++)
      if (this.#bytes[start + at] !== other.#bytes[otherStart + at]) return false;
    return true;
  }

  is(index: number, id: string): boolean {
    return id.length === this.#idBytes * 2 && this.startsWith(index, id);
  }

  startsWith(index: number, prefix: string): boolean {
    if (prefix.length > this.#idBytes * 2) return false;
    for (let digit = 0; digit < prefix.length; digit++) {
      const byte = this.#bytes[index * this.#idBytes + (digit >> 1)] ?? 0;
      if (hexValue(prefix.charCodeAt(digit)) !== (digit % 2 === 0 ? byte >> 4 : byte & 15)) return false;
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

/** All beginnings of ids with a prefix that are long enough to decide on a slot. */
function slotStarts(prefix: string): string[] {
  const missing = Math.max(0, slotDigits - prefix.length);
  if (missing === 0) return [prefix];
  return Array.from({ length: 16 ** missing }, (_, rest) => prefix + rest.toString(16).padStart(missing, '0'));
}

function hexValue(code: number): number {
  return code < 58 ? code - 48 : code - 87;
}
