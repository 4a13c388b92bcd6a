import { describe, expect, it } from 'vitest';
import { withTally } from '../../../src/core/history/count-changes.ts';
import type { ManifestDependency } from '../../../src/core/manifest/package-manifest.ts';
import {
  dependencyEdges,
  elsewhereNote,
  groupIndexes,
  isShown,
  joinByOwner,
  joinChanges,
  type ListedPackage,
  manifestNotes,
  type PackageHistory,
  surveyedPackage,
} from '../../../src/core/plan/survey-parts.ts';
import type { Stream } from '../../../src/core/version/stream.ts';
import type { VersionTag } from '../../../src/core/version/tag-pattern.ts';

const tagOf = (version: string): VersionTag => ({ tag: `v${version}`, version, commit: 'c0' });
const stable: Stream = { type: 'stable', name: 'stable' };

type Facts = {
  readonly ecosystem?: ListedPackage['ecosystem'];
  readonly called?: string;
  readonly written?: string;
  readonly needs?: readonly ManifestDependency[];
  readonly reExports?: readonly string[];
  readonly last?: string;
};

function history(name: string, facts: Facts = {}): PackageHistory<ListedPackage> {
  const { ecosystem = 'node', called = name, written = null, needs = [], reExports = [], last } = facts;
  return {
    own: {
      name,
      fullName: called,
      folder: '',
      ecosystem,
      manifest: { name: called, version: written, description: null, licence: null, dependencies: [...needs] },
      config: { 're-exports': reExports },
    },
    tags: [],
    release: { last: last === undefined ? null : tagOf(last), lastInSeries: null, elsewhere: [] },
    counted: withTally([], []),
    here: null,
  };
}

const need = (name: string, range: string): ManifestDependency => ({ name, range, kind: 'run' });

describe('edges between packages', () => {
  it('follow the names of the manifests, inside one ecosystem', () => {
    const packages = [
      history('tidemark', {
        needs: [need('@fen/gauges', '^1.0.0'), need('elsewhere', '*')],
        reExports: ['@fen/gauges'],
      }),
      history('gauges', { called: '@fen/gauges', last: '1.2.0' }),
      history('gauges-py', { ecosystem: 'python', called: '@fen/gauges' }),
    ];

    const edges = dependencyEdges(packages);

    expect(edges.map(({ from, to, isReExported }) => [from, to, isReExported])).toEqual([[0, 1, true]]);
    expect([edges[0]?.takes('1.9.0'), edges[0]?.takes('2.0.0')]).toEqual([true, false]);
  });

  it('resolve a workspace range by the last release', () => {
    const packages = [
      history('tidemark', { needs: [need('gauges', 'workspace:^')] }),
      history('gauges', { last: '1.2.0' }),
    ];

    const [edge] = dependencyEdges(packages);

    expect([edge?.takes('1.3.0'), edge?.takes('2.0.0')]).toEqual([true, false]);
  });

  it('leave a package out that needs itself', () => {
    expect(dependencyEdges([history('tidemark', { needs: [need('tidemark', '*')] })])).toEqual([]);
  });
});

it('a group has the places of its packages, without those that the commit does not have', () => {
  const packages = [{ name: 'a' }, { name: 'b' }];

  expect(groupIndexes([['b', 'a', 'later'], []], packages)).toEqual([[1, 0], []]);
});

it.each<[number[] | null, number[], string]>([
  [null, [0, 1, 2], 'all when none was named'],
  [[2], [2], 'the one that was named'],
  [[0], [0, 1], 'the whole group of the one that was named'],
])('of packages %j these are shown: %j, %s', (selected, shown) => {
  const chosen = selected === null ? null : new Set(selected);

  expect([0, 1, 2].filter((index) => isShown(index, chosen, [[0, 1]]))).toEqual(shown);
});

describe('joining answers', () => {
  const packages = [history('a').own, history('b').own];
  const release = { last: null, lastInSeries: null, elsewhere: [] };

  it('gives each package its own, and the highest tag of the commit', () => {
    const joined = joinByOwner(packages, {
      tags: [[tagOf('1.0.0')], []],
      releases: [release, release],
      here: [[tagOf('1.1.0'), tagOf('1.0.0')], []],
    });

    expect(joined.map(({ own, tags, here }) => [own.name, tags.length, here?.version])).toEqual([
      ['a', 1, '1.1.0'],
      ['b', 0, undefined],
    ]);
  });

  it('fails when an answer is missing, instead of giving it to another package', () => {
    expect(() => joinByOwner(packages, { tags: [[], []], releases: [release], here: [[], []] })).toThrow(
      'no answer for b',
    );
    expect(() =>
      joinChanges(joinByOwner(packages, { tags: [[], []], releases: [release, release], here: [[], []] }), []),
    ).toThrow('no changes for a');
  });
});

describe('a package of a survey', () => {
  const answer = { next: '1.3.0', weight: 'minor', isShifted: false, reasons: ['1 feature'], because: null } as const;

  it('has the spellings of its next version', () => {
    const surveyed = surveyedPackage(history('tidemark', { last: '1.2.0' }), answer, stable);

    expect(surveyed).toMatchObject({ folder: '.', last: { version: '1.2.0' }, next: '1.3.0' });
    expect(surveyed.spellings).toMatchObject({ python: '1.3.0', debian: '1.3.0-1' });
  });

  it('refuses a version that its ecosystem cannot write', () => {
    const early: Stream = { type: 'labelled', name: 'early', identifier: 'early', spell: null, count: 'releases' };

    expect(() =>
      surveyedPackage(history('tidemark-py', { ecosystem: 'python' }), { ...answer, next: '1.3.0-early.1' }, early),
    ).toThrow(expect.objectContaining({ code: 'STREAM_UNSPELLABLE' }));
  });
});

it.each([
  ['1.2.0', '1.2.0', []],
  ['0.0.0', '1.2.0', []],
  ['1.1.0', '1.2.0', ['the manifest says otherwise than the last tag, which counts: a 1.1.0 (tag 1.2.0)']],
  ['2.0.0', '1.2.0', ['a: the manifest says 2.0.0, ahead of what would be released; the last tag is 1.2.0']],
  ['seven', '1.2.0', ['the manifest says otherwise than the last tag, which counts: a seven (tag 1.2.0)']],
  ['1.1.0', undefined, []],
])('of a manifest with %s and the last tag %s is noted: %j', (written, last, notes) => {
  const facts = { written, ...(last === undefined ? {} : { last }) };
  const surveyed = surveyedPackage(
    history('a', facts),
    { next: null, weight: 'none', isShifted: false, reasons: [], because: null },
    stable,
  );

  expect(manifestNotes([surveyed])).toEqual(notes);
});

it('notes that many manifests differ in one line', () => {
  const rest = { next: null, weight: 'none', isShifted: false, reasons: [], because: null } as const;
  const surveyed = ['a', 'b', 'c', 'd', 'e'].map((name) =>
    surveyedPackage(history(name, { written: '1.0.0', last: '1.2.0' }), rest, stable),
  );

  expect(manifestNotes(surveyed)).toEqual([expect.stringMatching(/: a .*, b .*, c .* and 2 more$/)]);
});

it('notes tags on another line', () => {
  const packageHistory = history('a');

  expect(elsewhereNote(packageHistory)).toBeNull();
  expect(
    elsewhereNote({
      ...packageHistory,
      release: { ...packageHistory.release, elsewhere: [tagOf('2.0.0'), tagOf('2.1.0')] },
    }),
  ).toBe('a: v2.0.0, v2.1.0 are on another line, not in this commit');
});
