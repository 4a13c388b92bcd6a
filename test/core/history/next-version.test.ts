import { describe, expect, it } from 'vitest';
import type { Change } from '../../../src/core/history/change.ts';
import { subjectOf } from '../../../src/core/history/commit.ts';
import { withTally } from '../../../src/core/history/count-changes.ts';
import type { DependencyEdge } from '../../../src/core/history/dependency.ts';
import { nextVersions, type PackageFacts, type VersionRules } from '../../../src/core/history/next-version.ts';
import type { Weight } from '../../../src/core/version/weight.ts';

const change = (kind: string, weight: Weight, more: Partial<Change> = {}): Change => ({
  item: { kind, scope: null, summary: kind, breaking: weight === 'major' ? kind : null, weight },
  commit: 'c'.repeat(40),
  counted: true,
  why: kind,
  author: { name: 'Harbour desk', email: 'harbour@fenmarsh.example' },
  references: { issues: [], coAuthors: [], pickedFrom: [], reverts: [], releases: [] },
  unmarked: false,
  sinceSeries: true,
  takesFromSeries: false,
  ...more,
});

const facts = (name: string, last: string | null, changes: readonly Change[], more: Partial<PackageFacts> = {}) => ({
  name,
  tags: last === null ? [] : [{ version: last, tag: `${name}/${last}`, commit: 'a'.repeat(40) }],
  last,
  lastInSeries: null,
  elsewhere: [],
  manifestVersion: null,
  floors: [],
  tagAdvice: null,
  changes: withTally(changes, []),
  ...more,
});

const rules = (more: Partial<VersionRules> = {}): VersionRules => ({
  stream: { type: 'stable', name: 'stable' },
  head: 'b'.repeat(40),
  dirty: false,
  first: '0.1.0',
  belowOne: 'shift',
  unmarked: 'none',
  groups: [],
  edges: [],
  overrides: { exactly: null, raise: null, because: null },
  selected: null,
  ...more,
});

const answer = (packages: readonly PackageFacts[], more: Partial<VersionRules> = {}) => {
  const { packages: answers, problems } = nextVersions(packages, rules(more));
  return { next: answers.map(({ next }) => next), answers, problems: problems.map(({ code }) => code) };
};

