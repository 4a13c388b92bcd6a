import { expect, it } from 'vitest';
import type { DependencyEdge } from '../../../src/core/history/dependency.ts';
import { type BuildCandidate, planBuild } from '../../../src/core/plan/build-plan.ts';

const commit = 'a'.repeat(40);
const tag = (version: string, at = commit) => ({ tag: `v${version}`, version, commit: at });

function candidate(index: number, facts: Partial<BuildCandidate> = {}): BuildCandidate {
  return { index, next: null, last: null, changes: [], ...facts };
}

function edge(from: number, to: number, kind: DependencyEdge['kind'] = 'run'): DependencyEdge {
  return { from, to, kind, range: '*', isReExported: false, accepts: () => true, takes: () => true };
}

const plan = (candidates: readonly BuildCandidate[], edges: readonly DependencyEdge[] = [], uncommitted = false) =>
  planBuild({ names: ['a', 'b', 'c'], candidates, edges, commit, first: '0.1.0', uncommitted });

it('builds what has a next version, and what was released at this very commit', () => {
  const { versions } = plan([
    candidate(0, { next: '1.1.0', last: tag('1.0.0') }),
    candidate(1, { last: tag('2.0.0') }),
    candidate(2, { last: tag('3.0.0', 'b'.repeat(40)) }),
  ]);

  expect([...versions]).toEqual([
    [0, '1.1.0'],
    [1, '2.0.0'],
  ]);
});

it('builds each package after what it needs, but not after what only its development needs', () => {
  const all = [0, 1, 2].map((index) => candidate(index, { next: '1.0.0' }));
  const { order, needs } = plan(all, [edge(0, 1), edge(1, 2, 'build'), edge(2, 0, 'development')]);

  expect(order).toEqual([2, 1, 0]);
  expect([needs(0), needs(1), needs(2)]).toEqual([[1], [2], []]);
});

it.each([
  [{ next: '1.1.0', last: tag('1.0.0') }, '1.1.0'],
  [{ last: tag('1.0.0') }, '1.0.1'],
  [{}, '0.1.0'],
])('of a working tree a package with %j is built as %s, below every release', (facts, core) => {
  const { versions } = plan([candidate(0, { ...facts, changes: { length: 4 } })], [], true);

  expect(versions.get(0)).toBe(`${core}-0.preview.uncommitted.4+aaaaaaa.dirty`);
});

it('refuses packages that need each other', () => {
  expect(() => plan([candidate(0, { next: '1.0.0' })], [edge(0, 1), edge(1, 0)])).toThrow(
    expect.objectContaining({ code: 'DEPENDENCY_CIRCLE' }),
  );
});
