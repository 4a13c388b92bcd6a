import { weights } from '../version/weight.ts';
import type { Person } from './commit.ts';
import type { Item, Meaning } from './meaning.ts';
import type { ReadCommit } from './read-commit.ts';
import { noReferences } from './reference.ts';

/** What commits say, without their ids and parents. */
export type PackedSayings = {
  /** `rowWidth` numbers a commit. */
  readonly rows: Int32Array;
  readonly texts: Uint8Array;
  /** What earlier parts of the same walk do not name. */
  readonly fresh: NamedValues;
  /** How much the earlier parts name. */
  readonly before: NamedCounts;
};

/** Values that many commits share, in the order in which they were first seen: rows name them by their places. */
export type NamedValues = {
  readonly people: readonly Person[];
  /** Indexes of the packages that a commit touches. */
  readonly lists: readonly (readonly number[])[];
  readonly kinds: readonly string[];
};

/** How many of each there are. */
export type NamedCounts = { readonly people: number; readonly lists: number; readonly kinds: number };

/** A row: place of the author, place of the packages, marks, and the text: which block, where it begins, its bytes. */
export const rowWidth = 6;

const hows: readonly Meaning['how'][] = ['amended', 'ignored', 'pattern', 'conventional', 'unmarked'];

// The marks of a commit, by bits: 0 to 2 how, 3 and 4 the weight, then these, and from bit 9 on 1 + the place of its kind.
const touches = 1 << 5;
/** One item that breaks nothing, and no references: the text is its summary, or scope and summary. */
const isPlain = 1 << 6;
const isOwnRecord = 1 << 7;
const hasNote = 1 << 8;
const kindShift = 9;

/** What the text of a commit holds, in JSON, where it is not plain. */
type Saying = readonly [said: string | MeaningRow, isCut: boolean, extra: string | null];

type ItemRow = readonly [
  kind: string | null,
  scope: string | null,
  summary: string,
  breaking: string | null,
  weight: number,
];

type MeaningRow = readonly [how: number, weight: number, items: readonly ItemRow[], references: Meaning['references']];

const blockBytes = 1 << 20;

/**
 * What the commits of a walk say, in a form that takes some hundred bytes each instead of a thousand: a row of numbers, and a text
 * that is parsed only when it is needed. Most questions are answered by the numbers.
 */
export class Sayings {
  #rows = new Int32Array(rowWidth * 256);
  #size = 0;
  readonly #blocks: Uint8Array[] = [];
  /** Of the last block; a block that was put by others is full. */
  #used = blockBytes;
  readonly #people = new Named<Person>(({ name, email }) => `${name}\0${email}`);
  readonly #lists = new Named<readonly number[]>((list) => list.join());
  readonly #kinds = new Named<string>((kind) => kind);

