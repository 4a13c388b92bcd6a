import type { Weight } from '../version/weight.ts';

/** Where something stands in an artifact: path inside it, and line from 1; null for a file without lines. */
export type SurfacePlace = { readonly file: string; readonly line: number | null };

/** `index.d.ts:9`. */
export function placeText({ file, line }: SurfacePlace): string {
  return line === null ? file : `${file}:${line}`;
}

/** One thing that users can refer to. */
export type SurfaceName = {
  /** Members have the name of their owner before them: `Tide.height`. */
  readonly name: string;
  readonly kind: string;
  readonly signature: string;
  readonly place: SurfacePlace | null;
};

/** What one entry point or module offers. */
export type SurfaceEntry = { readonly entry: string; readonly names: readonly SurfaceName[] };

/** Something that could not be read, and why. @see entry null for the whole artifact. */
export type NotChecked = { readonly entry: string | null; readonly why: string };

/** How many owners stand above a name: 1 for `Tide.height(sea.Port)`, 0 for a name of its own. */
export function depthOf({ name, kind }: Pick<SurfaceName, 'name' | 'kind'>): number {
  if (kind === 'program' || kind === 'feature' || kind === 'file') return 0;
  // Parameters, type arguments, versions and implemented traits have dots and colons of their own.
  const bare = /^.*?(?=: |[([<@]|$)/s.exec(name)?.[0] ?? name;
  // These belong to the type that they are called after.
  const isUnnamed = kind === 'constructor' || kind === 'implementation';
  return bare.split(/\.|::/).length - (isUnnamed ? 0 : 1);
}

/** What users of an artifact can refer to. */
export type Surface = { readonly entries: readonly SurfaceEntry[]; readonly notChecked: readonly NotChecked[] };

/** What a difference means for users of the old artifact. */
export type Effect = 'breaking' | 'addition' | 'compatible' | 'unknown';

/** One difference between two surfaces. */
export type Difference = {
  readonly name: string;
  readonly entry: string;
  /** Other entries that give the same; left out where there are none. */
  readonly alsoIn?: readonly string[];
  readonly effect: Effect;
  /** Signatures; null where there is none. */
  readonly old: string | null;
  readonly new: string | null;
  readonly why: string;
  readonly oldPlace: SurfacePlace | null;
  readonly newPlace: SurfacePlace | null;
};

/** Two surfaces and what differs, most important first. */
export type SurfaceComparison = {
  readonly before: Surface;
  readonly after: Surface;
  readonly differences: readonly Difference[];
};

/** The smallest step of a version that differences allow; `unknown` where a breaking one may be among them. */
export type SurfaceStep = Weight | 'unknown';

/** `2 additions`, `1 breaking`. */
export function countText(effect: Effect, count: number): string {
  return `${count} ${effect === 'addition' && count > 1 ? 'additions' : effect}`;
}

/** In order of importance. */
export const effects: readonly Effect[] = ['breaking', 'unknown', 'addition', 'compatible'];

/** The step that differences ask for (SemVer 2.0.0, items 6 to 8). */
export function stepFor(differences: readonly Pick<Difference, 'effect'>[]): SurfaceStep {
  const found = new Set(differences.map(({ effect }) => effect));
  if (found.has('breaking')) return 'major';
  if (found.has('unknown')) return 'unknown';
  if (found.has('addition')) return 'minor';
  return found.has('compatible') ? 'patch' : 'none';
}

/** Most important first, then by entry and name; what several entries have in common appears once. */
export function sortDifferences(differences: readonly Difference[]): Difference[] {
  const byKey = new Map<string, Difference[]>();
  for (const difference of differences) {
    const { name, effect, old, new: now } = difference;
    // A name that is gone is gone, whatever else is said of it.
    const key = JSON.stringify([name, effect, now === null || difference.why, old, now]);
    const known = byKey.get(key);
    if (known === undefined) byKey.set(key, [difference]);
    else known.push(difference);
  }
  const distinct = [...byKey.values()].flatMap((alike): Difference[] => {
    const [first] = alike;
    const others = [...new Set(alike.map(({ entry }) => entry))].filter((entry) => entry !== first?.entry);
    return first === undefined ? [] : [others.length === 0 ? first : { ...first, alsoIn: others }];
  });
  const compare = (a: string, b: string) => (a < b ? -1 : a > b ? 1 : 0);
  return distinct.sort(
    (a, b) =>
      effects.indexOf(a.effect) - effects.indexOf(b.effect) || compare(a.entry, b.entry) || compare(a.name, b.name),
  );
}

/** The text that a surface's digest is made of: one line for each name, sorted. */
export function surfaceText({ entries }: Surface): string {
  const lines = entries.flatMap(({ entry, names }) =>
    names.map(({ name, kind, signature }) => JSON.stringify([entry, name, kind, signature])),
  );
  return `${[...new Set(lines)].sort().join('\n')}\n`;
}
