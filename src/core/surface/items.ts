import {
  type Difference,
  type Effect,
  type NotChecked,
  type Surface,
  type SurfaceComparison,
  type SurfaceEntry,
  type SurfaceName,
  type SurfacePlace,
  sortDifferences,
} from './surface.ts';

/** A name of a surface with what its language needs to compare it. */
export type Item<T> = SurfaceName & {
  readonly entry: string;
  /** Which name of the other side is the same; members of one owner begin with its key. */
  readonly key: string;
  /** Key of what it is a member of. */
  readonly owner: string | null;
  readonly detail: T;
};

/** One side of a comparison. */
export type ItemSide<T> = {
  readonly items: readonly Item<T>[];
  readonly notChecked: readonly NotChecked[];
  /** Whether an entry is there, but could not be read whole: what is missing of it may be there. */
  readonly isUnread: (entry: string) => boolean;
};

/** What a difference means for users. */
export type Verdict = { readonly effect: Effect; readonly why: string };

/** How a language judges differences of names. */
export type ItemRules<T> = {
  /** None where the name is still to be had in another way. */
  readonly removed: (item: Item<T>) => readonly Verdict[];
  readonly added: (item: Item<T>) => readonly Verdict[];
  readonly changed: (old: Item<T>, now: Item<T>) => readonly Verdict[];
};

export const breaking = (why: string): Verdict => ({ effect: 'breaking', why });
export const addition = (why: string): Verdict => ({ effect: 'addition', why });
export const compatible = (why: string): Verdict => ({ effect: 'compatible', why });
export const unknown = (why: string): Verdict => ({ effect: 'unknown', why });

/** A side as it is shown: names by entry, in the order in which they were found. */
export function surfaceOfItems<T>({ items, notChecked }: Pick<ItemSide<T>, 'items' | 'notChecked'>): Surface {
  const byEntry = new Map<string, SurfaceName[]>();
  for (const { entry, name, kind, signature, place } of items) {
    const names = byEntry.get(entry) ?? [];
    names.push({ name, kind, signature, place });
    byEntry.set(entry, names);
  }
  // "The same names" would be true of nothing, too.
  const isEmpty = byEntry.size === 0 && notChecked.length === 0;
  const entries = [...byEntry].map(([entry, names]): SurfaceEntry => ({ entry, names }));
  return {
    entries,
    notChecked: isEmpty ? [{ entry: null, why: 'nothing that users can refer to was found' }] : notChecked,
  };
}

/**
 * Compares the names of two sides. Of members whose owner came or went, only the owner is named.
 * @param others differences of manifests and the like.
 */
export function compareItems<T>(
  [old, now]: readonly [ItemSide<T>, ItemSide<T>],
  rules: ItemRules<T>,
  others: readonly Difference[],
): SurfaceComparison {
  const [before, after] = [byId(old.items), byId(now.items)];
  const isOwnerThere = ({ entry, owner }: Item<T>, side: ReadonlyMap<string, Item<T>>) =>
    owner === null || side.has(idOf(entry, owner));
  const removed = old.items
    .filter((item) => !after.has(idOf(item.entry, item.key)) && isOwnerThere(item, after))
    .flatMap((item) => doubted(rules.removed(item), item, now).map((verdict) => differenceOf(verdict, [item, null])));
  const added = now.items
    .filter((item) => !before.has(idOf(item.entry, item.key)) && isOwnerThere(item, before))
    .flatMap((item) => doubted(rules.added(item), item, old).map((verdict) => differenceOf(verdict, [null, item])));
  const changed = old.items.flatMap((item) => {
    const other = after.get(idOf(item.entry, item.key));
    return other === undefined ? [] : changesOf(item, other, rules);
  });
  return {
    before: surfaceOfItems(old),
    after: surfaceOfItems(now),
    differences: sortDifferences([...others, ...withoutEntries([...removed, ...added], [old, now]), ...changed]),
  };
}

