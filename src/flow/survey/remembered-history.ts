import { type ReadCommit, readCommit } from '../../core/history/read-commit.ts';
import { Walk, type WalkRules } from '../../core/history/walk.ts';
import {
  CacheSection,
  formatCacheStart,
  type HistoryCache,
  historyCacheKey,
  parseHistoryCache,
} from '../../core/record/history-cache.ts';
import { readHistory } from '../../world/git/read-history.ts';
import { ancestorsAmong, findCommits } from '../../world/git/read-objects.ts';
import type { Repository } from '../../world/git/repository.ts';
import { HistoryCacheFile, type NewHistoryCache } from '../../world/history-cache.ts';

/** What a history is read for. */
export type HistoryQuestion = {
  readonly repository: Repository;
  readonly commit: string;
  /** A commit behind which nothing counts; null for none. */
  readonly end: string | null;
  readonly rules: WalkRules;
  /** What it depends on how a commit is read: the program to the byte, null where that is not known, and all else as JSON. */
  readonly build: string | null;
  readonly facts: unknown;
};

/** From when on a history is remembered, and up to when: in commits. */
export type Remembering = { readonly from: number; readonly upTo: number };

/** Below, remembering costs more than reading; above, what is remembered would not fit into the memory of a survey. */
const usual: Remembering = { from: 2000, upTo: 300_000 };

/** So many surveys may add to the file before it is written anew. */
const mostSections = 50;
const commitsPerLine = 200;

/** Reads a history: from what earlier surveys remembered, and the rest from git. */
export async function readWalk(question: HistoryQuestion, remembering = usual): Promise<Walk> {
  const { build, facts, repository } = question;
  if (build === null) return readAll(question, null);
  const file = new HistoryCacheFile(repository.commonFolder);
  const text = await file.read();
  // Most histories are short, and a large configuration takes time to digest.
  const start = () => formatCacheStart(historyCacheKey(build, facts), question.end);
  const cache = text === null ? null : parseHistoryCache(text, historyCacheKey(build, facts));
  const known = cache === null ? null : await readRest(question, { cache, file, start });
  return known ?? readAll(question, { file, start, remembering });
}

/** Reads all of it from git, and remembers it when it is long. */
async function readAll(
  { repository, commit, end, rules }: HistoryQuestion,
  memory: { readonly file: HistoryCacheFile; readonly start: () => string; readonly remembering: Remembering } | null,
): Promise<Walk> {
  const walk = new Walk(rules);
  const { from, upTo } = memory?.remembering ?? { from: 0, upTo: -1 };
  const fresh = memory === null ? null : new FreshCache(memory.file.begin(), memory.start);
  try {
    for await (const batch of readHistory(repository.place, commit, end === null ? [] : [end])) {
      for (const one of batch) {
        const read = walk.add(one);
        if (walk.graph.size <= upTo) fresh?.add(read);
      }
      if (walk.graph.size >= from) await fresh?.write(commitsPerLine);
    }
    const { size } = walk.graph;
    walk.arrange(commit, null);
    if (size >= from && size <= upTo) await fresh?.finish(commit);
    return walk;
  } finally {
    await fresh?.discard();
  }
}

/** A new file of what is remembered, while it is written. */
class FreshCache {
  readonly #file: NewHistoryCache;
  readonly #section = new CacheSection();
  #start: (() => string) | null;
  #waiting: ReadCommit[] = [];

  /** @param start gives the first line. */
  constructor(file: NewHistoryCache, start: () => string) {
    this.#file = file;
    this.#start = start;
  }

  add(read: ReadCommit): void {
    this.#waiting.push(read);
  }

  /** Writes what waits, if there is as much as that. */
  async write(least: number): Promise<void> {
    if (this.#waiting.length < least) return;
    const text = (this.#start?.() ?? '') + this.#section.commits(this.#waiting);
    this.#start = null;
    this.#waiting = [];
    await this.#file.write(text);
  }

  /** Gives the file its place. @param tip what all commits were reached from. */
  async finish(tip: string): Promise<void> {
    await this.write(0);
    await this.#file.write(this.#section.finish(tip, []));
    await this.#file.settle();
  }

  discard(): Promise<void> {
    return this.#file.discard();
  }
}

/** What is remembered and what is new, as git would have given all of it; null when commits could be missing. */
async function readRest(
  { repository, commit, end, rules }: HistoryQuestion,
  {
    cache,
    file,
    start,
  }: { readonly cache: HistoryCache; readonly file: HistoryCacheFile; readonly start: () => string },
): Promise<Walk | null> {
  const has = (id: string) => cache.commits.some((read) => read.id === id);
  if (end !== cache.end) {
    if (end === null || !has(end)) return null;
    if (cache.end !== null && !(await areAncestors(repository, [cache.end], end))) return null;
  }
  const fresh: ReadCommit[] = [];
  if (!has(commit)) {
    const known = [...cache.tips, ...(end === null ? [] : [end])];
    for await (const batch of readHistory(repository.place, commit, known))
      for (const one of batch) fresh.push(readCommit(one, rules));
  }
  const walk = new Walk(rules);
  for (const read of cache.commits) walk.put(read);
  for (const read of fresh) walk.put(read);
  const order = walk.arrange(commit, end);
  const beyond = walk.graph.unknownParents().filter((id) => id !== end);
  if (beyond.length > 0 && (end === null || !(await areAncestors(repository, beyond, end)))) return null;
  // Which amendments name something is asked later.
  if (!rules.amendments.isEmpty)
    for (let index = 0; index < order.length; index++) rules.amendments.of(walk.graph.idOf(index));
  if (fresh.length === 0) return walk;
  const isUseful = cache.sections < mostSections && order.length * 2 > cache.commits.length + fresh.length;
  if (isUseful) {
    const section = new CacheSection();
    await file.append(section.commits(fresh) + section.finish(commit, cache.tips));
    return walk;
  }
  // Most of the file was behind the last releases, or many surveys had added to it.
  const anew = new FreshCache(file.begin(), start);
  for (const place of order) {
    const read = cache.commits[place] ?? fresh[place - cache.commits.length];
    if (read !== undefined) anew.add(read);
    await anew.write(commitsPerLine);
  }
  await anew.finish(commit);
  return walk;
}

async function areAncestors({ place }: Repository, ids: readonly string[], of: string): Promise<boolean> {
  if ((await findCommits(place, ids)).size < ids.length) return false;
  return (await ancestorsAmong(place, ids, of)).size === ids.length;
}
