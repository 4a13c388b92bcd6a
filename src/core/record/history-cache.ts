import { createHash } from 'node:crypto';
import { areRowsSound, type NamedCounts, type NamedValues, rowWidth } from '../history/sayings.ts';
import type { PackedCommits } from '../history/walk.ts';
import { format } from './parse-record.ts';

/**
 * Commits that were read for a survey, so that the next one need not read them again: all that are reachable from `tips` and
 * not from `end`. What a commit is to a workspace follows from its id and from the key of the cache alone.
 */
export type HistoryCache = {
  /** Null when nothing was left out. */
  readonly end: string | null;
  readonly tips: readonly string[];
  readonly parts: readonly PackedCommits[];
  /** How many surveys added to it. */
  readonly sections: number;
  /** Whether all of the file counts: behind what does not, nothing would be read that is added. */
  readonly isWhole: boolean;
};

/** What all that is remembered of a commit depends on: the program to the byte, packages, configuration, and the order of bytes here. */
export function historyCacheKey(build: string, facts: unknown): string {
  const [first = 0] = new Uint8Array(Uint16Array.of(1).buffer);
  return createHash('sha256')
    .update(`${build}\0${first}\0${JSON.stringify(facts)}`)
    .digest('hex');
}

/** The first line of a cache. */
export function formatCacheStart(key: string, end: string | null): Buffer {
  return sealed({ schema: format, key, end }, []);
}

/** Some of the commits of one survey. */
export function formatCachePart({ graph, sayings }: PackedCommits): Buffer {
  const bytes = [graph.ids, bytesOf(graph.parentCounts), graph.parentIds, bytesOf(sayings.rows), sayings.texts];
  const { fresh, before } = sayings;
  const head: PartHead = { idBytes: graph.idBytes, lengths: bytes.map(({ length }) => length), fresh, before };
  return sealed(head, bytes);
}

/**
 * What ends the parts of one survey; without it none of them counts.
 * @param base the tips that were known before: with their commits nothing behind the new tip is missing.
 * @param count how many commits the parts have.
 */
export function formatCacheTip(tip: string, base: readonly string[], count: number): Buffer {
  return sealed({ tip, base, count }, []);
}

type PartHead = {
  readonly idBytes: number;
  /** Of what follows: ids, numbers of parents, ids of parents, rows, texts. */
  readonly lengths: readonly number[];
  readonly fresh: NamedValues;
  readonly before: NamedCounts;
};

/**
 * Reads a cache; what stands behind a damaged part is not used.
 * @returns null for one with another key, or that is no cache.
 */
export function parseHistoryCache(bytes: Uint8Array, key: string): HistoryCache | null {
  const reader = new Reader(bytes);
  const start = reader.next()?.head as { schema?: unknown; key?: unknown; end?: unknown } | undefined;
  if (start === undefined || start.schema !== format || start.key !== key) return null;
  const tips: string[] = [];
  const parts: PackedCommits[] = [];
  let sections = 0;
  let open: PackedCommits[] = [];
  let named: NamedCounts = { people: 0, lists: 0, kinds: 0 };
  let isWhole = false;
  for (;;) {
    const one = reader.next();
    if (one === null) {
      isWhole = reader.isAtEnd && open.length === 0;
      break;
    }
    if (!('tip' in one.head)) {
      const part = toPart(one.head as PartHead, one.bytes);
      if (part === null || !areSame(part.sayings.before, named)) break;
      named = after(part.sayings);
      open.push(part);
      continue;
    }
    const { tip, base, count } = one.head as { tip: string; base: readonly string[]; count: number };
    const found = open.reduce((sum, { graph }) => sum + graph.parentCounts.length, 0);
    // Another survey began with a cache that this one is not.
    if (count !== found || !base.every((id) => tips.includes(id))) break;
    tips.push(tip);
    for (const part of open) parts.push(part);
    sections++;
    open = [];
  }
  return sections === 0 ? null : { end: (start.end as string | null) ?? null, tips, parts, sections, isWhole };
}

