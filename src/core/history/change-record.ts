import { shiftBelowOne, type Weight } from '../version/weight.ts';
import type { Change } from './change.ts';

/** A change as programs read it: in `release.json`, and in the answers of `survey` and `ledger show`. */
export type ChangeRecord = {
  readonly commit: string;
  readonly kind: string | null;
  readonly scope: string | null;
  readonly summary: string;
  readonly weight: Weight;
  readonly breaking: string | null;
  readonly counted: boolean;
  readonly why: string;
  readonly issues: readonly string[];
  readonly authors: readonly string[];
};

/** @param isShifted whether weights are one step lower, as below 1.0.0. */
export function toChangeRecord(change: Change, isShifted: boolean): ChangeRecord {
  const { item, commit, counted, why, references, author } = change;
  const { kind, scope, summary, breaking } = item;
  const weight = weightOf(item, isShifted);
  const authors = [author.name, ...references.coAuthors.map(({ name }) => name)];
  return { commit, kind, scope, summary, weight, breaking, counted, why, issues: references.issues, authors };
}

/** What a change weighs, one step less where `isShifted`. */
export function weightOf({ weight }: Change['item'], isShifted: boolean): Weight {
  return isShifted ? shiftBelowOne(weight) : weight;
}
