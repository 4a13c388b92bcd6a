import { createHash } from 'node:crypto';
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { Graph, isReached } from '../../../src/core/history/graph.ts';
import { packagesByPath } from '../../../src/core/history/touch.ts';

/** Random graphs in topological order, children first: each commit's parents come after it. */
const graphs = fc
  .integer({ min: 1, max: 40 })
  .chain((size) =>
    fc.tuple(
      ...Array.from({ length: size }, (_, index) =>
        fc.uniqueArray(fc.integer({ min: index + 1, max: size + 2 }), { maxLength: 3 }),
      ),
    ),
  );

const idOf = (index: number) => createHash('sha1').update(String(index)).digest('hex');

function build(parents: readonly (readonly number[])[]): Graph {
  const graph = new Graph();
  for (const [index, list] of parents.entries()) graph.add(idOf(index), list.map(idOf));
  return graph;
}

/** Ancestors by recursion, as naive as can be. */
function ancestors(parents: readonly (readonly number[])[], index: number): Set<number> {
  return new Set([
    index,
    ...(parents[index] ?? [])
      .filter((index) => index < parents.length)
      .flatMap((index) => [...ancestors(parents, index)]),
  ]);
}

test('what is reachable, one commit or many at once, is what recursion finds', () => {
  fc.assert(
    fc.property(graphs, fc.array(fc.nat(39), { minLength: 1, maxLength: 40 }), (parents, picks) => {
      const graph = build(parents);
      const starts = picks.map((pick) => pick % parents.length);
      const carried = graph.carry(starts.map((start) => [start]));
      for (const [set, start] of starts.entries()) {
        const expected = ancestors(parents, start);
        const marks = graph.reachable([start]);
        for (let index = 0; index < graph.size; index++) {
          expect(marks[index] === 1).toBe(expected.has(index));
          expect(isReached(carried, index, set)).toBe(expected.has(index));
          expect(graph.reaches(start, index)).toBe(expected.has(index));
        }
        const without = starts[(set + 1) % starts.length] ?? null;
        const taken = without === null ? new Set<number>() : ancestors(parents, without);
        expect(graph.reachableOnly(start, without)).toEqual(
          [...expected].filter((index) => !taken.has(index)).sort((a, b) => a - b),
        );
        expect(graph.reachableOnly(start, null)).toEqual([...expected].sort((a, b) => a - b));
      }
    }),
    { numRuns: 200 },
  );
});

test('commits are found by full and shortened ids', () => {
  const graph = build(Array.from({ length: 5000 }, () => []));

  for (let index = 0; index < 5000; index += 7) {
    expect(graph.idOf(index)).toBe(idOf(index));
    expect(graph.indexOf(idOf(index))).toBe(index);
    for (const length of [7, 8, 9, 12, 39, 40]) expect(graph.indexOfPrefix(idOf(index).slice(0, length))).toBe(index);
  }
  expect(graph.indexOf(idOf(5000))).toBeNull();
  expect(graph.indexOfPrefix(idOf(5000).slice(0, 7))).toBeNull();
});

const [low, high] = ['0123456789abcdef0123456789abcdef01234567', '0123456fffffffffffffffffffffffffffffffff'];

test.each<[string, string, readonly string[], number | null]>([
  ['of two that begin so', '0123456', [low, high], null],
  ['of two, the one that goes on so', '01234567', [low, high], 0],
  ['with an odd number of digits', '0123456ff', [low, high], 1],
  ['shorter than git shortens', '012345', [low], null],
  ['that is longer than every id', `${low}0`, [low], null],
  ['of SHA-256', '0123456789abcdef0123456789abcdef01234567a', [`${low}abcdef0123456789abcdef01`], 0],
  ['in an empty history', '0123456', [], null],
])('a shortened id %s', (_, prefix, ids, expected) => {
  const graph = new Graph();
  for (const id of ids) graph.add(id, []);

  expect(graph.indexOfPrefix(prefix)).toBe(expected);
});

test('finds each of many ids that share their slots', () => {
  const ids = Array.from({ length: 300 }, (_, index) => `0123456${(index % 16).toString(16)}${idOf(index).slice(8)}`);
  const graph = new Graph();
  for (const id of ids) graph.add(id, []);

  for (const [index, id] of ids.entries()) {
    expect(graph.indexOf(id)).toBe(index);
    expect(graph.indexOfPrefix(id.slice(0, 20))).toBe(index);
  }
  expect(graph.indexOfPrefix('0123456')).toBeNull();
});

test.each([
  ['packages/a/src/x.js', [1]],
  ['packages/a/inner/x.js', [2]],
  ['packages/ab/x.js', [0]],
  ['top.txt', [0]],
  ['shared/deep/x.h', [0, 1]],
  ['bevelstone.yaml', []],
])('%s belongs to %j', (path, owners) => {
  const find = packagesByPath([
    { folder: '.', also: [] },
    { folder: './packages/a/', also: ['shared/**'] },
    { folder: 'packages/a/inner', also: [] },
  ]);

  expect(find(path)).toEqual(owners);
});
