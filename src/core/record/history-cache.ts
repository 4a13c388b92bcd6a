import { createHash } from 'node:crypto';
import type { Person } from '../history/commit.ts';
import type { Item, Meaning } from '../history/meaning.ts';
import type { ReadCommit } from '../history/read-commit.ts';
import { weights } from '../version/weight.ts';
import { format } from './parse-record.ts';

/**
 * Commits that were read for a survey, so that the next one need not read them again: all that are reachable from `tips` and
 * not from `end`. What a commit is to a workspace follows from its id and from the key of the cache alone.
 */
export type HistoryCache = {
  /** Null when nothing was left out. */
  readonly end: string | null;
  readonly tips: readonly string[];
  readonly commits: readonly ReadCommit[];
  /** How many surveys added to it. */
  readonly sections: number;
};

const hows: readonly Meaning['how'][] = ['amended', 'ignored', 'pattern', 'conventional', 'unmarked'];

/** What all that is remembered of a commit depends on: the program to the byte, packages and configuration. In hexadecimal. */
export function historyCacheKey(build: string, facts: unknown): string {
  return createHash('sha256')
    .update(`${build}\0${JSON.stringify(facts)}`)
    .digest('hex');
}

/** The first line of a cache. */
export function formatCacheStart(key: string, end: string | null): string {
  return toLine({ schema: format, key, end });
}

/** Writes what one survey read, in lines. People and lists of packages are written once and named by their places. */
export class CacheSection {
  readonly #people = new Table<Person>();
  readonly #lists = new Table<readonly number[]>();
  #count = 0;

  /** A line with some commits. */
  commits(reads: readonly ReadCommit[]): string {
    this.#count += reads.length;
    const rows = reads.map((read) => this.#row(read));
    return toLine({ people: this.#people.takeFresh(), lists: this.#lists.takeFresh(), rows });
  }

  /**
   * The last line, without which none of the lines before it counts.
   * @param base the tips that were known before: with their commits nothing behind the new tip is missing.
   */
  finish(tip: string, base: readonly string[]): string {
    return toLine({ tip, base, count: this.#count });
  }

  #row({ id, parents, author, touched, meaning, subject, isCut, record }: ReadCommit): Row {
    const person = this.#people.placeOf(author, author);
    const list = this.#lists.placeOf(touched.join(), touched);
    const said = meaning === null ? subject : meaningRow(meaning);
    const row: Row = [id, parents, person, list, said];
    return isCut || record !== null ? [...row, isCut, record] : row;
  }
}

/** A commit: id, parents, place of its author and of its packages, subject or meaning; then what few commits have. */
type Row =
  | readonly [string, readonly string[], number, number, string | MeaningRow]
  | readonly [string, readonly string[], number, number, string | MeaningRow, boolean, ReadCommit['record']];

type ItemRow = readonly [
  kind: string | null,
  scope: string | null,
  summary: string,
  breaking: string | null,
  weight: number,
];

type MeaningRow = readonly [how: number, weight: number, items: readonly ItemRow[], references?: Meaning['references']];

function meaningRow({ how, weight, items, references }: Meaning): MeaningRow {
  const rows = items.map(
    (item): ItemRow => [item.kind, item.scope, item.summary, item.breaking, weights.indexOf(item.weight)],
  );
  const row = [hows.indexOf(how), weights.indexOf(weight), rows] as const;
  return Object.values(references).every(({ length }) => length === 0) ? row : [...row, references];
}

/** Values by the order in which they were first named. */
class Table<Value> {
  readonly #places = new Map<unknown, number>();
  #fresh: Value[] = [];

  placeOf(key: unknown, value: Value): number {
    const known = this.#places.get(key);
    if (known !== undefined) return known;
    this.#places.set(key, this.#places.size);
    this.#fresh.push(value);
    return this.#places.size - 1;
  }

  /** Those that were not taken before. */
  takeFresh(): Value[] {
    const fresh = this.#fresh;
    this.#fresh = [];
    return fresh;
  }
}

/**
 * Reads a cache; what stands behind a damaged line is not used.
 * @returns null for one with another key, or that is no cache.
 */
export function parseHistoryCache(text: string, key: string): HistoryCache | null {
  const lines = text.split('\n');
  const start = fromLine(lines[0] ?? '') as { schema?: unknown; key?: unknown; end?: unknown } | null;
  if (start === null || start.schema !== format || start.key !== key) return null;
  const tips: string[] = [];
  const commits: ReadCommit[] = [];
  let sections = 0;
  let section = new SectionReader();
  for (const one of lines.slice(1)) {
    const value = fromLine(one);
    if (value === null) break;
    if (!('tip' in value)) {
      if (!section.add(value as CommitsLine)) break;
      continue;
    }
    const { tip, base, count } = value as { tip: string; base: readonly string[]; count: number };
    // Another survey began with a cache that this one is not.
    if (count !== section.commits.length || !base.every((id) => tips.includes(id))) break;
    tips.push(tip);
    for (const commit of section.commits) commits.push(commit);
    sections++;
    section = new SectionReader();
  }
  return sections === 0 ? null : { end: (start.end as string | null) ?? null, tips, commits, sections };
}

type CommitsLine = {
  readonly people: readonly Person[];
  readonly lists: readonly (readonly number[])[];
  readonly rows: readonly Row[];
};

const noReferences: Meaning['references'] = { pickedFrom: [], reverts: [], releases: [], issues: [], coAuthors: [] };

class SectionReader {
  readonly commits: ReadCommit[] = [];
  readonly #people: Person[] = [];
  readonly #lists: (readonly number[])[] = [];

  /** @returns false when a row names what no line has. */
  add({ people, lists, rows }: CommitsLine): boolean {
    for (const one of people) this.#people.push(one);
    for (const one of lists) this.#lists.push(one);
    for (const row of rows) {
      const read = this.#read(row);
      if (read === null) return false;
      this.commits.push(read);
    }
    return true;
  }

  #read([id, parents, person, list, said, isCut = false, record = null]: Row): ReadCommit | null {
    const [author, touched] = [this.#people[person], this.#lists[list]];
    if (author === undefined || touched === undefined) return null;
    if (typeof said === 'string') return { id, parents, author, touched, meaning: null, subject: said, isCut, record };
    return { id, parents, author, touched, meaning: readMeaningRow(said), subject: '', isCut, record };
  }
}

function readMeaningRow([how, weight, items, references = noReferences]: MeaningRow): Meaning {
  return {
    how: hows[how] ?? 'unmarked',
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

/** A value with its checksum: a disk, or a process that was killed, may leave anything. */
function toLine(value: unknown): string {
  const text = JSON.stringify(value);
  return `${checksum(text)} ${text}\n`;
}

function fromLine(line: string): object | null {
  const text = line.slice(digits + 1);
  return line.slice(0, digits) === checksum(text) ? (JSON.parse(text) as object) : null;
}

/** So many digits of a digest tell a damaged line. */
const digits = 16;

function checksum(text: string): string {
  return createHash('sha256').update(text).digest('hex').slice(0, digits);
}
