import fc from 'fast-check';
import semver from 'semver';
import { describe, expect, it } from 'vitest';
import { nodeRangeTakes, raiseNodeRange } from '../../../src/core/ecosystem/node/ranges.ts';
import { readVersion, strictReading, versionLike } from '../../../src/core/version/loose-version.ts';
import { pointerFor } from '../../../src/core/version/pointer.ts';
import { chooseStream, counterOf, previewLabel } from '../../../src/core/version/stream.ts';
import { assignTags, formatTag, formatTagPatterns } from '../../../src/core/version/tag-pattern.ts';
import { bump, highestVersion, isVersion } from '../../../src/core/version/version.ts';

describe('a version', () => {
  it.each([
    ['1.4.0', true],
    ['1.4.0-early.2+build.7', true],
    ['0.0.0', true],
    ['9007199254740991.0.0', true],
    ['9007199254740992.0.0', false],
    ['1.0.0-9007199254740992', false],
    ['1.4', false],
    ['v1.4.0', false],
    ['01.2.3', false],
    ['1.2.3-01', false],
    ['1.2.3-', false],
    [' 1.2.3', false],
    ['1.2.3\n', false],
  ])('%j is one: %s', (text, isOne) => {
    expect(isVersion(text)).toBe(isOne);
  });

  it('is raised to something higher by every weight but none', () => {
    const number = fc.nat(999);
    fc.assert(
      fc.property(number, number, number, fc.constantFrom('patch', 'minor', 'major'), (major, minor, patch, weight) => {
        const version = `${major}.${minor}.${patch}`;
        expect(bump(version, weight as 'patch')).toBe(semver.inc(version, weight as 'patch'));
        expect(bump(version, 'none')).toBe(version);
      }),
    );
  });
});

it.each([
  ['1.4.0-early.3', 3],
  ['1.4.0-early.12+build', 12],
  ['1.4.0-early', null],
  ['1.4.0-other.3', null],
  ['1.4.0-early.3.1', null],
  ['1.4.0-early.x', null],
  ['1.4.0', null],
])('the counter of %s in the series "early" is %s', (version, counter) => {
  expect(counterOf(version, 'early')).toBe(counter);
});

it.each<[string, string[], string | null]>([
  ['a release is above its prereleases', ['1.4.0-early.2', '1.4.0', '1.4.0-early.10'], '1.4.0'],
  ['build metadata has no order, so the first stays', ['1.4.0+fen', '1.4.0+marsh'], '1.4.0+fen'],
  ['an empty list has no highest version', [], null],
])('%s', (_, versions, highest) => {
  expect(highestVersion(versions)).toBe(highest);
});

const patterns = (...reads: string[]) => reads.map((read) => ({ ...strictReading, read }));

