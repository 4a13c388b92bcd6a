import type { Weight } from '../version/weight.ts';
import { cancelReverts, type Fate, type Fates, type InRange, type ReleasedCommits } from './cancellation.ts';
import type { Change, ChangeList } from './change.ts';
import type { Person } from './commit.ts';
import { isReached } from './graph.ts';
import type { Item } from './meaning.ts';
import type { References } from './reference.ts';
import { Tally } from './tally.ts';
import type { TouchingCommit, Walk } from './walk.ts';

/** All changes of one package since its last release, with what they come to and what there is to warn of. */
export type PackageChanges = {
  readonly changes: ChangeList;
  readonly tally: Tally;
  readonly warnings: readonly string[];
};

/** Changes with what they come to. */
export function withTally(changes: readonly Change[], warnings: readonly string[]): PackageChanges {
  const tally = new Tally();
  for (const [at, change] of changes.entries()) tally.add(change, change.commit !== changes[at - 1]?.commit);
  return { changes, tally, warnings };
}

/** Where a package's range begins: the commits of its last release, of the last of a series, of other releases. */
export type RangeStart = {
  readonly last: string | null;
  readonly lastInSeries: string | null;
  readonly others: readonly { readonly version: string; readonly commit: string }[];
};

/** What is counted, and from where on. */
export type Counting = {
  readonly walk: Walk;
  /** One per package, in the order of the walk's owners. */
  readonly starts: readonly RangeStart[];
  readonly released: ReleasedCommits;
  /** `weights.revert` when the configuration sets it. */
  readonly revertWeight: Weight | null;
};

/**
 * Which commits count for which package, and what as (docs/design/versions.md, steps 7 to 12).
 */
export function countChanges(counting: Counting): PackageChanges[] {
  const { walk, starts } = counting;
  const count = startCount(counting);
  const results = starts.map((_, owner) => ({
    changes: new CountedChanges(count, owner),
    tally: new Tally(),
    warnings: [] as string[],
  }));
  for (const commit of walk.touching()) {
    for (const owner of commit.touched) {
      const result = results[owner];
      if (result === undefined || !count.inRange(commit.index, owner)) continue;
      const { changes, warnings } = changesOf(count, commit, owner);
      result.changes.add(commit.index, changes.length);
      for (const [at, change] of changes.entries()) result.tally.add(change, at === 0);
      for (const warning of warnings) result.warnings.push(warning);
    }
  }
  return results;
}

/** The changes of one package by the places of their commits: a walk can be too long to keep them all. */
class CountedChanges implements ChangeList {
  readonly #count: Count;
  readonly #owner: number;
  readonly #commits: number[] = [];
  length = 0;

  constructor(count: Count, owner: number) {
    this.#count = count;
    this.#owner = owner;
  }

  /** @param length how many changes the commit is. */
  add(commit: number, length: number): void {
    this.#commits.push(commit);
    this.length += length;
  }

  *[Symbol.iterator](): Generator<Change> {
    for (const index of this.#commits) {
      const commit = this.#count.walk.touchingAt(index);
      if (commit !== null) yield* changesOf(this.#count, commit, this.#owner).changes;
    }
  }
}

/** What is counted, with what of the graph is already released. */
type Count = Counting & {
  readonly inRange: InRange;
  readonly fates: Fates;
  /** What the last release of the series holds, by package. */
  readonly series: ReturnType<Walk['graph']['carry']>;
  /** By package: other versions that hold a commit. */
  readonly elsewhere: readonly ReadonlyMap<number, string>[];
};

function startCount(counting: Counting): Count {
  const { walk, starts, released } = counting;
  const at = (id: string | null) => (id === null ? null : walk.graph.indexOf(id));
  const startOf = (id: string | null) => [at(id)].filter((index) => index !== null);
  const last = walk.graph.carry(starts.map((start) => startOf(start.last)));
  const series = walk.graph.carry(starts.map((start) => startOf(start.lastInSeries)));
  const inRange: InRange = (index, owner) => !isReached(last, index, owner);
  const fates = cancelReverts({ walk, owners: starts.length, inRange, released });
  return { ...counting, inRange, fates, series, elsewhere: starts.map((start) => containingVersions(walk, start)) };
}

function changesOf(
  count: Count,
  commit: TouchingCommit,
  owner: number,
): { readonly changes: readonly Change[]; readonly warnings: readonly string[] } {
  const { walk, series, elsewhere } = count;
  const { counted, why, items, warning, fate } = judge(count, commit, owner);
  const also = elsewhere[owner]?.get(commit.index);
  const sinceSeries = !isReached(series, commit.index, owner);
  const takesFromSeries = sinceSeries && isHeldBySeries(count, fate, owner);
  const made: CountedCommit = {
    walk,
    commit,
    counted,
    why: also === undefined ? why : `${why}; also in ${also}`,
    unmarked: counted && commit.meaning.how === 'unmarked' && fate === undefined,
    sinceSeries,
    takesFromSeries,
  };
  const changes = items.map((item) => new CountedChange(item, made));
  if (warning === null && !takesFromSeries) return { changes, warnings: [] };
  const lost = `${walk.graph.idOf(commit.index).slice(0, 7)} takes back what the last prerelease holds: something public may go away`;
  return { changes, warnings: [...(warning === null ? [] : [warning]), ...(takesFromSeries ? [lost] : [])] };
}

/** What all changes of one commit have in common. */
type CountedCommit = Omit<Change, 'item' | 'commit' | 'author' | 'references'> & {
  readonly walk: Walk;
  readonly commit: TouchingCommit;
};

/** A change that looks for what it says where it is asked: most questions need only a part of it. */
class CountedChange implements Change {
  readonly item: Item;
  readonly #made: CountedCommit;

