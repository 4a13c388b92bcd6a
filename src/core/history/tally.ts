import { heaviest, type Weight } from '../version/weight.ts';
import type { Change } from './change.ts';

/** Totals of a package's changes, counted in one pass: a long history is too slow to iterate for each question. */
export class Tally {
  changes = 0;
  commits = 0;
  countedCommits = 0;
  /** The heaviest counted weight (docs/design/versions.md, step 13). */
  weight: Weight = 'none';
  /** Counted changes that weigh something and break something. */
  breaking = 0;
  /** How many counted changes of a kind weigh something and break nothing; those without a kind are `unmarked`. */
  readonly weighing = new Map<string, number>();
  /** The kinds of all counted changes. */
  readonly kinds = new Set<string | null>();
  /** Whether something was cancelled, and whether nothing but releases was recorded. */
  hasCancelled = false;
  onlyRecords = true;
  /** Whether something is new to the series of a labelled stream (step 19). */
  isNewToSeries = false;

  /** @param isFirst whether it is the first change of its commit. */
  add({ item, counted, why, sinceSeries, takesFromSeries }: Change, isFirst: boolean): void {
    this.changes++;
    if (isFirst) this.commits++;
    if (isFirst && counted) this.countedCommits++;
    if (why.startsWith('cancelled')) this.hasCancelled = true;
    if (why !== 'records a release') this.onlyRecords = false;
    if (takesFromSeries || (counted && sinceSeries && item.weight !== 'none')) this.isNewToSeries = true;
    if (!counted) return;
    this.kinds.add(item.kind);
    if (item.weight === 'none') return;
    if (item.weight !== this.weight) this.weight = heaviest([this.weight, item.weight]);
    const kind = item.kind ?? 'unmarked';
    if (item.breaking === null) this.weighing.set(kind, (this.weighing.get(kind) ?? 0) + 1);
    else this.breaking++;
  }
}
