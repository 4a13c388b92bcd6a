import { randomBytes } from 'node:crypto';
import type { Commit, Person } from '../../core/history/commit.ts';
import { keepYoungHeapSmall } from '../heap.ts';
import { processorCount } from '../platform.ts';
import { type GitPlace, gitChunks, gitLine } from './run-git.ts';

const maxSubject = 1000;
const maxBody = 1 << 20;
const longHistory = 2000;
const fields = ['%H', '%P', '%an', '%ae', '%B'].join('%x00');

/** From so many commits on, the rest of a history is counted, and read by two gits when at least as many are left. */
const worthTwo = 5000;

/**
 * Commits reachable from `head` and not from those of `exclude` that are here, each with its changed paths. They come in an order
 * that takes little time, and in batches: one at a time would cost more than reading them.
 */
export function readHistory(place: GitPlace, head: string, exclude: readonly string[]): AsyncGenerator<Commit[]> {
  return readInHalves(place, [head, '--ignore-missing', ...exclude.map((id) => `^${id}`), '--'], worthTwo);
}

/**
 * Commits of a range. git uses one core, and takes longer for a long history than reading what it prints; so a second git begins
 * in the middle of what is left, and the two are read by turns.
 * @param least how many commits are many.
 */
export async function* readInHalves(
  place: GitPlace,
  range: readonly string[],
  least: number,
): AsyncGenerator<Commit[]> {
  const first = readLog(place, ['-c', ...range]);
  let isCounted = false;
  let total = 0;
  let count = 0;
  try {
    for (;;) {
      const { value, done } = await first.next();
      if (done === true) return;
      yield value;
      count += value.length;
      if (count >= least && !isCounted && processorCount() > 1) {
        isCounted = true;
        void countCommits(place, range).then((found) => {
          total = found;
        });
      }
      if (total - count < least) continue;
      const half = Math.ceil((total - count) / 2);
      return yield* byTurns(upTo(first, half), readLog(place, [`--skip=${count + half}`, '-c', ...range]));
    }
  } finally {
    await first.return(undefined);
  }
}

/** How many commits a range has; 0 where that is not known: then one git reads all. */
async function countCommits(place: GitPlace, range: readonly string[]): Promise<number> {
  return gitLine(place, ['rev-list', '--count', ...range]).then(Number, () => 0);
}

/** The next commits, not more than so many. */
async function* upTo(batches: AsyncGenerator<Commit[]>, most: number): AsyncGenerator<Commit[]> {
  for (let left = most; left > 0; ) {
    const { value, done } = await batches.next();
    if (done === true) return;
    yield value.slice(0, left);
    left -= value.length;
  }
  await batches.return(undefined);
}

/** Takes from each of two as it has something. */
async function* byTurns(one: AsyncGenerator<Commit[]>, other: AsyncGenerator<Commit[]>): AsyncGenerator<Commit[]> {
  const ask = async (from: AsyncGenerator<Commit[]>) => ({ from, next: await from.next() });
  const asked = new Map([one, other].map((from) => [from, ask(from)]));
  try {
    while (asked.size > 0) {
      const { from, next } = await Promise.race(asked.values());
      asked.delete(from);
      if (next.done === true) continue;
      asked.set(from, ask(from));
      yield next.value;
    }
  } finally {
    for (const waiting of asked.values()) waiting.catch(() => {});
    await Promise.all([one.return(undefined), other.return(undefined)]);
  }
}

/** Just these commits. */
export function readCommits(place: GitPlace, ids: readonly string[]): AsyncGenerator<Commit[]> {
  return readLog(place, ['--no-walk=unsorted', '-c', '--stdin'], `${ids.join('\n')}\n`);
}

