import type { Tally } from './tally.ts';

const words: Readonly<Record<string, readonly [string, string]>> = {
  feat: ['feature', 'features'],
  fix: ['fix', 'fixes'],
  revert: ['taken back', 'taken back'],
};

/** Why a package is released, in a few words: `1 breaking change, 2 features, 1 fix`. */
export function reasonOfRelease({ breaking, weighing }: Tally): string {
  const groups = [...weighing].sort(([a], [b]) => rank(a) - rank(b) || (a < b ? -1 : 1));
  return [
    ...(breaking > 0 ? [countWords(breaking, ['breaking change', 'breaking changes'])] : []),
    ...groups.map(([kind, count]) => countWords(count, words[kind] ?? [`${kind} change`, `${kind} changes`])),
  ].join(', ');
}

/** Why a package is not released, in a few words: `only docs and tests changed`. */
export function reasonOfRest(
  { changes, countedCommits, hasCancelled, onlyRecords, kinds }: Tally,
  last: string | null,
): string {
  if (changes === 0) return last === null ? 'nothing committed yet' : `no changes since ${last}`;
  if (countedCommits === 0) {
    if (hasCancelled) return 'every change was taken back';
    return onlyRecords ? `no changes since ${last}` : 'no change counts';
  }
  const named = [...kinds].map((kind) => (kind === 'test' ? 'tests' : (kind ?? 'unmarked commits')));
  return `only ${listWords([...new Set(named)].sort())} changed`.replace(
    'unmarked commits changed',
    'unmarked commits',
  );
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