/** A part as it was packed; null for one that cannot have been. */
function toPart({ idBytes, lengths, fresh, before }: PartHead, bytes: Uint8Array): PackedCommits | null {
  let end = 0;
  const [ids, counts, parentIds, rows, texts] = lengths.map((length) => {
    end += length;
    return bytes.subarray(end - length, end);
  });
  if (ids === undefined || counts === undefined || parentIds === undefined) return null;
  if (rows === undefined || texts === undefined || end !== bytes.length) return null;
  const graph = { idBytes, ids, parentCounts: numbersOf(counts), parentIds };
  const sayings = { rows: numbersOf(rows), texts, fresh, before };
  const { length } = graph.parentCounts;
  const parents = graph.parentCounts.reduce((sum, count) => sum + count, 0);
  const isWhole =
    counts.length === length * 4 &&
    ids.length === length * idBytes &&
    parentIds.length === parents * idBytes &&
    rows.length === length * rowWidth * 4;
  return isWhole && areRowsSound(sayings) ? { graph, sayings } : null;
}

function after({ fresh, before }: PackedCommits['sayings']): NamedCounts {
  return {
    people: before.people + fresh.people.length,
    lists: before.lists + fresh.lists.length,
    kinds: before.kinds + fresh.kinds.length,
  };
}

function areSame(one: NamedCounts, other: NamedCounts): boolean {
  return one.people === other.people && one.lists === other.lists && one.kinds === other.kinds;
}

function bytesOf({ buffer, byteOffset, byteLength }: Int32Array): Uint8Array {
  return new Uint8Array(buffer, byteOffset, byteLength);
}

/** A copy, since numbers must lie at a multiple of their size. */
function numbersOf(bytes: Uint8Array): Int32Array {
  const numbers = new Int32Array(Math.floor(bytes.length / 4));
  bytesOf(numbers).set(bytes.subarray(0, numbers.byteLength));
  return numbers;
}

/** So many digits of a digest tell what a disk, or a process that was killed, left damaged. */
const digits = 16;
const lengthDigits = 10;

/** A line with a checksum of all that follows it, the length of the JSON and of the bytes, and the JSON; then the bytes. */
function sealed(head: object, bytes: readonly Uint8Array[]): Buffer {
  const text = Buffer.from(JSON.stringify(head));
  const length = bytes.reduce((sum, one) => sum + one.length, 0);
  const lengths = [text.length, length].map((one) => String(one).padStart(lengthDigits, '0')).join(' ');
  const rest = Buffer.concat([Buffer.from(`${lengths} `), text, Buffer.from('\n'), ...bytes]);
  return Buffer.concat([Buffer.from(checksum(rest)), rest]);
}

class Reader {
  readonly #bytes: Buffer;
  #at = 0;

  constructor({ buffer, byteOffset, length }: Uint8Array) {
    this.#bytes = Buffer.from(buffer, byteOffset, length);
  }

  get isAtEnd(): boolean {
    return this.#at === this.#bytes.length;
  }

  /** Null at the end, and at what is damaged. */
  next(): { readonly head: object; readonly bytes: Uint8Array } | null {
    const bytes = this.#bytes.subarray(this.#at);
    const [at, second] = [digits, digits + lengthDigits + 1];
    const start = second + lengthDigits + 1;
    const headLength = Number(bytes.toString('latin1', at, at + lengthDigits));
    const end = start + headLength + 1 + Number(bytes.toString('latin1', second, second + lengthDigits));
    if (!(end <= bytes.length)) return null;
    if (bytes.toString('latin1', 0, digits) !== checksum(bytes.subarray(at, end))) return null;
    this.#at += end;
    const head = parsed(bytes.toString('utf8', start, start + headLength));
    return head === null ? null : { head, bytes: bytes.subarray(start + headLength + 1, end) };
  }
}

function parsed(text: string): object | null {
  try {
    const value: unknown = JSON.parse(text);
    return typeof value === 'object' ? value : null;
  } catch {
    return null;
  }
}

/** Detects damage, not forgery: the file is as trusted as its repository, and SHA-1 takes half the time of SHA-256. */
function checksum(bytes: Uint8Array): string {
  return createHash('sha1').update(bytes).digest('hex').slice(0, digits);
}
