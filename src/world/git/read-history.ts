import { randomBytes } from 'node:crypto';
import type { Commit } from '../../core/history/commit.ts';
import { type GitPlace, gitChunks } from './run-git.ts';

const mostSubject = 1000;
const mostBody = 1 << 20;
const fields = ['%H', '%P', '%an', '%ae', '%B'].join('%x00');

/** Commits reachable from `head` and not from `exclude`, children before parents, each with its changed paths. */
export function readHistory(place: GitPlace, head: string, exclude: string | null): AsyncGenerator<Commit> {
  const range = exclude === null ? [head] : [head, `^${exclude}`];
  return readLog(place, ['--topo-order', '-c', ...range, '--'], undefined);
}

/** Just these commits. */
export function readCommits(place: GitPlace, ids: readonly string[]): AsyncGenerator<Commit> {
  return readLog(place, ['--no-walk=unsorted', '-c', '--stdin'], `${ids.join('\n')}\n`);
}

async function* readLog(place: GitPlace, args: readonly string[], input: string | undefined): AsyncGenerator<Commit> {
  // A path may hold any byte but NUL, so only a text that nobody could know beforehand marks a new commit.
  const mark = randomBytes(12).toString('hex');
  const format = `--format=tformat:${mark}%x00${fields}`;
  const log = ['log', '-z', '--name-only', '--no-renames', '--no-ext-diff', '--encoding=UTF-8', format, ...args];
  const options = input === undefined ? {} : { input };
  let fresh: RawCommit | null = null;
  let field = 0;
  for await (const token of splitAtNul(gitChunks(place, log, options))) {
    if (isMark(token, mark)) {
      if (fresh !== null) yield finish(fresh);
      fresh = { fields: [], paths: [] };
      field = 0;
    } else if (fresh === null) {
      throw new Error('git log began with something that is no commit');
    } else if (field < 5) {
      fresh.fields.push(field === 4 ? cutBody(token) : token.toString('utf8'));
      field++;
    } else if (token.length > 0) {
      // git puts a line break between message and paths.
      const path = token[0] === 10 && fresh.paths.length === 0 ? token.subarray(1) : token;
      if (path.length > 0) fresh.paths.push(path.toString('utf8'));
    }
  }
  if (fresh !== null) yield finish(fresh);
}

type RawCommit = { readonly fields: string[]; readonly paths: string[] };

function isMark(token: Buffer, mark: string): boolean {
  return token.length === mark.length && token.toString('latin1') === mark;
}

function cutBody(token: Buffer): string {
  return token.length <= mostBody ? token.toString('utf8') : `${token.toString('utf8', 0, mostBody)}\u0000`;
}

function finish({ fields: [id = '', parents = '', name = '', email = '', text = ''], paths }: RawCommit): Commit {
  const end = text.indexOf('\n');
  const subject = end === -1 ? text : text.slice(0, end);
  const isLong = subject.length > mostSubject;
  const message = isLong ? subject.slice(0, mostSubject) + (end === -1 ? '' : text.slice(end)) : text;
  return {
    id,
    parents: parents === '' ? [] : parents.split(' '),
    author: { name, email },
    message: message.trimEnd(),
    cut: isLong || text.endsWith('\u0000'),
    paths,
  };
}

/** Parts between NUL bytes; a part may come in any number of chunks. */
async function* splitAtNul(chunks: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
  let rest: Buffer[] = [];
  for await (const chunk of chunks) {
    let start = 0;
    for (let end = chunk.indexOf(0); end !== -1; end = chunk.indexOf(0, start)) {
      const part = chunk.subarray(start, end);
      yield rest.length === 0 ? part : Buffer.concat([...rest, part]);
      rest = [];
      start = end + 1;
    }
    if (start < chunk.length) rest.push(chunk.subarray(start));
  }
  if (rest.length > 0) yield Buffer.concat(rest);
}
