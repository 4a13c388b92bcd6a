import { createHash } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import type { Commit } from '../../../src/core/history/commit.ts';
import { type Counting, countChanges } from '../../../src/core/history/count-changes.ts';
import { Amendments } from '../../../src/core/history/meaning.ts';
import { packagesByPath } from '../../../src/core/history/touch.ts';
import { Walk } from '../../../src/core/history/walk.ts';

const idOf = (index: number) => createHash('sha1').update(`commit ${index}`).digest('hex');

type Spec = { readonly parents: readonly number[]; readonly touches: number; readonly reverts: number | null };

/** Random histories: each commit's parents come after it, it touches one package, both or none, and may revert an older one. */
const histories = fc.integer({ min: 2, max: 24 }).chain((size) =>
  fc.tuple(
    ...Array.from({ length: size }, (_, index) =>
      fc.record({
        parents:
          index === size - 1
            ? fc.constant([])
            : fc.uniqueArray(fc.integer({ min: index + 1, max: size - 1 }), { minLength: 1, maxLength: 2 }),
        touches: fc.nat(3),
        reverts:
          index === size - 1
            ? fc.constant(null)
            : fc.option(fc.integer({ min: index + 1, max: size - 1 }), { freq: 4 }),
      }),
    ),
  ),
);

function walk(specs: readonly Spec[]): Walk {
  const made = new Walk({
    owners: packagesByPath([
      { folder: 'a', also: [] },
      { folder: 'b', also: [] },
    ]),
    isWriteBackPath: () => false,
    meaning: { weights: { breaking: 'major', feat: 'minor', fix: 'patch' }, patterns: [], unmarkedWeight: 'none' },
    amendments: new Amendments({}),
    keepOthers: false,
  });
  for (const [index, { parents, touches, reverts }] of specs.entries()) {
    const commit: Commit = {
      id: idOf(index),
      parents: parents.map(idOf),
      author: { name: 'Boat', email: '' },
      message: reverts === null ? 'feat: x' : `Revert\n\nThis reverts commit ${idOf(reverts)}.`,
      cut: false,
      paths: [...(touches & 1 ? ['a/x'] : []), ...(touches & 2 ? ['b/x'] : [])],
    };
    made.add(commit);
  }
  return made;
}

/** Ancestors by recursion, as naive as can be. */
function ancestors(specs: readonly Spec[], index: number): Set<number> {
  return new Set([index, ...(specs[index]?.parents ?? []).flatMap((parent) => [...ancestors(specs, parent)])]);
}

/** What counts for a package, told once more without any of the program's shortcuts (steps 7 and 12). */
function naive(specs: readonly Spec[], owner: number, last: number): Set<number> {
  const released = ancestors(specs, last);
  const touching = [...specs.keys()].filter(
    (index) => ((specs[index]?.touches ?? 0) >> owner) & 1 && !released.has(index),
  );
  const cancelled = new Set<number>();
  for (const index of touching) {
    const target = specs[index]?.reverts ?? null;
    if (target === null || cancelled.has(index)) continue;
    if (!ancestors(specs, index).has(target) || released.has(target)) continue;
    const parents = specs[target]?.parents ?? [];
    const kept = parents.length < 2 ? new Set<number>() : ancestors(specs, parents[0] ?? 0);
    const undone =
      parents.length < 2 ? [target] : [...ancestors(specs, target)].filter((ancestor) => !kept.has(ancestor));
    for (const index of undone) if (!released.has(index)) cancelled.add(index);
    cancelled.add(index);
  }
  return new Set(touching.filter((index) => !cancelled.has(index)));
}

test('what counts on random histories with merges and reverts is what recursion finds', () => {
  fc.assert(
    fc.property(histories, fc.nat(23), fc.nat(23), (specs, index, other) => {
      const lasts = [index % specs.length, other % specs.length];
      const starts = lasts.map((last) => ({ last: idOf(last), lastInSeries: null, others: [] }));

      const counted = countChanges({ walk: walk(specs), starts, released: new Map(), revertWeight: null });

      for (const owner of [0, 1]) {
        const found = [...(counted[owner]?.changes ?? [])]
          .filter((change) => change.counted)
          .map(({ commit }) => commit);
        const expected = [...naive(specs, owner, lasts[owner] ?? 0)].map(idOf);
        expect(new Set(found)).toEqual(new Set(expected));
      }
    }),
    { numRuns: 500 },
  );
});

describe('a revert of something released', () => {
  const item = (reverts: string, known: Counting['released'], revertWeight: 'none' | null = null) => {
    const made = walk([{ parents: [], touches: 0, reverts: null }]);
    made.add({
      id: idOf(9),
      parents: [],
      author: { name: 'Boat', email: '' },
      message: `Revert\n\nThis reverts commit ${reverts}.`,
      cut: false,
      paths: ['a/x'],
    });
    const [counted] = countChanges({
      walk: made,
      starts: [{ last: null, lastInSeries: null, others: [] }],
      released: known,
      revertWeight,
    });
    return { weight: counted?.tally.weight ?? null, warnings: counted?.warnings ?? [] };
  };

  it.each([
    ['major', 'minor', 1],
    ['minor', 'minor', 1],
    ['patch', 'patch', 0],
    ['none', 'patch', 0],
  ] as const)('that weighed %s weighs %s, with %i warning', (weight, expected, warnings) => {
    const result = item('abcdef12', new Map([['abcdef12', { weight }]]));

    expect(result.weight).toBe(expected);
    expect(result.warnings).toHaveLength(warnings);
  });

  it('has the configured weight, and patch if there is none', () => {
    expect(item('abcdef12', new Map([['abcdef12', { weight: 'minor' }]]), 'none').weight).toBe('none');
    expect(item('abcdef12', new Map()).weight).toBe('patch');
  });
});

it('a walk keeps commits outside every package on request, and recognises merges', () => {
  const others = (keepOthers: boolean) => {
    const made = new Walk({
      owners: packagesByPath([{ folder: 'a', also: [] }]),
      isWriteBackPath: () => false,
      meaning: { weights: {}, patterns: [], unmarkedWeight: 'none' },
      amendments: new Amendments({}),
      keepOthers,
    });
    const author = { name: 'Boat', email: '' };
    const commit = (index: number, parents: readonly number[], paths: readonly string[]) =>
      made.add({ id: idOf(index), parents: parents.map(idOf), author, message: `docs: ${index}`, cut: false, paths });
    commit(0, [1, 2], ['README.md']);
    commit(1, [3], ['README.md']);
    commit(2, [3], ['a/x']);
    commit(3, [], ['README.md']);
    return made.others.map(({ subject, isMerge }) => [subject, isMerge]);
  };

  expect(others(false)).toEqual([]);
  expect(others(true)).toEqual([
    ['docs: 0', true],
    ['docs: 1', false],
    ['docs: 3', false],
  ]);
});
