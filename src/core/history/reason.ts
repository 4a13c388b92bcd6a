import type { Change, PackageChanges } from './count-changes.ts';

const words: Readonly<Record<string, readonly [string, string]>> = {
  feat: ['feature', 'features'],
  fix: ['fix', 'fixes'],
  revert: ['taken back', 'taken back'],
};

/** Why a package is released, in a few words: `1 breaking change, 2 features, 1 fix`. */
export function reasonOfRelease({ changes }: PackageChanges): string {
  const counted = changes.filter(({ counted, item }) => counted && item.weight !== 'none');
  const breaking = counted.filter(isBreaking);
  const groups = new Map<string, number>();
  for (const change of counted.filter((change) => !isBreaking(change))) {
    const kind = change.item.kind ?? 'unmarked';
    groups.set(kind, (groups.get(kind) ?? 0) + 1);
  }
  const order = [...groups.keys()].sort((a, b) => rank(a) - rank(b) || (a < b ? -1 : 1));
  const parts = order.map((kind) =>
    countWords(groups.get(kind) ?? 0, words[kind] ?? [`${kind} change`, `${kind} changes`]),
  );
  return [
    ...(breaking.length > 0 ? [countWords(breaking.length, ['breaking change', 'breaking changes'])] : []),
    ...parts,
  ].join(', ');
}

/** Why a package is not released, in a few words: `only docs and tests changed`. */
export function reasonOfRest({ changes }: PackageChanges, last: string | null): string {
  if (changes.length === 0) return last === null ? 'nothing committed yet' : `no changes since ${last}`;
  if (changes.every(({ counted }) => !counted)) {
    if (changes.some(({ why }) => why.startsWith('cancelled'))) return 'every change was taken back';
    return changes.every(({ why }) => why === 'records a release') ? `no changes since ${last}` : 'no change counts';
  }
  const kinds = new Set(
    changes
      .filter(({ counted }) => counted)
      .map(({ item: { kind } }) => (kind === 'test' ? 'tests' : (kind ?? 'unmarked commits'))),
  );
  return `only ${listWords([...kinds].sort())} changed`.replace('unmarked commits changed', 'unmarked commits');
}

function isBreaking({ item }: Change): boolean {
  return item.breaking !== null;
}

function rank(kind: string): number {
  const index = ['feat', 'fix', 'perf', 'revert'].indexOf(kind);
  return index === -1 ? 9 : index;
}

function countWords(count: number, [value, many]: readonly [string, string]): string {
  return `${count} ${count === 1 ? value : many}`;
}

function listWords(list: readonly string[]): string {
  if (list.length < 2) return list.join('');
  return `${list.slice(0, -1).join(', ')} and ${list.at(-1)}`;
}