async function* readLog(place: GitPlace, args: readonly string[], input?: string): AsyncGenerator<Commit[]> {
  // A path may hold any byte but NUL, so only an unpredictable text marks a new commit.
  const mark = Buffer.from(randomBytes(12).toString('hex'));
  const format = `--format=tformat:${mark.toString()}%x00${fields}`;
  const log = ['log', '-z', '--name-only', '--no-renames', '--no-ext-diff', '--encoding=UTF-8', format, ...args];
  const people = new Map<string, Person>();
  let held: Buffer[] = [];
  let count = 0;
  for await (const chunk of gitChunks(place, log, input === undefined ? {} : { input })) {
    held.push(chunk);
    // Only a chunk that ends with a whole record, or holds the next mark, is worth joining what waits.
    const isLong = held.length > 1 && chunk.indexOf(mark) === -1 && !endsInMark(chunk, mark);
    if (isLong) continue;
    const { commits, rest } = parseRecords(held.length === 1 ? chunk : Buffer.concat(held), mark, people);
    held = rest.length === 0 ? [] : [rest];
    count += commits.length;
    if (count > longHistory) keepYoungHeapSmall();
    if (commits.length > 0) yield commits;
  }
  const last = Buffer.concat([...held, mark]);
  yield parseRecords(last, mark, people).commits;
}

/** Whether a mark may begin in this chunk and go on in the next. */
function endsInMark(chunk: Buffer, mark: Buffer): boolean {
  for (let length = Math.min(mark.length - 1, chunk.length); length > 0; length--) {
    if (chunk.subarray(chunk.length - length).equals(mark.subarray(0, length))) return true;
  }
  return false;
}

/** All records that another mark follows, and the bytes behind them. */
function parseRecords(bytes: Buffer, mark: Buffer, people: Map<string, Person>): { commits: Commit[]; rest: Buffer } {
  const commits: Commit[] = [];
  let start = bytes.indexOf(mark);
  for (let next = start; next !== -1; ) {
    next = bytes.indexOf(mark, start + mark.length);
    if (next === -1) break;
    commits.push(parseRecord({ bytes, start: start + mark.length + 1, end: next, people }));
    start = next;
  }
  // Kept strings must not keep the whole chunk in memory.
  return { commits, rest: start === -1 ? Buffer.from(bytes) : Buffer.from(bytes.subarray(start)) };
}

/** One record: id, parents, name, address and message, each ended by NUL, then paths until its end. */
function parseRecord({
  bytes,
  start,
  end,
  people,
}: {
  readonly bytes: Buffer;
  readonly start: number;
  readonly end: number;
  readonly people: Map<string, Person>;
}): Commit {
  const ends: number[] = [];
  for (let at = start; ends.length < 5; at = (ends.at(-1) ?? end) + 1) {
    const nul = bytes.indexOf(0, at);
    ends.push(nul === -1 || nul > end ? end : nul);
  }
  const [idEnd = end, parentsEnd = end, nameEnd = end, emailEnd = end, textEnd = end] = ends;
  const parents = bytes.toString('latin1', idEnd + 1, parentsEnd);
  const isCut = textEnd - emailEnd > maxBody;
  const text = bytes.toString('utf8', emailEnd + 1, isCut ? emailEnd + maxBody : textEnd);
  const line = text.indexOf('\n');
  const isLong = (line === -1 ? text.length : line) > maxSubject;
  return {
    id: bytes.toString('latin1', start, idEnd),
    parents: parents === '' ? [] : parents.split(' '),
    author: personOf(
      bytes.toString('utf8', parentsEnd + 1, nameEnd),
      bytes.toString('utf8', nameEnd + 1, emailEnd),
      people,
    ),
    message: (isLong ? beginning(text, maxSubject) + (line === -1 ? '' : text.slice(line)) : text).trimEnd(),
    cut: isLong || isCut,
    paths: parsePaths(bytes, textEnd + 1, end),
  };
}

/** Not more than so many units of a text, without half a letter at its end. */
function beginning(text: string, most: number): string {
  const isHalf = /[\ud800-\udbff]/.test(text[most - 1] ?? '');
  return text.slice(0, isHalf ? most - 1 : most);
}

function parsePaths(bytes: Buffer, start: number, end: number): string[] {
  const paths: string[] = [];
  for (let at = start; at < end; ) {
    const nul = bytes.indexOf(0, at);
    const stop = nul === -1 || nul > end ? end : nul;
    // git puts a line break between message and paths.
    const first = paths.length === 0 && bytes[at] === 10 ? at + 1 : at;
    if (stop > first) paths.push(bytes.toString('utf8', first, stop));
    at = stop + 1;
  }
  return paths;
}

/** One object per person, however many commits are theirs. */
function personOf(name: string, email: string, people: Map<string, Person>): Person {
  const key = `${name}\0${email}`;
  const known = people.get(key) ?? { name, email };
  people.set(key, known);
  return known;
}