/** What is missing on a side that could not be read whole may be there. */
function doubted<T>(verdicts: readonly Verdict[], { entry }: Item<T>, side: ItemSide<T>): readonly Verdict[] {
  if (verdicts.length === 0 || !side.isUnread(entry)) return verdicts;
  return [unknown('it is not seen on one side, of which parts could not be read')];
}

function changesOf<T>(old: Item<T>, now: Item<T>, rules: ItemRules<T>): Difference[] {
  const verdicts = rules.changed(old, now);
  // What breaks users is not also reported as something less.
  const isBroken = verdicts.some(({ effect }) => effect === 'breaking');
  return verdicts
    .filter(({ effect }) => !isBroken || effect === 'breaking')
    .map((verdict) => differenceOf(verdict, [old, now]));
}

function differenceOf<T>({ effect, why }: Verdict, [old, now]: readonly [Item<T> | null, Item<T> | null]): Difference {
  const known = (old ?? now) as Item<T>;
  return {
    name: known.name,
    entry: known.entry,
    effect,
    why,
    old: old?.signature ?? null,
    new: now?.signature ?? null,
    oldPlace: old?.place ?? null,
    newPlace: now?.place ?? null,
  };
}

/** An entry that came or went as a whole is one difference. */
function withoutEntries<T>(
  differences: readonly Difference[],
  [old, now]: readonly [ItemSide<T>, ItemSide<T>],
): Difference[] {
  const entries = ({ items }: ItemSide<T>) => new Set(items.map(({ entry }) => entry));
  const [before, after] = [entries(old), entries(now)];
  const whole = new Set<string>();
  return differences.flatMap((difference): Difference[] => {
    const { entry, effect } = difference;
    const isRemoved = !after.has(entry);
    if (!isRemoved && before.has(entry)) return [difference];
    if (effect === 'unknown') return [difference];
    if (whole.has(entry)) return [];
    whole.add(entry);
    const why = isRemoved ? 'all of it was removed' : 'new';
    return [{ ...difference, name: entry, why, old: isRemoved ? entry : null, new: isRemoved ? null : entry }];
  });
}

function byId<T>(items: readonly Item<T>[]): Map<string, Item<T>> {
  return new Map(items.map((item) => [idOf(item.entry, item.key), item]));
}

const idOf = (entry: string, key: string) => `${entry}\0${key}`;

/** A difference that is not one of names, such as a field of a manifest. */
export function plainDifference(
  { name, entry, place }: { readonly name: string; readonly entry: string; readonly place: SurfacePlace },
  { effect, why }: Verdict,
  sides: { readonly old: string | null; readonly new: string | null },
): Difference {
  return {
    name,
    entry,
    effect,
    why,
    ...sides,
    oldPlace: sides.old === null ? null : place,
    newPlace: sides.new === null ? null : place,
  };
}

/** Differences of two sets of named texts: what went, what came, and what `changed` says of the rest. */
export function compareFields(
  [old, now]: readonly [ReadonlyMap<string, string>, ReadonlyMap<string, string>],
  at: (name: string) => { readonly name: string; readonly entry: string; readonly place: SurfacePlace },
  rules: {
    readonly removed: (name: string) => Verdict | null;
    readonly added: (name: string) => Verdict | null;
    readonly changed?: (name: string, old: string, now: string) => Verdict | null;
  },
): Difference[] {
  return [...new Set([...old.keys(), ...now.keys()])].flatMap((name): Difference[] => {
    const sides = { old: old.get(name) ?? null, new: now.get(name) ?? null };
    if (sides.old === sides.new) return [];
    const verdict =
      sides.new === null
        ? rules.removed(name)
        : sides.old === null
          ? rules.added(name)
          : (rules.changed?.(name, sides.old, sides.new) ?? null);
    return verdict === null ? [] : [plainDifference(at(name), verdict, sides)];
  });
}