describe('the next version', () => {
  it.each<[string, string | null, Weight, 'shift' | 'keep', string, Weight, boolean]>([
    ['a feature', '1.2.3', 'minor', 'shift', '1.3.0', 'minor', false],
    ['a fix', '1.2.3', 'patch', 'shift', '1.2.4', 'patch', false],
    ['a breaking change', '1.2.3', 'major', 'shift', '2.0.0', 'major', false],
    ['a feature below 1.0.0', '0.3.0', 'minor', 'shift', '0.3.1', 'patch', true],
    ['a breaking change below 1.0.0', '0.3.0', 'major', 'shift', '0.4.0', 'minor', true],
    ['a feature below 1.0.0 that keeps its weight', '0.3.0', 'minor', 'keep', '0.4.0', 'minor', false],
    ['a fix below 1.0.0', '0.3.0', 'patch', 'shift', '0.3.1', 'patch', true],
  ])('of %s', (_, last, weight, belowOne, next, effective, isShifted) => {
    const { answers } = answer([facts('coast', last, [change('x', weight)])], { belowOne });

    expect(answers[0]).toMatchObject({ next, weight: effective, isShifted });
    expect(answers[0]?.reasons.some((reason) => reason.startsWith('below-one:'))).toBe(effective !== weight);
  });

  it('of a first release is the higher of the configured one and that of the manifest', () => {
    const first = (manifestVersion: string | null) =>
      answer([facts('coast', null, [change('feat', 'minor')], { manifestVersion })]).next[0];

    expect([null, '0.0.0', '0.0.9', '2.1.0', 'unknown'].map(first)).toEqual([
      '0.1.0',
      '0.1.0',
      '0.1.0',
      '2.1.0',
      '0.1.0',
    ]);
    expect(answer([facts('coast', null, [])]).next).toEqual([null]);
  });

  it('raises at least as asked, and never less', () => {
    const raised = (weight: Weight, raise: Weight) =>
      answer([facts('coast', '1.2.3', [change('x', weight)])], { overrides: { exactly: null, raise, because: 'why' } });

    expect(raised('patch', 'major').next).toEqual(['2.0.0']);
    expect(raised('major', 'patch').next).toEqual(['2.0.0']);
    expect(raised('none', 'minor').answers[0]?.reasons).toEqual(['raised to minor', 'why']);
  });

  it.each<[string, string, readonly PackageFacts[], readonly string[]]>([
    ['one package', '3.0.0', [facts('coast', '1.2.3', [])], []],
    ['two packages', '3.0.0', [facts('coast', '1.2.3', []), facts('gauges', '1.0.0', [])], ['VERSION_REFUSED']],
    ['not above the last release', '1.2.3', [facts('coast', '1.2.3', [])], ['VERSION_REFUSED']],
    ['no version', '1.3', [facts('coast', '1.2.3', [])], ['VERSION_REFUSED']],
    ['a prerelease on a stable stream', '2.0.0-rc.1', [facts('coast', '1.2.3', [])], ['VERSION_REFUSED']],
  ])('exactly as asked: %s, %s', (_, exactly, packages, problems) => {
    expect(answer(packages, { overrides: { exactly, raise: null, because: null } }).problems).toEqual(problems);
  });

  it('is shared by a group, from the highest last version', () => {
    const { next } = answer(
      [facts('a', '1.2.0', [change('fix', 'patch')]), facts('b', '1.4.0', []), facts('c', '9.0.0', [])],
      { groups: [[0, 1]] },
    );

    expect(next).toEqual(['1.4.1', '1.4.1', null]);
  });

  it.each<[DependencyEdge['kind'], string | null]>([
    ['run', '1.0.1'],
    ['peer', '2.0.0'],
    ['development', null],
  ])('of a dependant follows a %s dependency that leaves its range: %s', (kind, next) => {
    const edge: DependencyEdge = {
      from: 1,
      to: 0,
      kind,
      range: '^1.0.0',
      isReExported: false,
      takes: (version) => version.startsWith('1.'),
    } as DependencyEdge;

    const packages = [facts('tides', '1.0.0', [change('x', 'major')]), facts('gauges', '1.0.0', [])];

    expect(answer(packages, { edges: [edge] }).next).toEqual(['2.0.0', next]);
    expect(
      answer([facts('tides', '1.0.0', [change('x', 'minor')]), facts('gauges', '1.0.0', [])], { edges: [edge] }).next,
    ).toEqual(['1.1.0', null]);
  });

  it('refuses a version that is tagged elsewhere', () => {
    const tags = [{ version: '1.2.4', tag: 'coast/1.2.4', commit: 'd'.repeat(40) }];

    expect(answer([facts('coast', '1.2.3', [change('fix', 'patch')], { tags })]).problems).toEqual([
      'VERSION_ELSEWHERE',
    ]);
  });

  it('counts on from the highest number of a prerelease series', () => {
    const stream = { type: 'labelled', name: 'early', identifier: 'early', spell: 'alpha', count: 'releases' } as const;
    const tagged = (version: string) => ({ version, tag: `coast/${version}`, commit: 'd'.repeat(40) });
    const next = (changes: readonly Change[], versions: readonly string[], lastInSeries: string | null) =>
      answer([facts('coast', '1.2.3', changes, { tags: versions.map(tagged), lastInSeries })], { stream }).next;

    expect(next([change('feat', 'minor')], [], null)).toEqual(['1.3.0-early.1']);
    expect(next([change('feat', 'minor')], ['1.3.0-early.1', '1.3.0-early.4'], '1.3.0-early.1')).toEqual([
      '1.3.0-early.5',
    ]);
    expect(next([change('feat', 'minor', { sinceSeries: false })], ['1.3.0-early.1'], '1.3.0-early.1')).toEqual([null]);
  });
});

it.each([
  ['fix: x', 'fix: x'],
  ['fix: x \n\nbody', 'fix: x'],
  ['\nfix: x', ''],
  ['', ''],
])('the subject of %j is %j', (message, subject) => {
  expect(subjectOf(message)).toBe(subject);
});
