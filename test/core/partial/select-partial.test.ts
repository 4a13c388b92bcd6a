import { describe, expect, it } from 'vitest';
import { type ChangeCommit, selectPartial } from '../../../src/core/partial/select-partial.ts';
import type { ListedEntry } from '../../../src/core/record/contents-list.ts';

const digest = (text: string) => text.padEnd(64, '0');
const source = (path: string, bytes: string, mode = '0644'): ListedEntry => ({
  path,
  type: 'file',
  size: 1,
  mode,
  sha256: digest(bytes),
  origin: { type: 'source', path: `tides/${path}`, commit: 'c'.repeat(40), stamped: false },
});
const made = (path: string, bytes: string): ListedEntry => ({
  ...source(path, bytes),
  origin: { type: 'step', path: `tides/${path}`, step: 'make' },
});
const commit = (id: string, isSelected: boolean, ...paths: string[]): ChangeCommit => ({
  id,
  issues: [],
  paths: new Set(paths.map((path) => `tides/${path}`)),
  isSelected,
});
const select = (
  before: readonly ListedEntry[],
  after: readonly ListedEntry[],
  commits: readonly ChangeCommit[],
  { add = [] as string[], leaveOut = [] as string[] } = {},
) =>
  selectPartial({
    before,
    after,
    commits,
    isOwn: (path) => path.startsWith('tides/'),
    add: new Set(add),
    leaveOut: new Set(leaveOut),
  });

describe('the entries that come from some changes', () => {
  it('are those of the files that their commits touch', () => {
    const { entries, removed, unselected } = select(
      [source('a', '1'), source('b', '1'), source('gone', '1'), source('same', '1')],
      [source('a', '2'), source('b', '2'), source('new', '1'), source('same', '1')],
      [commit('one', true, 'a', 'new', 'gone', 'same'), commit('two', false, 'b')],
    );

    expect(entries).toEqual([
      { path: 'a', effect: 'replaced', sha256: digest('2'), before: digest('1'), commits: ['one'], alsoHolds: [] },
      { path: 'new', effect: 'added', sha256: digest('1'), before: null, commits: ['one'], alsoHolds: [] },
    ]);
    expect(removed).toEqual([{ path: 'gone', before: digest('1'), commits: ['one'] }]);
    expect(unselected).toEqual(['b']);
  });

  it('name the other commits that are in the same file', () => {
    const { entries } = select(
      [source('a', '1')],
      [source('a', '3')],
      [commit('one', true, 'a'), commit('two', false, 'a')],
    );

    expect(entries).toMatchObject([{ path: 'a', commits: ['one'], alsoHolds: ['two'] }]);
  });

  it('have what a step made as soon as a commit touches the package', () => {
    const own = select(
      [made('lib', '1')],
      [made('lib', '2')],
      [commit('one', true, 'src'), commit('two', false, 'other')],
    );
    const elsewhere = select(
      [made('lib', '1')],
      [made('lib', '2')],
      [{ ...commit('one', true), paths: new Set(['docs/a']) }],
    );

    expect(own.entries).toMatchObject([{ path: 'lib', commits: ['one'], alsoHolds: ['two'] }]);
    expect(elsewhere).toMatchObject({ entries: [], unselected: ['lib'] });
  });

  it('count a new mode alone as a change', () => {
    const { entries } = select([source('a', '1')], [source('a', '1', '0755')], [commit('one', true, 'a')]);

    expect(entries).toMatchObject([{ path: 'a', effect: 'replaced' }]);
  });

  it('can be added to and left out by hand', () => {
    const { entries, removed, unselected } = select(
      [source('a', '1'), source('b', '1'), source('gone', '1')],
      [source('a', '2'), source('b', '2')],
      [commit('one', true, 'a')],
      { add: ['b', 'gone'], leaveOut: ['a'] },
    );

    expect(entries).toMatchObject([{ path: 'b', commits: [] }]);
    expect(removed).toMatchObject([{ path: 'gone', commits: [] }]);
    expect(unselected).toEqual(['a']);
  });
});
