import type { Person } from './commit.ts';
import type { Item } from './meaning.ts';
import type { References } from './reference.ts';

/** What one commit means for one package. */
export type Change = {
  readonly item: Item;
  readonly commit: string;
  /** Whether it counts towards the next version, and why or why not. */
  readonly counted: boolean;
  readonly why: string;
  readonly author: Person;
  readonly references: References;
  /** A commit without a recognisable kind. */
  readonly unmarked: boolean;
  /** A labelled stream's last release does not hold it. */
  readonly sinceSeries: boolean;
  /** Takes back something that a labelled stream's last release holds. */
  readonly takesFromSeries: boolean;
};

/** Changes, newest first; those of one commit stand together. Of a long history each is made when it is asked for. */
export type ChangeList = Iterable<Change> & { readonly length: number };
