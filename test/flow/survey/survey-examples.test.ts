// The worked examples of the version calculation, each on a real repository; numbers are those of docs/design/versions.md.
import { expect, test } from 'vitest';
import { isBevelstoneError } from '../../../src/core/error/bevelstone-error.ts';
import { plainSurvey, type SurveyOptions, surveyWorkspace } from '../../../src/flow/survey/survey.ts';
import { testContext } from '../../builders/context.ts';
import { TestRepository } from '../../builders/repository.ts';

type Row = {
  readonly name: string;
  /** Package names with the fields of their package.json; one package `a` by default. */
  readonly packages?: Readonly<Record<string, Record<string, unknown>>>;
  readonly history?: string;
  readonly more?: string;
  readonly streams?: string;
  readonly build: (r: TestRepository) => void;
  readonly options?: Partial<SurveyOptions>;
  readonly select?: readonly string[];
  /** Next version by package, or the code of the refusal. */
  readonly expect: Readonly<Record<string, string | null>> | string;
  readonly warns?: RegExp;
  /** What only someone who asks for more is shown. */
  readonly details?: RegExp;
  readonly because?: RegExp;
};

const streams = `streams:
  stable: { from: main }
  maintained: { from: "line/*", only: "{1}" }
  early: { from: early, identifier: early, spell: alpha }
  preview: { from: "*", preview: true }
`;
const [a, b, c] = ['packages/a/x', 'packages/b/x', 'packages/c/x'].map((path) => ({ paths: [path] })) as [
  { paths: string[] },
  { paths: string[] },
  { paths: string[] },
];
const two = { a: {}, b: {} };

/** Tags a release of `a` and returns to go on. */
function released(r: TestRepository, version = '1.4.0', name = 'a'): void {
  r.tag(`${name}/${version}`);
}