describe('tags', () => {
  const owners = [
    { name: 'tidemark', folder: 'packages/tidemark', tags: patterns('{package}/{version}', 'v{version}') },
    { name: 'tidemark-py', folder: 'py', tags: patterns('{package}/{version}') },
    { name: 'office', folder: 'tools/office', tags: patterns('{folder}@{version}', 'line-{major}/{version}') },
  ];

  it.each([
    ['tidemark/1.4.0', 'tidemark', '1.4.0'],
    ['v1.3.0', 'tidemark', '1.3.0'],
    ['tidemark-py/1.4.0', 'tidemark-py', '1.4.0'],
    ['tools/office@2.0.0', 'office', '2.0.0'],
    ['line-2/2.1.0', 'office', '2.1.0'],
  ])('%s belongs to %s as %s', (name, owner, version) => {
    const { byOwner } = assignTags([{ name, commit: 'c' }], owners);

    const found = byOwner.flatMap((tags, index) => tags.map((tag) => [owners[index]?.name, tag.version]));
    expect(found).toEqual([[owner, version]]);
  });

  it.each(['tidemark/1.4', 'line-1/2.1.0', 'v1.2.3.4'])('does not read %s, and says why', (name) => {
    const { byOwner, ignored } = assignTags([{ name, commit: 'c' }], owners);

    expect(byOwner.flat()).toEqual([]);
    expect(ignored).toEqual([{ tag: name, why: expect.stringContaining('MAJOR.MINOR.PATCH') }]);
  });

  it.each([
    [{ parts: 2 }, '1.2', '1.2.0'],
    [{ parts: 2 }, '1.2-beta.3', '1.2.0-beta.3'],
    [{ parts: 2 }, '1', null],
    [{ parts: 1 }, '1', '1.0.0'],
    [{ parts: 3 }, '1.2', null],
    [{ parts: 2 }, '2024.01', null],
    [{ parts: 2, prerelease: 'python' }, '1.2rc1', '1.2.0-rc.1'],
    [{ parts: 3, prerelease: 'python' }, '1.2.0a', '1.2.0-alpha.0'],
    [{ parts: 3, prerelease: 'python' }, '1.2.0.post1', null],
    [{ parts: 3, prerelease: 'python' }, '1.2.0', '1.2.0'],
    [{ parts: 3, prerelease: 'maven' }, '1.2.0.Beta1', '1.2.0-beta.1'],
    [{ parts: 3, prerelease: 'maven' }, '1.2.0-RC2', '1.2.0-rc.2'],
    [{ parts: 3, prerelease: 'maven' }, '1.2.0.Final', '1.2.0'],
    [{ parts: 3, prerelease: 'maven' }, '1.2.0-SNAPSHOT', '1.2.0-SNAPSHOT'],
    [{ separator: '_' }, '1_2_3', '1.2.3'],
    [{ separator: '_' }, '1_2_3-early.1', '1.2.3-early.1'],
    [{ separator: '_' }, '1.2.3', null],
  ] as const)('read %j as a pattern says: %s is %s', (reading, text, version) => {
    expect(readVersion(text, { ...strictReading, ...reading })).toBe(version);
  });

  it('is written with all three numbers, in the manner of its pattern', () => {
    const owner = (pattern: object) => ({
      name: 'tidemark',
      folder: '',
      tags: [{ ...strictReading, read: 'release-{version}', ...pattern }],
    });

    expect(formatTag(owner({ parts: 2 }), '1.3.0')).toBe('release-1.3.0');
    expect(formatTag(owner({ separator: '_' }), '1.3.0-early.1')).toBe('release-1_3_0-early.1');
  });

  it('shared by a group belongs to each of its members', () => {
    const both = owners.slice(0, 2).map((owner) => ({ ...owner, tags: patterns('{package}/{version}', 'v{version}') }));
    const { byOwner, claimedTwice } = assignTags([{ name: 'v1.0.0', commit: 'c' }], both, [[0, 1]]);

    expect([byOwner.map((own) => own.map(({ version }) => version)), claimedTwice]).toEqual([
      [['1.0.0'], ['1.0.0']],
      [],
    ]);
  });

  it.each([
    ['v1.2.3', [1, 2, 3]],
    ['1.2', [1, 2]],
    ['v1', [1]],
    ['release-1.2', [1, 2]],
    ['rel/1.2.3', [1, 2, 3]],
    ['tidemark_1_2_3', [1, 2, 3]],
    ['@signals/lamps@1.2.0-beta.3', [1, 2, 0]],
    ['packages/tidemark/v1.2.3', [1, 2, 3]],
    ['1.2rc1', [1, 2]],
    ['1.2.0.Beta1', [1, 2, 0]],
    ['1.2.3.4', [1, 2, 3, 4]],
    ['nightly', null],
    ['2024-01-01', null],
    ['backup-1', null],
    ['issue-12', null],
    ['before-2fa', null],
  ])('%s looks like a version: %j', (tag, numbers) => {
    expect(versionLike(tag)?.numbers ?? null).toEqual(numbers);
  });

  it('patterns are written so that they are read again', () => {
    const odd = { read: 'rel/{version}', parts: 2, prerelease: 'python', separator: '.' } as const;

    expect(formatTagPatterns(patterns('v{version}'))).toBe('"v{version}"');
    expect(formatTagPatterns([...patterns('v{version}'), odd])).toBe(
      '["v{version}", { read: "rel/{version}", parts: 2, prerelease: python }]',
    );
  });

  it('names both packages when they claim the same tag', () => {
    const both = [
      { ...owners[0], tags: patterns('v{version}') },
      { ...owners[1], tags: patterns('v{version}') },
    ] as typeof owners;

    expect(assignTags([{ name: 'v1.0.0', commit: 'c' }], both).claimedTwice).toEqual([
      { tag: 'v1.0.0', owners: ['tidemark', 'tidemark-py'] },
    ]);
  });

  it('are read back as written, whatever the name contains', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom('a', '.', '+', '(', '$', '{', '/'), minLength: 1 }),
        fc.nat(99),
        (name, minor) => {
          const owner = { name, folder: 'x', tags: patterns('{package}/{version}') };
          const version = `1.${minor}.0`;
          const { byOwner } = assignTags([{ name: formatTag(owner, version), commit: 'c' }], [owner]);
          expect(byOwner[0]?.[0]?.version).toBe(version);
        },
      ),
    );
  });
});

