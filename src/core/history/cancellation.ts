import { clampWeight, heaviest, type Weight } from '../version/weight.ts';
import type { Reverted } from './reference.ts';
import type { TouchingCommit, Walk } from './walk.ts';

/** Commits outside the walk, as git lists them: released before, with their weight; absent when unknown. */
export type ReleasedCommits = ReadonlyMap<string, { readonly weight: Weight }>;

/** What became of a commit for one package. */
export type Fate =
  | { readonly type: 'cancelled'; readonly by: string }
  | { readonly type: 'cancels'; readonly target: string }
  | { readonly type: 'takes-back'; readonly target: string; readonly weight: Weight; readonly isPublic: boolean }
  | { readonly type: 'reverts-unknown'; readonly target: string };

/** Fates by `commit index * packages + package`. */
export type Fates = ReadonlyMap<number, Fate>;

/** Whether a commit counts towards the next version of a package: reachable from the head, not from its last release. */
export type InRange = (index: number, owner: number) => boolean;

/**
 * Walks reverts from newest to oldest (docs/design/versions.md, step 12). A revert of something unreleased cancels it and
 * itself; a revert of something released is a change of its own; a revert that is cancelled does nothing.
 */
export function cancelReverts({
  walk,
  owners,
  inRange,
  released,
}: {
  readonly walk: Walk;
  readonly owners: number;
  readonly inRange: InRange;
  readonly released: ReleasedCommits;
}): Fates {
  const fates = new Map<number, Fate>();
  for (const revert of walk.referring()) {
    const { reverts } = revert.meaning.references;
    if (reverts.length === 0) continue;
    for (const owner of revert.touched) {
      if (!inRange(revert.index, owner) || fates.get(revert.index * owners + owner)?.type === 'cancelled') continue;
      const outcomes = reverts.map((reverted) => judge(reverted, revert, owner));
      const open = outcomes.filter(({ fate }) => fate.type !== 'cancels').map(({ fate }) => fate);
      for (const { cancelled } of outcomes) {
        for (const index of cancelled)
          fates.set(index * owners + owner, { type: 'cancelled', by: walk.graph.idOf(revert.index) });
      }
      const strongest = heaviestFate(open) ?? outcomes[0]?.fate;
      if (strongest !== undefined) fates.set(revert.index * owners + owner, strongest);
    }
  }
  return fates;

  function judge(
    reverted: Reverted,
    revert: TouchingCommit,
    owner: number,
  ): { fate: Fate; cancelled: readonly number[] } {
    const target = walk.graph.indexOfPrefix(reverted.commit);
    if (target !== null && target !== revert.index && walk.graph.reaches(revert.index, target)) {
      const undone = undoneBy(target, reverted.keeps);
      if (inRange(target, owner)) {
        const cancelled = undone.filter((index) => inRange(index, owner));
        return { fate: { type: 'cancels', target: walk.graph.idOf(target) }, cancelled };
      }
      const weight = heaviest(undone.map((index) => walk.touchingAt(index)?.meaning.weight ?? 'none'));
      return { fate: takesBack(reverted.commit, weight), cancelled: [] };
    }
    const known = released.get(reverted.commit);
    if (known !== undefined) return { fate: takesBack(reverted.commit, known.weight), cancelled: [] };
    return { fate: { type: 'reverts-unknown', target: reverted.commit }, cancelled: [] };
  }

  /** The commit itself; of a merge all that it brought in: reachable from it and not from the side that stays. */
  function undoneBy(target: number, keeps: string | null): number[] {
    const parents = walk.graph.parentIds(target);
    if (parents.length < 2) return [target];
    // A side outside the walk was released before, so nothing in the walk is reachable from it.
    const kept = walk.graph.indexOfPrefix(keeps ?? parents[0] ?? '');
    return walk.graph.reachableOnly(target, kept);
  }
}

function takesBack(target: string, weight: Weight): Fate {
  const isPublic = weight === 'minor' || weight === 'major';
  return { type: 'takes-back', target, weight: clampWeight(weight, 'patch', 'minor'), isPublic };
}

function heaviestFate(fates: readonly Fate[]): Fate | undefined {
  const weightOf = (fate: Fate) => (fate.type === 'takes-back' ? fate.weight : 'patch');
  const most = heaviest(fates.map(weightOf));
  return fates.find((fate) => weightOf(fate) === most);
}