  constructor(item: Item, made: CountedCommit) {
    this.item = item;
    this.#made = made;
  }

  get counted(): boolean {
    return this.#made.counted;
  }

  get why(): string {
    return this.#made.why;
  }

  get unmarked(): boolean {
    return this.#made.unmarked;
  }

  get sinceSeries(): boolean {
    return this.#made.sinceSeries;
  }

  get takesFromSeries(): boolean {
    return this.#made.takesFromSeries;
  }

  get commit(): string {
    return this.#made.walk.graph.idOf(this.#made.commit.index);
  }

  get author(): Person {
    return this.#made.commit.author;
  }

  get references(): References {
    return this.#made.commit.meaning.references;
  }
}

function isHeldBySeries({ walk, series }: Count, fate: Fate | undefined, owner: number): boolean {
  const target = fate?.type === 'cancels' ? walk.graph.indexOf(fate.target) : null;
  return target !== null && isReached(series, target, owner);
}

/** What a commit counts as for a package, and why. */
type Verdict = {
  readonly counted: boolean;
  readonly why: string;
  readonly items: readonly Item[];
  readonly warning: string | null;
  readonly fate: Fate | undefined;
};

function judge(count: Count, commit: TouchingCommit, owner: number): Verdict {
  const { meaning } = commit;
  const fate = count.fates.get(commit.index * count.starts.length + owner);
  const leave = (why: string) => ({ counted: false, why, items: [summaryItem(commit, 'none')], warning: null, fate });
  if (meaning.how === 'ignored') return leave('ignored by the configuration');
  if (commit.isRecord) return leave('records a release');
  if (fate?.type === 'cancelled') return leave(`cancelled by revert ${fate.by.slice(0, 7)}`);
  if (fate?.type === 'cancels') return leave(`takes back ${fate.target.slice(0, 7)}, which was not released`);
  const same = fate === undefined ? pickedFrom(count, commit, owner) : null;
  if (same !== null) return leave(`same as picked commit ${same.slice(0, 7)}`);
  if (fate !== undefined) return { counted: true, ...revertVerdict(count, commit, fate), fate };
  return { counted: true, why: reasonOf(commit), items: meaning.items, warning: null, fate };
}

function revertVerdict(
  { walk, revertWeight }: Count,
  commit: TouchingCommit,
  fate: Fate & { type: 'takes-back' | 'reverts-unknown' },
): Pick<Verdict, 'why' | 'items' | 'warning'> {
  const [own, short] = [walk.graph.idOf(commit.index).slice(0, 7), fate.target.slice(0, 7)];
  if (fate.type === 'reverts-unknown') {
    const why = `reverts ${short}, which is not in this history`;
    const items = [summaryItem(commit, revertWeight ?? 'patch')];
    return { why, items, warning: `${own} ${why}; counted as a patch` };
  }
  const warning = fate.isPublic ? `${own} takes back ${short}: something public goes away` : null;
  return { why: `takes back released ${short}`, items: [summaryItem(commit, revertWeight ?? fate.weight)], warning };
}

/** The commit this one was picked from, if that is released or counts itself (step 11). */
function pickedFrom({ walk, inRange, released, fates, starts }: Count, commit: TouchingCommit, owner: number) {
  for (const id of commit.meaning.references.pickedFrom) {
    const index = walk.graph.indexOfPrefix(id);
    if (index === null ? released.has(id) : !inRange(index, owner)) return id;
    const source = index === null ? null : walk.touchingAt(index);
    const fate = fates.get((index ?? -1) * starts.length + owner);
    if (source?.touched.includes(owner) && source.index !== commit.index && fate === undefined) return id;
  }
  return null;
}

function summaryItem({ meaning }: TouchingCommit, weight: Weight): Item {
  const [first] = meaning.items;
  const kind = meaning.references.reverts.length > 0 ? 'revert' : (first?.kind ?? null);
  return { kind, scope: first?.scope ?? null, summary: first?.summary ?? '', breaking: null, weight };
}

function reasonOf({ meaning }: TouchingCommit): string {
  if (meaning.how === 'amended') return 'amended by the configuration';
  if (meaning.how === 'unmarked') return 'no recognisable kind';
  const [first] = meaning.items;
  if (meaning.how === 'conventional' && meaning.items.length === 1 && first?.breaking === null) return first.kind ?? '';
  const listed = meaning.items.length > 1 ? ', with the changes its body lists' : '';
  const breaking = meaning.items.some(({ breaking }) => breaking !== null) ? ', breaking' : '';
  return `${meaning.how === 'pattern' ? 'by pattern ' : ''}${first?.kind ?? ''}${breaking}${listed}`;
}

/** The lowest other release that holds each commit of the range, for "also in" (step 7). */
function containingVersions(walk: Walk, start: RangeStart): Map<number, string> {
  const found = new Map<number, string>();
  const stop = start.last === null ? null : walk.graph.indexOf(start.last);
  const released = stop === null ? null : walk.graph.reachable([stop]);
  for (const { version, commit } of start.others) {
    const from = walk.graph.indexOf(commit);
    const open = from === null ? [] : [from];
    while (open.length > 0) {
      const index = open.pop() ?? 0;
      if (found.has(index) || released?.[index] === 1) continue;
      found.set(index, version);
      open.push(...walk.graph.parents(index));
    }
  }
  return found;
}