describe('a stream', () => {
  const streams = {
    stable: { from: 'main' },
    maintained: { from: 'line/*', only: '{1}' },
    early: { from: ['early', 'early/*'], identifier: 'beta' },
    preview: { from: '*', preview: true },
  };

  it.each([
    ['main', { type: 'stable', name: 'stable' }],
    ['line/1.x', { type: 'maintained', name: 'maintained', only: '1.x', branch: 'line/1.x', begin: null }],
    ['early/2', { type: 'labelled', name: 'early', identifier: 'beta', spell: 'beta', count: 'releases' }],
    ['fix/tides', { type: 'preview', name: 'preview', label: 'fix-tides' }],
    [null, { type: 'preview', name: 'preview', label: 'detached' }],
  ])('of branch %s is %j', (branch, stream) => {
    expect(chooseStream(streams, branch, null)).toEqual(stream);
  });

  it.each([
    [() => chooseStream(streams, 'main', 'erly'), 'STREAM_NOT_FOUND'],
    [() => chooseStream({ stable: { from: 'main' } }, 'other', null), 'STREAM_NOT_FOUND'],
    [() => chooseStream(streams, 'line/tides', null), 'CONFIG_INVALID'],
  ])('that is not there is refused (%#)', (choose, code) => {
    expect(choose).toThrow(expect.objectContaining({ code }));
  });

  it('gives any branch a label that SemVer takes', () => {
    fc.assert(
      fc.property(fc.string(), (branch) => {
        const label = previewLabel(branch);
        expect(label.length).toBeLessThanOrEqual(42);
        expect(isVersion(`1.0.0-0.preview.${label}.1`)).toBe(true);
      }),
    );
  });
});

describe('the pointer', () => {
  const stable = { type: 'stable', pointer: 'stable' };
  it.each([
    ['1.4.0', stable, [], 'latest'],
    ['1.4.0', stable, ['1.3.9', '2.0.0-early.3', '1.4.0', 'rubbish'], 'latest'],
    ['1.4.0', stable, ['2.0.0'], 'stable'],
    ['2.0.0-early.1', { type: 'labelled', pointer: 'early' }, [], 'early'],
    ['1.4.1', { type: 'maintained', pointer: 'line-1.x' }, ['1.4.0'], 'line-1.x'],
    ['2.0.0-early.1', stable, [], 'stable'],
  ])('of %s on %j beside %j is %s', (version, stream, there, pointer) => {
    expect(pointerFor(version, stream, there)).toBe(pointer);
  });
});

describe('a range of node', () => {
  it.each([
    ['^1.2.0', '1.2.0', '1.9.0', true],
    ['^1.2.0', '1.2.0', '2.0.0', false],
    ['^1.2.0', '1.2.0', '1.5.0-early.1', false],
    ['workspace:^', '1.2.0', '1.3.0', true],
    ['workspace:~', '1.2.0', '1.3.0', false],
    ['workspace:*', '1.2.0', '1.2.1', false],
    ['workspace:^1.0.0', '1.2.0', '1.3.0', true],
    ['file:../tidemark', '1.2.0', '1.2.1', false],
    ['workspace:^', null, '1.0.0', false],
    ['not a range', '1.2.0', '1.2.0', false],
  ])('%s (last %s) takes %s: %s', (range, last, version, takes) => {
    expect(nodeRangeTakes(range, last, version)).toBe(takes);
  });

  it.each([
    ['^1.2.0', '^2.0.0'],
    ['~1.2.0', '~2.0.0'],
    ['1.2.0', '2.0.0'],
    ['>=1.2.0', '>=2.0.0'],
    ['workspace:~', '~2.0.0'],
    ['workspace:^1.0.0', '^2.0.0'],
    ['workspace:*', '2.0.0'],
    ['file:../tidemark', '2.0.0'],
    ['1.x || 2.x', '^2.0.0'],
  ])('%s is raised to %s', (range, raised) => {
    expect(raiseNodeRange(range, '2.0.0')).toBe(raised);
  });
});