const rows: readonly Row[] = [
  {
    name: '1 a first release of docs',
    packages: { a: { version: '0.0.0' } },
    build: (r) => {
      r.commit('docs: x', a);
      r.commit('docs: y', a);
    },
    expect: { a: '0.1.0' },
    because: /no tag yet/,
  },
  {
    name: '2 a first release with a manifest version',
    packages: { a: { version: '3.2.0' } },
    build: (r) => r.commit('fix: x', a),
    expect: { a: '3.2.0' },
    because: /no tag yet, the manifest says 3\.2\.0/,
  },
  {
    name: '3 two features and a fix',
    build: (r) => {
      released(r, '1.3.2');
      r.commit('feat: x', a);
      r.commit('feat: y', a);
      r.commit('fix: z', a);
    },
    expect: { a: '1.4.0' },
    because: /^2 features, 1 fix$/,
  },
  {
    name: '4 below one: breaking',
    build: (r) => {
      released(r, '0.9.4');
      r.commit('feat!: x', a);
    },
    expect: { a: '0.10.0' },
  },
  {
    name: '4 below one: feature',
    build: (r) => {
      released(r, '0.9.4');
      r.commit('feat: x', a);
    },
    expect: { a: '0.9.5' },
  },
  {
    name: '4 below one: fix',
    build: (r) => {
      released(r, '0.9.4');
      r.commit('fix: x', a);
    },
    expect: { a: '0.9.5' },
  },
  {
    name: '5 below one, kept: breaking',
    history: 'below-one: keep',
    build: (r) => {
      released(r, '0.9.4');
      r.commit('feat!: x', a);
    },
    expect: { a: '1.0.0' },
  },
  {
    name: '5 below one, kept: feature',
    history: 'below-one: keep',
    build: (r) => {
      released(r, '0.9.4');
      r.commit('feat: x', a);
    },
    expect: { a: '0.10.0' },
  },
  {
    name: '6 a feature taken back',
    build: (r) => {
      released(r);
      r.revert(r.commit('feat: x', a), a.paths);
    },
    expect: { a: null },
    because: /taken back/,
  },
  {
    name: '7 a released feature taken back',
    build: (r) => {
      const id = r.commit('feat: x', a);
      released(r);
      r.revert(id, a.paths);
    },
    expect: { a: '1.5.0' },
    warns: /something public goes/,
  },
  {
    name: '8 a revert of a revert',
    build: (r) => {
      released(r);
      r.revert(r.revert(r.commit('feat: x', a), a.paths), a.paths);
    },
    expect: { a: '1.5.0' },
  },
  {
    name: '9 a merge taken back',
    build: (r) => {
      released(r);
      const base = r.head;
      r.on('side');
      r.commit('feat!: x', { paths: ['packages/a/one'] });
      r.commit('feat: y', { paths: ['packages/a/two'] });
      r.on('main');
      const merge = r.merge('side');
      r.commit('fix: z', a);
      r.commit(`Revert "Merge side"\n\nThis reverts commit ${merge}, reversing\nchanges made to ${base}.`, {
        paths: ['packages/a/one', 'packages/a/two'],
      });
    },
    expect: { a: '1.4.1' },
  },
  {
    name: '10 a revert of one package only',
    packages: two,
    build: (r) => {
      released(r);
      released(r, '1.4.0', 'b');
      r.revert(r.commit('feat: x', { paths: [...a.paths, ...b.paths] }), a.paths);
    },
    expect: { a: null, b: '1.5.0' },
  },
  {
    name: '11 a newer version elsewhere',
    build: (r) => {
      released(r);
      r.on('other');
      r.commit('feat!: x', a);
      released(r, '2.0.0');
      r.on('main');
      r.commit('fix: y', a);
    },
    expect: { a: '1.4.1' },
    warns: /a\/2\.0\.0 is on another line/,
  },
  {
    name: '12 the next version is taken elsewhere',
    build: (r) => {
      released(r);
      r.on('line/1.4');
      r.commit('fix: x', a);
      released(r, '1.4.1');
      r.on('main');
      r.commit('fix: y', a);
    },
    expect: 'VERSION_ELSEWHERE',
  },
  {
    name: '13 the same after a merge',
    build: (r) => {
      released(r);
      r.on('line/1.4');
      r.commit('fix: x', { paths: ['packages/a/one'] });
      released(r, '1.4.1');
      r.on('main');
      r.commit('fix: y', a);
      r.merge('line/1.4');
    },
    expect: { a: '1.4.2' },
  },
  {
    name: '14 a fix of an older line merged later',
    build: (r) => {
      released(r, '1.3.8');
      r.on('line/1.3');
      r.on('main');
      r.commit('feat: x', a);
      released(r);
      r.on('line/1.3');
      r.commit('fix: y', { paths: ['packages/a/one'] });
      released(r, '1.3.9');
      r.on('main');
      r.merge('line/1.3');
    },
    expect: { a: '1.4.1' },
  },
  {
    name: '15 a picked fix of an older line',
    build: (r) => {
      released(r, '1.3.8');
      r.on('line/1.3');
      r.on('main');
      const fix = r.commit('fix: y', a);
      released(r);
      r.on('line/1.3');
      r.commit(`fix: y\n\n(cherry picked from commit ${fix})`, { paths: ['packages/a/one'] });
      released(r, '1.3.9');
      r.on('main');
      r.merge('line/1.3');
    },
    expect: { a: null },
  },
  {
    name: '16 a series: first',
    build: (r) => {
      released(r);
      r.on('early');
      r.commit('fix: x', a);
    },
    expect: { a: '1.4.1-early.1' },
  },
  {
    name: '16 a series: second',
    build: (r) => {
      released(r);
      r.on('early');
      r.commit('fix: x', a);
      released(r, '1.4.1-early.1');
      r.commit('feat: y', a);
    },
    expect: { a: '1.5.0-early.1' },
  },
  {
    name: '16 a series: third',
    build: (r) => {
      released(r);
      r.on('early');
      r.commit('fix: x', a);
      released(r, '1.4.1-early.1');
      r.commit('feat: y', a);
      released(r, '1.5.0-early.1');
      r.commit('feat!: z', a);
    },
    expect: { a: '2.0.0-early.1' },
  },
  {
    name: '17 a series never goes down',
    build: (r) => {
      released(r);
      r.on('early');
      r.commit('feat: w', a);
      const id = r.commit('feat!: x', a);
      released(r, '2.0.0-early.3');
      r.revert(id, a.paths);
    },
    expect: { a: '2.0.0-early.4' },
    warns: /takes back what the last prerelease holds/,
  },
  {
    name: '17 main after the merge has what is left',
    build: (r) => {
      released(r);
      r.on('early');
      r.commit('feat: w', a);
      const id = r.commit('feat!: x', a);
      released(r, '2.0.0-early.3');
      r.revert(id, a.paths);
      r.on('main');
      r.merge('early');
    },
    expect: { a: '1.5.0' },
  },
  {
    name: '18 a series turned stable',
    build: (r) => {
      released(r);
      r.on('early');
      r.commit('feat!: x', a);
      released(r, '2.0.0-early.3');
      r.on('main');
      r.merge('early');
    },
    expect: { a: '2.0.0' },
  },
  {
    name: '19 a counter is never reused',
    build: (r) => {
      released(r);
      r.on('early');
      r.commit('feat!: x', a);
      released(r, '2.0.0-early.1');
      r.on('main');
      r.git('branch', '-D', 'early');
      r.on('early');
      r.commit('feat!: y', a);
    },
    expect: { a: '2.0.0-early.2' },
  },
  {
    name: '20 a stream that is behind',
    build: (r) => {
      released(r);
      r.on('early');
      r.on('main');
      r.commit('feat!: x', a);
      released(r, '2.0.0');
      r.on('early');
      r.commit('fix: y', a);
    },
    expect: 'STREAM_BEHIND',
  },
  {
    name: '21 a breaking change on a maintained line',
    build: (r) => {
      released(r);
      r.on('line/1.x');
      r.commit('feat!: x', a);
    },
    expect: 'VERSION_OUTSIDE',
  },
  {
    name: '22 a group',
    packages: two,
    more: 'together: { tides: [a, b] }',
    build: (r) => {
      released(r, '1.3.2');
      released(r, '1.3.0', 'b');
      r.commit('feat: x', b);
    },
    expect: { a: '1.4.0', b: '1.4.0' },
    because: /together with b/,
  },
  {
    name: '23 a member joins a group',
    packages: { a: {}, c: {} },
    more: 'together: { tides: [a, c] }',
    build: (r) => {
      released(r, '1.3.2');
      r.commit('fix: x', a);
      r.commit('feat: y', c);
    },
    expect: { a: '1.3.3', c: '1.3.3' },
  },
  {
    name: '24 a dependant follows',
    packages: { a: { dependencies: { b: '^1.2.0' } }, b: {} },
    build: (r) => {
      released(r, '1.3.2');
      released(r, '1.2.0', 'b');
      r.commit('feat!: x', b);
    },
    expect: { a: '1.3.3', b: '2.0.0' },
    because: /follows b 2\.0\.0/,
  },
  {
    name: '24 as a peer',
    packages: { a: { peerDependencies: { b: '^1.2.0' } }, b: {} },
    build: (r) => {
      released(r, '1.3.2');
      released(r, '1.2.0', 'b');
      r.commit('feat!: x', b);
    },
    expect: { a: '2.0.0', b: '2.0.0' },
  },
  {
    name: '25 below one the range is narrower',
    packages: { a: { dependencies: { b: '^0.3.0' } }, b: {} },
    build: (r) => {
      released(r);
      released(r, '0.3.1', 'b');
      r.commit('feat!: x', b);
    },
    expect: { a: '1.4.1', b: '0.4.0' },
  },
  {
    name: '26 caret, tilde and exact ranges',
    packages: {
      a: { dependencies: { d: '^1.2.0' } },
      b: { dependencies: { d: '~1.2.0' } },
      c: { dependencies: { d: '1.2.0' } },
      d: {},
    },
    build: (r) => {
      for (const name of ['a', 'b', 'c']) released(r, '1.0.0', name);
      released(r, '1.2.0', 'd');
      r.commit('feat: x', { paths: ['packages/d/x'] });
    },
    expect: { a: null, b: '1.0.1', c: '1.0.1', d: '1.3.0' },
  },
  {
    name: '27 a file moves',
    packages: two,
    build: (r) => {
      r.commit('chore: x', { files: { 'packages/a/moved': 'same\n' } });
      released(r);
      released(r, '1.4.0', 'b');
      r.commit('feat: move', { remove: ['packages/a/moved'], files: { 'packages/b/moved': 'same\n' } });
    },
    expect: { a: '1.5.0', b: '1.5.0' },
  },
  {
    name: '28 a breaking footer',
    build: (r) => {
      released(r);
      r.commit('chore: tidy\n\nBREAKING-CHANGE: x', a);
    },
    expect: { a: '2.0.0' },
  },
  {
    name: '29 a squashed body',
    build: (r) => {
      released(r);
      r.commit('feat(tides): harbour view (#41)\n\n* feat!: drop x\n* fix: y', a);
    },
    expect: { a: '2.0.0' },
  },
  {
    name: '30 one list item is prose',
    build: (r) => {
      released(r);
      r.commit('fix: list\n\n- see: docs', a);
    },
    expect: { a: '1.4.1' },
  },
  {
    name: '31 a merge without paths of its own',
    build: (r) => {
      released(r);
      r.on('side');
      r.commit('docs: x', a);
      r.on('main');
      r.merge('side', 'feat!: merge tides');
    },
    expect: { a: null },
  },
  {
    name: '32 tags that are no versions',
    history: 'tag: "v{version}"',
    build: (r) => {
      r.tag('v1.4', 'v01.2.3', 'v9999999999999999999.0.0', 'v1.4.0');
      r.commit('fix: x', a);
    },
    expect: { a: '1.4.1' },
    details: /(?=[\s\S]*tag v1\.4 is)(?=[\s\S]*tag v01\.2\.3 is)(?=[\s\S]*tag v9{19}\.0\.0 is)/,
  },
  {
    name: '33 a preview branch',
    build: (r) => {
      released(r);
      r.on('fix/Tides_#7');
      r.commit('feat: x', a);
      r.commit('docs: y', a);
      r.commit('docs: z', a);
    },
    expect: { a: '1.5.0-0.preview.fix-tides-7.3+SHA' },
  },
  {
    name: '34 a label that would be a number',
    build: (r) => {
      released(r);
      r.on('007');
      r.commit('fix: x', a);
    },
    expect: { a: '1.4.1-0.preview.b-007.1+SHA' },
  },
  {
    name: '35 asked for as the last',
    build: (r) => {
      released(r);
      r.commit('fix: x', a);
    },
    options: { exactly: '1.4.0' },
    expect: 'VERSION_REFUSED',
  },
  {
    name: '35 asked for as an older',
    build: (r) => {
      released(r);
      r.commit('fix: x', a);
    },
    options: { exactly: '1.3.5' },
    expect: 'VERSION_REFUSED',
  },
  {
    name: '35 asked for as a higher',
    build: (r) => {
      released(r);
      r.commit('fix: x', a);
    },
    options: { exactly: '1.10.0' },
    expect: { a: '1.10.0' },
  },
  {
    name: '36 a record with a source file',
    history: 'unmarked: patch',
    build: (r) => {
      released(r);
      r.commit('Record a\n\nBevelstone-Release: a@1.4.0', { paths: ['packages/a/CHANGELOG.md', 'packages/a/x'] });
    },
    expect: { a: '1.4.1' },
    warns: /also changes packages\/a\/x/,
  },
  {
    name: '36 the same by default',
    build: (r) => {
      released(r);
      r.commit('Record a\n\nBevelstone-Release: a@1.4.0', { paths: ['packages/a/CHANGELOG.md', 'packages/a/x'] });
    },
    expect: { a: null },
    warns: /also changes packages\/a\/x/,
  },
  {
    name: 'a record alone is not a change',
    history: 'unmarked: patch',
    build: (r) => {
      released(r);
      r.commit('Record a\n\nBevelstone-Release: a@1.4.0', { paths: ['packages/a/CHANGELOG.md'] });
    },
    expect: { a: null },
  },
  {
    name: 'a merge that undid a side does not hide it',
    build: (r) => {
      released(r);
      r.on('side');
      r.commit('feat: x', { paths: ['packages/a/one'] });
      const side = r.head;
      r.on('main');
      r.commit('fix: y', a);
      r.commit('Merge side, ours', { parents: [r.head, side] });
    },
    expect: { a: '1.5.0' },
  },
  {
    name: 'unmarked commits are refused when asked',
    history: 'unmarked: refuse',
    build: (r) => {
      released(r);
      r.commit('whatever', a);
      r.commit('more of it', a);
    },
    expect: 'COMMIT_UNMARKED',
  },
  {
    name: 'two versions at two commits',
    build: (r) => {
      released(r);
      r.commit('fix: x', a);
      r.tag('a/1.4.0+again');
      r.commit('fix: y', a);
    },
    expect: 'TAG_AMBIGUOUS',
  },
  {
    name: 'raised from nothing',
    build: (r) => {
      released(r);
      r.commit('docs: x', a);
    },
    options: { raise: 'minor', because: 'new tables' },
    expect: { a: '1.5.0' },
    because: /raised to minor; new tables/,
  },
  {
    name: 'a package that was never on a maintained line rests there',
    packages: two,
    build: (r) => {
      released(r);
      released(r, '0.2.0', 'b');
      r.on('line/1.x');
      r.commit('fix: x', { paths: [...a.paths, ...b.paths] });
    },
    expect: { a: '1.4.1', b: null },
  },
  {
    name: 'python packages follow by PEP 440',
    packages: { a: {} },
    more: '  py: { folder: py }\n  base: { folder: base }',
    build: (r) => {
      r.commit('chore: x', {
        files: {
          'py/pyproject.toml': '[project]\nname = "py"\nversion = "1.0.0"\ndependencies = ["base>=1.0,<2"]\n',
          'base/pyproject.toml': '[project]\nname = "base"\nversion = "1.0.0"\n',
        },
      });
      r.tag('a/1.0.0', 'py/1.0.0', 'base/1.0.0');
      r.commit('feat!: other units', { paths: ['base/x.py'] });
    },
    expect: { a: null, py: '1.0.1', base: '2.0.0' },
  },
  {
    name: 'a stream that Python can not spell is found at once',
    more: '  py: { folder: py, ecosystem: python }\ntogether: {}',
    streams: 'streams: { stable: { from: main }, odd: { from: odd, identifier: odd } }\n',
    build: (r) => {
      r.commit('fix: x', a);
    },
    expect: 'STREAM_UNSPELLABLE',
  },
  {
    name: 'tags of two numbers, when the pattern says so',
    history: 'tag: [{ read: "release-{version}", parts: 2 }]',
    build: (r) => {
      r.tag('release-1.1', 'release-1.2');
      r.commit('fix: x', a);
    },
    expect: { a: '1.2.1' },
  },
  {
    name: 'a first release below tags that no pattern reads',
    build: (r) => {
      r.tag('1.1', '1.2');
      r.commit('fix: x', a);
    },
    expect: 'VERSION_BELOW',
  },
  {
    name: 'the same, settled by hand',
    build: (r) => {
      r.tag('1.1', '1.2');
      r.commit('fix: x', a);
    },
    options: { exactly: '1.3.0' },
    expect: { a: '1.3.0' },
  },
  {
    name: 'the same, only to look at the tags',
    build: (r) => {
      r.tag('1.1', '1.2');
      r.commit('fix: x', a);
    },
    options: { tags: true },
    expect: { a: '0.1.0' },
    warns: /0\.1\.0, below the tags 1\.2, 1\.1/,
  },
  {
    name: 'tags of another package do not count for a new one',
    packages: { a: {}, b: {} },
    build: (r) => {
      released(r);
      r.tag('a/2.x-1.0');
      r.commit('fix: x', b);
    },
    expect: { a: null, b: '0.1.0' },
  },
  {
    name: 'a first release below its own prereleases',
    build: (r) => {
      r.tag('a/1.0.0-early.1');
      r.commit('fix: x', a);
    },
    expect: 'VERSION_BELOW',
  },
  {
    name: 'a manifest with two numbers says where a first release begins',
    packages: { a: { version: '2.4' } },
    build: (r) => r.commit('fix: x', a),
    expect: { a: '2.4.0' },
  },
  {
    name: 'a manifest whose version cannot be read is not passed below',
    packages: { a: { version: '2.4.1.7' } },
    build: (r) => r.commit('fix: x', a),
    expect: 'VERSION_BELOW',
  },
  {
    name: 'a branch that is named after its version begins there',
    streams: 'streams: { coming: { from: "coming/*", version: "{1}" }, stable: { from: main } }\n',
    build: (r) => {
      released(r);
      r.on('coming/2.4');
      r.commit('fix: x', a);
    },
    expect: { a: '2.4.0' },
  },
  {
    name: 'the same branch goes on inside its range',
    streams: 'streams: { coming: { from: "coming/*", version: "{1}" }, stable: { from: main } }\n',
    build: (r) => {
      released(r);
      r.on('coming/2.4');
      r.commit('fix: x', a);
      released(r, '2.4.0');
      r.commit('fix: y', a);
    },
    expect: { a: '2.4.1' },
  },
  {
    name: 'the same branch allows nothing outside its range',
    streams: 'streams: { coming: { from: "coming/*", version: "{1}" }, stable: { from: main } }\n',
    build: (r) => {
      r.on('coming/2.4');
      released(r, '2.4.0');
      r.commit('feat: y', a);
    },
    expect: 'VERSION_OUTSIDE',
  },
  {
    name: 'a branch named after a version that was passed',
    streams: 'streams: { coming: { from: "coming/*", version: "{1}" }, stable: { from: main } }\n',
    build: (r) => {
      released(r, '3.0.0');
      r.on('coming/2.x');
      r.commit('fix: x', a);
    },
    expect: 'VERSION_BELOW',
  },
  {
    name: 'a branch that is named after no version',
    streams: 'streams: { coming: { from: "coming/*", version: "{1}" }, stable: { from: main } }\n',
    build: (r) => {
      r.on('coming/soon');
      r.commit('fix: x', a);
    },
    expect: 'CONFIG_INVALID',
  },
  {
    name: 'a survey of the past only notes what was released since',
    build: (r) => {
      released(r);
      r.commit('fix: x', a);
      r.git('branch', 'past');
      released(r, '1.4.1');
      r.commit('fix: y', a);
    },
    options: { at: 'past~0', isPast: true },
    expect: { a: null },
  },
  {
    name: 'a survey of an old commit only notes that its version is taken',
    build: (r) => {
      released(r);
      r.commit('fix: x', a);
      r.git('branch', 'past');
      r.commit('fix: y', a);
      released(r, '1.4.1');
    },
    options: { at: 'past', branch: 'main', isPast: true },
    expect: { a: '1.4.1' },
    warns: /the tag a\/1\.4\.1 already marks that version/,
  },
  {
    name: 'a circle of packages',
    packages: { a: { dependencies: { b: '^1.0.0' } }, b: { dependencies: { a: '^1.0.0' } } },
    build: (r) => {
      released(r);
      released(r, '1.0.0', 'b');
      r.commit('fix: x', a);
    },
    expect: 'DEPENDENCY_CIRCLE',
  },
];

