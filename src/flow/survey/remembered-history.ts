import { Walk, type WalkRules } from '../../core/history/walk.ts';
import {
  formatCachePart,
  formatCacheStart,
  formatCacheTip,
  type HistoryCache,
  historyCacheKey,
  parseHistoryCache,
} from '../../core/record/history-cache.ts';
import { readHistory } from '../../world/git/read-history.ts';
import { ancestorsAmong, findCommits } from '../../world/git/read-objects.ts';
import type { Repository } from '../../world/git/repository.ts';
import { HistoryCacheFile } from '../../world/history-cache.ts';

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
const usual: Remembering = { from: 2000, upTo: 1_000_000 };

/** So many surveys may add to the file before it is written anew. */
const mostSections = 50;
/** Packing takes that much memory again. */
const commitsPerPart = 20_000;
const nothingNamed = { people: 0, lists: 0, kinds: 0 };

/** Reads a history: from what earlier surveys remembered, and the rest from git. */
export async function readWalk(question: HistoryQuestion, remembering = usual): Promise<Walk> {
  const { build, facts, repository } = question;
  if (build === null) return readAll(question, null);
  const file = new HistoryCacheFile(repository.commonFolder);
  const bytes = await file.read();
  // Most histories are short, and a large configuration takes time to digest.
  const start = () => formatCacheStart(historyCacheKey(build, facts), question.end);
  const cache = bytes === null ? null : parseHistoryCache(bytes, historyCacheKey(build, facts));
  const known = cache === null ? null : await readRest(question, { cache, file, start });
  return known ?? readAll(question, { file, start, remembering });
}

/** Reads all of it from git, and remembers it when it is long. */
async function readAll(
  { repository, commit, end, rules }: HistoryQuestion,
  memory: { readonly file: HistoryCacheFile; readonly start: () => Buffer; readonly remembering: Remembering } | null,
): Promise<Walk> {
  const walk = new Walk(rules);
  for await (const batch of readHistory(repository.place, commit, end === null ? [] : [end]))
    for (const one of batch) walk.add(one);
  const { size } = walk.graph;
  walk.arrange(commit, null);
  if (memory === null || size < memory.remembering.from || size > memory.remembering.upTo) return walk;
  await memory.file.replace(cacheOf(walk, commit, memory.start));
  return walk;
}

/** All that a new cache has, piece by piece. */
function* cacheOf(walk: Walk, tip: string, start: () => Buffer): Generator<Buffer> {
  const { size } = walk.graph;
  let named = nothingNamed;
  yield start();
  for (let from = 0; from < size; from += commitsPerPart) {
    yield formatCachePart(walk.pack(from, Math.min(size, from + commitsPerPart), named));
    named = walk.named;
  }
  yield formatCacheTip(tip, [], size);
}

/** What is remembered and what is new, as git would have given all of it; null when commits could be missing. */
async function readRest(
  { repository, commit, end, rules }: HistoryQuestion,
  {
    cache,
    file,
    start,
  }: { readonly cache: HistoryCache; readonly file: HistoryCacheFile; readonly start: () => Buffer },
): Promise<Walk | null> {
  const walk = new Walk(rules);
  for (const part of cache.parts) walk.putPacked(part);
  const { graph, named } = walk;
  const remembered = graph.size;
  if (end !== cache.end) {
    if (end === null || graph.indexOf(end) === null) return null;
    if (cache.end !== null && !(await areAncestors(repository, [cache.end], end))) return null;
  }
  if (graph.indexOf(commit) === null) {
    const known = [...cache.tips, ...(end === null ? [] : [end])];
    for await (const batch of readHistory(repository.place, commit, known)) for (const one of batch) walk.add(one);
  }
  const all = graph.size;
  const fresh = all === remembered ? null : formatCachePart(walk.pack(remembered, all, named));
  walk.arrange(commit, end);
  const beyond = graph.unknownParents().filter((id) => id !== end);
  if (beyond.length > 0 && (end === null || !(await areAncestors(repository, beyond, end)))) return null;
  // Which amendments name something is asked later.
  if (!rules.amendments.isEmpty)
    for (let index = 0; index < graph.size; index++) rules.amendments.of(graph.idOf(index));
  if (fresh === null) return walk;
  const isUseful = cache.isWhole && cache.sections < mostSections && graph.size * 2 > all;
  // Otherwise it is damaged, most of it was behind the last releases, or many surveys had added to it.
  if (isUseful) await file.append(Buffer.concat([fresh, formatCacheTip(commit, cache.tips, all - remembered)]));
  else await file.replace(cacheOf(walk, commit, start));
  return walk;
}

async function areAncestors({ place }: Repository, ids: readonly string[], of: string): Promise<boolean> {
  if ((await findCommits(place, ids)).size < ids.length) return false;
  return (await ancestorsAmong(place, ids, of)).size === ids.length;
}