  /** How many values are named so far. */
  get named(): NamedCounts {
    return { people: this.#people.size, lists: this.#lists.size, kinds: this.#kinds.size };
  }

  /** Puts what a commit says at the end. */
  add({ author, touched, meaning, subject, isCut, record }: ReadCommit): void {
    const isShort = !isCut && record === null && (meaning === null || isPlainMeaning(meaning));
    const [item] = meaning?.items ?? [];
    const kind = isShort ? (item?.kind ?? null) : null;
    const text = isShort
      ? item === undefined
        ? subject
        : plainText(item)
      : longText(meaning ?? subject, isCut, record);
    const marks =
      (meaning === null ? 0 : touches | hows.indexOf(meaning.how) | (weights.indexOf(meaning.weight) << 3)) |
      (isShort ? isPlain : 0) |
      (record !== null && record.extra === null ? isOwnRecord : 0) |
      (isCut || (record?.extra ?? null) !== null ? hasNote : 0) |
      (kind === null ? 0 : (this.#kinds.placeOf(kind) + 1) << kindShift);
    this.#reserve(1);
    const at = this.#size++ * rowWidth;
    this.#rows[at] = this.#people.placeOf(author);
    this.#rows[at + 1] = this.#lists.placeOf(touched);
    this.#rows[at + 2] = marks;
    this.#write(JSON.stringify(text), at + 3);
  }

  /** Puts what an earlier walk packed; its `before` must be what is named here. */
  put({ rows, texts, fresh }: PackedSayings): void {
    this.#people.append(fresh.people);
    this.#lists.append(fresh.lists);
    this.#kinds.append(fresh.kinds);
    const block = this.#blocks.push(texts) - 1;
    this.#used = blockBytes;
    const start = this.#size * rowWidth;
    this.#reserve(rows.length / rowWidth);
    this.#rows.set(rows, start);
    this.#size += rows.length / rowWidth;
    for (let at = start + 3; at < this.#size * rowWidth; at += rowWidth) this.#rows[at] = block;
  }

  /** A part of the commits, with the named values that are new since `before`. */
  pack(from: number, to: number, before: NamedCounts): PackedSayings {
    const rows = this.#rows.slice(from * rowWidth, to * rowWidth);
    let bytes = 0;
    for (let at = 5; at < rows.length; at += rowWidth) bytes += rows[at] ?? 0;
    const texts = new Uint8Array(bytes);
    for (let row = 0, start = 0; row < to - from; row++) {
      const text = this.#bytesOf(from + row);
      texts.set(text, start);
      rows[row * rowWidth + 3] = 0;
      rows[row * rowWidth + 4] = start;
      start += text.length;
    }
    const fresh = {
      people: this.#people.from(before.people),
      lists: this.#lists.from(before.lists),
      kinds: this.#kinds.from(before.kinds),
    };
    return { rows, texts, fresh, before };
  }

  /** Keeps those of these places, in this order. */
  arrange(order: Int32Array): void {
    const rows = new Int32Array(Math.max(1, order.length) * rowWidth);
    for (let index = 0; index < order.length; index++) {
      const [to, from] = [index * rowWidth, (order[index] ?? 0) * rowWidth];
      for (let at = 0; at < rowWidth; at++) rows[to + at] = this.#rows[from + at] ?? 0;
    }
    this.#rows = rows;
    this.#size = order.length;
  }

  touchesAny(index: number): boolean {
    return (this.#marks(index) & touches) !== 0;
  }

  /** Whether a commit touches a package and may refer to something: most say so by their marks alone. */
  mayRefer(index: number): boolean {
    return (this.#marks(index) & (touches | isPlain)) === touches;
  }

  hasNote(index: number): boolean {
    return (this.#marks(index) & hasNote) !== 0;
  }

  isRecord(index: number): boolean {
    return (this.#marks(index) & isOwnRecord) !== 0;
  }

  author(index: number): Person {
    return this.#people.at(this.#rows[index * rowWidth] ?? 0);
  }

  touched(index: number): readonly number[] {
    return this.#lists.at(this.#rows[index * rowWidth + 1] ?? 0);
  }

  /** Of a commit that touches a package. */
  meaning(index: number): Meaning {
    const marks = this.#marks(index);
    if ((marks & isPlain) === 0) return meaningOf(this.#saying(index)[0]);
    const kind = marks >>> kindShift;
    return new PlainMeaning(
      marks,
      new PlainItem(kind === 0 ? null : this.#kinds.at(kind - 1), marks, () => this.#text(index)),
    );
  }

  /** The first line of the message of a commit that touches no package. */
  subject(index: number): string {
    return String(this.#isPlain(index) ? this.#text(index) : this.#saying(index)[0]);
  }

  /** Whether only the beginning of the message was read, and what a release's own commit changes beside its files. */
  note(index: number): { readonly isCut: boolean; readonly extra: string | null } {
    const [, isCut, extra] = this.#saying(index);
    return { isCut, extra };
  }

  #marks(index: number): number {
    return this.#rows[index * rowWidth + 2] ?? 0;
  }

  #isPlain(index: number): boolean {
    return (this.#marks(index) & isPlain) !== 0;
  }

  #saying(index: number): Saying {
    return this.#text(index) as Saying;
  }

  #text(index: number): unknown {
    const bytes = this.#bytesOf(index);
    return JSON.parse(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString());
  }

  #bytesOf(index: number): Uint8Array {
    const at = index * rowWidth + 3;
    const [block, start, bytes] = [this.#rows[at] ?? 0, this.#rows[at + 1] ?? 0, this.#rows[at + 2] ?? 0];
    return (this.#blocks[block] ?? new Uint8Array()).subarray(start, start + bytes);
  }

  /** @param at where the row says which text it is. */
  #write(text: string, at: number): void {
    // UTF-8 takes three bytes at most for what is one unit of a text here.
    const most = text.length * 3;
    if (this.#used + most > blockBytes) {
      this.#blocks.push(Buffer.allocUnsafeSlow(Math.max(blockBytes, most)));
      this.#used = 0;
    }
    const block = this.#blocks.length - 1;
    const bytes = (this.#blocks[block] as Buffer).write(text, this.#used);
    this.#rows[at] = block;
    this.#rows[at + 1] = this.#used;
    this.#rows[at + 2] = bytes;
    this.#used += bytes;
  }

  #reserve(more: number): void {
    const needed = (this.#size + more) * rowWidth;
    if (needed <= this.#rows.length) return;
    const larger = new Int32Array(Math.max(needed, this.#rows.length * 2));
    larger.set(this.#rows);
    this.#rows = larger;
  }
}

/** Whether all rows name what is there, so that they can be put. */
export function areRowsSound({ rows, texts, fresh, before }: PackedSayings): boolean {
  const limits = [
    before.people + fresh.people.length,
    before.lists + fresh.lists.length,
    before.kinds + fresh.kinds.length,
  ] as const;
  for (let at = 0; at < rows.length; at += rowWidth) {
    const [person = -1, list = -1, marks = 0, , start = -1, bytes = -1] = rows.subarray(at, at + rowWidth);
    const isNamed =
      person >= 0 && person < limits[0] && list >= 0 && list < limits[1] && marks >>> kindShift <= limits[2];
    if (!isNamed || start < 0 || bytes < 0 || start + bytes > texts.length) return false;
  }
  return true;
}

/** Values by the order in which they were first named. */
class Named<Value> {
  readonly #keyOf: (value: Value) => string;
  readonly #places = new Map<string, number>();
  readonly #values: Value[] = [];
  /** The last one asked for: neighbours are often the same. */
  #last: { readonly value: Value; readonly place: number } | null = null;

  constructor(keyOf: (value: Value) => string) {
    this.#keyOf = keyOf;
  }

  get size(): number {
    return this.#values.length;
  }

  placeOf(value: Value): number {
    if (this.#last?.value === value) return this.#last.place;
    const key = this.#keyOf(value);
    const known = this.#places.get(key);
    const place = known ?? this.#values.push(value) - 1;
    if (known === undefined) this.#places.set(key, place);
    this.#last = { value, place };
    return place;
  }

  append(values: readonly Value[]): void {
    for (const value of values) this.#places.set(this.#keyOf(value), this.#values.push(value) - 1);
  }

  at(place: number): Value {
    return this.#values[place] as Value;
  }

  from(place: number): Value[] {
    return this.#values.slice(place);
  }
}

/** The meaning of most commits: one item, no references. */
class PlainMeaning implements Meaning {
  readonly how: Meaning['how'];
  readonly weight: Meaning['weight'];
  readonly items: readonly Item[];
  readonly references = noReferences;

  constructor(marks: number, item: PlainItem) {
    this.how = howOf(marks);
    this.weight = item.weight;
    this.items = [item];
  }
}

/** An item whose texts are parsed only when they are needed. */
class PlainItem implements Item {
  readonly kind: string | null;
  readonly breaking = null;
  readonly weight: Item['weight'];
  readonly #text: () => unknown;

  constructor(kind: string | null, marks: number, text: () => unknown) {
    this.kind = kind;
    this.weight = weights[(marks >> 3) & 3] ?? 'none';
    this.#text = text;
  }

  get scope(): string | null {
    const text = this.#text();
    return Array.isArray(text) ? ((text as readonly string[])[0] ?? null) : null;
  }

  get summary(): string {
    const text = this.#text();
    return String(Array.isArray(text) ? text[1] : text);
  }
}

function howOf(marks: number): Meaning['how'] {
  return hows[marks & 7] ?? 'unmarked';
}

function isPlainMeaning({ items, references }: Meaning): boolean {
  return (
    items.length === 1 && items[0]?.breaking === null && Object.values(references).every(({ length }) => length === 0)
  );
}

function plainText({ scope, summary }: Item): string | readonly string[] {
  return scope === null ? summary : [scope, summary];
}

function longText(said: Meaning | string, isCut: boolean, record: ReadCommit['record']): Saying {
  return [typeof said === 'string' ? said : meaningRow(said), isCut, record?.extra ?? null];
}

function meaningRow({ how, weight, items, references }: Meaning): MeaningRow {
  const rows = items.map(
    (item): ItemRow => [item.kind, item.scope, item.summary, item.breaking, weights.indexOf(item.weight)],
  );
  return [hows.indexOf(how), weights.indexOf(weight), rows, references];
}

function meaningOf(said: string | MeaningRow): Meaning {
  if (typeof said === 'string') throw new Error('a commit that touches no package has no meaning');
  const [how, weight, items, references] = said;
  return {
    how: howOf(how),
    weight: weights[weight] ?? 'none',
    items: items.map(
      ([kind, scope, summary, breaking, own]): Item => ({
        kind,
        scope,
        summary,
        breaking,
        weight: weights[own] ?? 'none',
      }),
    ),
    references,
  };
}
