import { describe, expect, it } from 'vitest';
import { parseConfig } from '../../../src/core/config/parse-config.ts';
import { guessBranches, writeLayout } from '../../../src/core/ecosystem/guess-layout.ts';
import { guessTags } from '../../../src/core/ecosystem/guess-tags.ts';
import { guessPatterns } from '../../../src/core/history/guess-patterns.ts';
import { formatTagPatterns } from '../../../src/core/version/tag-pattern.ts';

const tide = { name: 'tidemark', folder: 'packages/tidemark', ecosystem: 'node', version: '1.0.0' } as const;
const gauge = { name: 'gauges', folder: 'packages/gauges', ecosystem: 'python', version: '0.2.0' } as const;
const root = { ...tide, folder: '' };
/** Each on a commit of its own, except those after `=`. */
const tagged = (...names: string[]) =>
  names.map((text, index) => {
    const [name = '', commit = `c${index}`] = text.split('=');
    return { name, commit };
  });

describe('the patterns of existing tags', () => {
  it.each([
    [['v1.0.0', 'v1.1.0', 'nightly'], '"v{version}"', '1.1.0'],
    [['1.0.0', '1.1.0'], '"{version}"', '1.1.0'],
    [['1.1', '1.2'], '[{ read: "{version}", parts: 2 }]', '1.2.0'],
    [['v1', 'v2'], '[{ read: "v{version}", parts: 1 }]', '2.0.0'],
    [['v1.4.0=x', 'v1=x', 'v1.4=x'], '"v{version}"', '1.4.0'],
    [['release-1.1', 'release-1.2'], '[{ read: "release-{version}", parts: 2 }]', '1.2.0'],
    [['rel/1.2.3'], '"rel/{version}"', '1.2.3'],
    [['tidemark-1.2.3'], '"{package}-{version}"', '1.2.3'],
    [
      ['tidemark-v1.0.0', 'tidemark-v1.2.0', 'v9'],
      '[{ read: "v{version}", parts: 1 }, "{package}-v{version}"]',
      '9.0.0',
    ],
    [['tidemark_1_2_3', 'tidemark_1_3_0'], '[{ read: "{package}_{version}", separator: "_" }]', '1.3.0'],
    [['packages/tidemark/v1.2.3'], '"{folder}/v{version}"', '1.2.3'],
    [['1.1', '1.2rc1'], '[{ read: "{version}", parts: 2, prerelease: python }]', '1.1.0'],
    [['1.2.0.Beta1', '1.2.0.Final'], '[{ read: "{version}", prerelease: maven }]', '1.2.0'],
    [['1.2.0-beta.3', '1.1.0'], '"{version}"', '1.1.0'],
    [['v1.0.0', 'tidemark@1.1.0', 'tidemark@1.2.0'], '["{package}@{version}", "v{version}"]', '1.2.0'],
    [['tidetab-0.9.0', 'tidetab-1.0.0'], '"tidetab-{version}"', '1.0.0'],
    [['v1.0.0', 'v1.1.0', 'docs-3.0.0'], '"v{version}"', '1.1.0'],
  ])('%j are %s', (names, patterns, last) => {
    const habit = guessTags(tagged(...names), [tide]);

    expect(formatTagPatterns(habit?.patterns[0] ?? [])).toBe(patterns);
    if (last !== null) expect(habit?.last.get('tidemark')).toBe(last);
  });

  it('of several packages name them, and those that name none belong to the package at the root', () => {
    const tags = tagged('v1.0.0', 'v1.1.0', 'v1.2.0', 'gauges/0.2.0');
    const habit = guessTags(tags, [root, gauge]);

    expect(habit?.patterns.map(formatTagPatterns)).toEqual(['"v{version}"', '"{package}/{version}"']);
    expect([...(habit?.last ?? [])]).toEqual([
      ['tidemark', '1.2.0'],
      ['gauges', '0.2.0'],
    ]);
  });

  it('that no package can own are listed as not read', () => {
    expect(guessTags(tagged('v1.0.0', 'tidemark/1.1.0'), [tide, gauge])?.unread).toEqual(['v1.0.0']);
  });

  it('that name no package stand for all where all have one version', () => {
    const habit = guessTags(tagged('v1.0.0'), [tide, { ...gauge, version: '1.0.0' }]);

    expect(habit?.isShared).toBe(true);
    expect(habit?.patterns.map(formatTagPatterns)).toEqual(Array(2).fill('["{package}/{version}", "v{version}"]'));
    expect(habit?.last.get('gauges')).toBe('1.0.0');
  });

  it('do not decide for a module of Go, whose clients read one pattern only', () => {
    const bells = { name: 'bells', folder: 'packages/bells', ecosystem: 'go', version: null } as const;

    const habit = guessTags(tagged('tidemark/1.0.0', 'bells/0.1.0'), [tide, bells]);

    expect(habit?.patterns.map(formatTagPatterns)).toEqual([
      '"{package}/{version}"',
      '["packages/bells/v{version}", "{package}/{version}"]',
    ]);
  });

  it('are none where no tag names a version', () => {
    expect(guessTags(tagged('nightly', 'before-the-flood'), [tide])).toBeNull();
  });
});

