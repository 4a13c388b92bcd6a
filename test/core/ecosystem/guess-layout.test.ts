import { describe, expect, it } from 'vitest';
import { parseConfig } from '../../../src/core/config/parse-config.ts';
import { guessBranches, guessTags, writeLayout } from '../../../src/core/ecosystem/guess-layout.ts';

const tide = { name: 'tidemark', folder: 'packages/tidemark', ecosystem: 'node' } as const;
const gauge = { name: 'gauges', folder: 'packages/gauges', ecosystem: 'python' } as const;
const tagged = (...names: string[]) => names.map((name) => ({ name, commit: 'c' }));

describe('the habit of tags', () => {
  it.each([
    [['v1.0.0', 'v1.1.0', 'nightly'], 'v{version}', '1.1.0'],
    [['1.0.0', '1.1.0'], '{version}', '1.1.0'],
    [['tidemark-v1.0.0', 'tidemark-v1.2.0', 'v9'], '{package}-v{version}', '1.2.0'],
    [['release-2.0.0'], 'release-{version}', '2.0.0'],
    [['v1.0.0', 'tidemark@1.1.0', 'tidemark@1.2.0'], '{package}@{version}', '1.2.0'],
  ])('%j is %s', (names, pattern, last) => {
    const habit = guessTags(tagged(...names), [tide]);

    expect([habit?.pattern, habit?.last.get('tidemark')]).toEqual([pattern, last]);
  });

  it('of several packages names them', () => {
    const habit = guessTags(tagged('v1.0.0', 'v1.1.0', 'v1.2.0', 'tidemark/1.0.0', 'gauges/0.2.0'), [tide, gauge]);

    expect(habit?.pattern).toBe('{package}/{version}');
    expect(habit?.last.get('gauges')).toBe('0.2.0');
  });

  it('is nothing where no tag names a version', () => {
    expect(guessTags(tagged('nightly', 'before-the-flood'), [tide])).toBeNull();
  });
});

describe('branches', () => {
  it.each([
    [['master', 'line/1.x', 'fix'], 'master', 'line/*', []],
    [['main', 'release-1.2', 'next'], 'main', 'release-*', ['next']],
    [['main', 'fix-1'], 'main', null, []],
    [['work'], 'work', null, []],
  ])('%j', (branches, main, lines, early) => {
    expect(guessBranches(branches, branches[0] ?? null)).toEqual({ main, lines, early });
  });
});

it('writes a file that the program reads, whatever was found', () => {
  for (const packages of [[tide], [tide, gauge, { name: 'on', folder: '', ecosystem: 'rust' as const }]])
    for (const lines of [null, 'line/*'])
      for (const early of [[], ['next', 'alpha']]) {
        const text = writeLayout({
          packages,
          tags: guessTags(tagged('v1.0.0'), packages),
          branches: { main: 'main', lines, early },
          changelog: lines === null ? 'HISTORY.md' : null,
          marked: 0.1,
        });
        const config = parseConfig(text, 'bevelstone.yaml');
        expect(Object.keys(config.packages)).toEqual(packages.map(({ name }) => name));
        expect(Object.keys(config.streams)).toEqual(expect.arrayContaining(['stable', 'preview', ...early]));
        expect(config.history.unmarked).toBe('patch');
      }
});