test.each(rows.map((row) => [row.name, row] as const))('%s', async (_, row) => {
  const packages = row.packages ?? { a: {} };
  const r = new TestRepository({
    'bevelstone.yaml': [
      'schema: 1',
      ...(row.history === undefined
        ? ['history: { tag: "{package}/{version}" }']
        : ['history:', ...(row.history.startsWith('tag') ? [] : ['  tag: "{package}/{version}"']), `  ${row.history}`]),
      row.streams ?? streams,
      'packages:',
      ...Object.keys(packages).map((name) => `  ${name}: { folder: packages/${name} }`),
      row.more ?? '',
    ].join('\n'),
    ...Object.fromEntries(
      Object.entries(packages).map(([name, json]) => [
        `packages/${name}/package.json`,
        JSON.stringify({ name, ...json }),
      ]),
    ),
  });
  row.build(r);
  r.checkOut();
  const context = testContext(r.folder, { packages: row.select ?? [] });

  const answer = await surveyWorkspace(context, { ...plainSurvey, ...row.options }).catch((error: unknown) => {
    if (isBevelstoneError(error)) return error;
    throw error;
  });

  if (typeof row.expect === 'string') {
    expect(isBevelstoneError(answer) ? answer.code : answer).toBe(row.expect);
    return;
  }
  if (isBevelstoneError(answer)) throw answer;
  const found = Object.fromEntries(
    answer.packages.map(({ name, next }) => [name, next?.replace(/\+[0-9a-f]{7}$/, '+SHA') ?? null]),
  );
  expect(found).toEqual(row.expect);
  const details = context.events.flatMap((event) => (event.type === 'detail' ? [event.text] : []));
  if (row.details !== undefined) expect(details.join('\n')).toMatch(row.details);
  if (row.warns !== undefined) expect(context.warnings().join('\n')).toMatch(row.warns);
  if (row.because !== undefined) expect(answer.packages[0]?.reasons.join('; ')).toMatch(row.because);
});