describe('the patterns of commit subjects', () => {
  it.each([
    [['[FIX] Round', '[FIX] Count', 'Merge'], ['fix']],
    [['Fixes #12: round', 'Rounding, fixes #13', 'Harbour view, closes #14'], ['fix']],
    [
      ['Added a table', 'Added a view', 'Fixed the sum', 'Fixed the mean'],
      ['fix', 'feat'],
    ],
    [
      ['Bugfix: round', 'Feature: view', 'Bugfix: sum', 'Feature: list'],
      ['fix', 'feat'],
    ],
    [['fix: round', 'feat: view', 'Fix: sum'], []],
    [['Merge branch', 'Bump', 'x'], []],
  ])('%j give %j', (subjects, kinds) => {
    expect(guessPatterns(subjects)?.patterns.map(({ kind }) => kind)).toEqual(kinds);
  });

  it('say how many commits have a kind with them', () => {
    expect(guessPatterns(['fix: a', 'Added b', 'Added c', 'Tidy'])).toMatchObject({
      marked: 0.25,
      markedWithPatterns: 0.75,
    });
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

const proposal = {
  tools: ['node'],
  build: [{ run: 'npm run build', why: 'makes "dist"' }],
  platforms: ['linux-x64'],
  artifacts: ['{ form: wheel, brought: "dist/*.whl" }'],
  notes: ['a sentence'],
};

it('writes a file that the program reads, whatever was found', () => {
  for (const packages of [[tide], [tide, gauge, { name: 'on', folder: '', ecosystem: 'rust' as const, version: null }]])
    for (const lines of [null, 'line/*'])
      for (const early of [[], ['next', 'alpha']]) {
        const text = writeLayout({
          packages: packages.map((pkg) => ({ ...pkg, proposal })),
          unmarked: 'patch',
          together: [],
          destination:
            early.length === 0 ? null : { url: 'https://packages.fenmarsh.example/', variable: 'OFFICE_TOKEN' },
          tags: guessTags(tagged('v1.0.0'), packages),
          branches: { main: 'main', lines, early },
          changelog: lines === null ? 'HISTORY.md' : null,
          commits: guessPatterns(['[fix] "a\\b"', '[fix] b', 'x']),
        });
        const config = parseConfig(text, 'bevelstone.yaml');
        expect(Object.keys(config.packages)).toEqual(packages.map(({ name }) => name));
        expect(Object.keys(config.streams)).toEqual(expect.arrayContaining(['stable', 'preview', ...early]));
        expect(config.history.unmarked).toBe('patch');
        expect(config.history.patterns.map(({ kind }) => kind)).toEqual(['fix']);
      }
});
