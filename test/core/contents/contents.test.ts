import { createHash } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { FileRuleConfig } from '../../../src/core/config/config.ts';
import { compareBytes, contentDigest, type Entry } from '../../../src/core/contents/entry.ts';
import { joinPath } from '../../../src/core/contents/inner-path.ts';
import { linkLeaves, unsafeReason } from '../../../src/core/contents/safe-path.ts';
import { type Candidate, selectByRules } from '../../../src/core/contents/select.ts';
import { selectForNpm } from '../../../src/core/form/npm-tarball/npm-selection.ts';

const file = (path: string, more: Partial<Candidate> = {}): Candidate => ({
  path,
  sizeBytes: 1,
  isExecutable: false,
  linkname: null,
  ...more,
});
const rule = (from: string, more: Partial<FileRuleConfig> = {}): FileRuleConfig => ({
  from,
  to: null,
  as: null,
  only: [],
  except: [],
  mode: null,
  ...more,
});
const tree = [
  'LICENSE',
  'README.md',
  'src/a.js',
  'src/deep/b.js',
  'src/deep/b.test.js',
  'build/out/lib.so',
  'build/out/lib.so.debug',
].map((path) => file(path));

describe('contents rules', () => {
  it.each([
    [[rule('LICENSE')], ['LICENSE']],
    [[rule('src')], ['src/a.js', 'src/deep/b.js', 'src/deep/b.test.js']],
    [[rule('src', { to: 'lib', except: ['**/*.test.js'] })], ['lib/a.js', 'lib/deep/b.js']],
    [[rule('./build/out/', { to: '.', only: ['*.so'] })], ['lib.so']],
    [[rule('src/**/*.js', { to: 'x' })], ['x/a.js', 'x/deep/b.js', 'x/deep/b.test.js']],
    [
      [rule('src/deep/b.js', { to: 'x' }), rule('.', { only: ['*.md'] })],
      ['README.md', 'x/b.js'],
    ],
    [
      [rule('src/a.js'), rule('src')],
      ['src/a.js', 'src/deep/b.js', 'src/deep/b.test.js'],
    ],
  ])('%j', (rules, paths) => {
    expect(selectByRules(tree, rules, 'a').map(({ path }) => path)).toEqual(paths);
  });

  it("set modes: the rule's, else by the executable bit", () => {
    const files = [file('a', { isExecutable: true }), file('b')];

    expect(selectByRules(files, [rule('.')], 'a').map(({ mode }) => mode)).toEqual([0o755, 0o644]);
    expect(selectByRules(files, [rule('.', { mode: '0644' })], 'a').map(({ mode }) => mode)).toEqual([0o644, 0o644]);
  });

  it.each([
    [[rule('nowhere')], 'CONTENTS_NO_MATCH'],
    [[rule('src', { only: ['*.so'] })], 'CONTENTS_NO_MATCH'],
    [[rule('src/a.js', { to: 'x' }), rule('build/out/lib.so.debug', { to: 'x' }), rule('lib')], 'CONTENTS_NO_MATCH'],
  ])('%j are refused with %s', (rules, code) => {
    expect(() => selectByRules(tree, rules, 'a')).toThrow(expect.objectContaining({ code }));
  });

  it('refuse links that leave, and two files at one path', () => {
    expect(() => selectByRules([file('x/l', { linkname: '../../etc' })], [rule('x')], 'a')).toThrow(
      expect.objectContaining({ code: 'CONTENTS_UNSAFE' }),
    );
    expect(selectByRules([file('x/l', { linkname: '../a' })], [rule('x')], 'a')).toHaveLength(1);
    expect(() =>
      selectByRules([file('a/i'), file('b/i')], [rule('a', { to: 'o' }), rule('b', { to: 'o' })], 'a'),
    ).toThrow(expect.objectContaining({ code: 'CONTENTS_COLLISION' }));
  });
});

describe('an npm package without rules', () => {
  const files = [
    'package.json',
    'README.md',
    'LICENSE.txt',
    'index.js',
    'dist/a.js',
    'dist/a.map',
    'src/a.ts',
    '.npmrc',
    'dist/.npmrc',
    'package-lock.json',
    'bin/run.js',
    '.env',
  ].map((path) => file(path));
  it.each([
    [{ files: ['dist'] }, null, ['LICENSE.txt', 'README.md', 'dist/a.js', 'dist/a.map', 'package.json']],
    [{ files: ['dist', '!dist/*.map'] }, null, ['LICENSE.txt', 'README.md', 'dist/a.js', 'package.json']],
    [
      { files: ['./dist/**'], main: './index.js' },
      null,
      ['LICENSE.txt', 'README.md', 'dist/a.js', 'dist/a.map', 'index.js', 'package.json'],
    ],
    [
      { files: ['*.js'], bin: { run: './bin/run.js' } },
      null,
      ['LICENSE.txt', 'README.md', 'bin/run.js', 'index.js', 'package.json'],
    ],
    [{}, 'src\n.env\n*.map\n', ['LICENSE.txt', 'README.md', 'bin/run.js', 'dist/a.js', 'index.js', 'package.json']],
  ])('%j with ignore text %j', (manifest, ignoreText, paths) => {
    expect(selectForNpm(files, manifest, ignoreText).map(({ path }) => path)).toEqual(paths);
  });

  it('makes what `bin` names executable', () => {
    const [bin] = selectForNpm([file('run.js')], { bin: './run.js' }, null);

    expect(bin?.mode).toBe(0o755);
  });
});

describe('paths', () => {
  it.each(['/etc/x', '../x', 'a/../x', 'a//x', './x', 'C:/x', 'a\\x', 'a\u0000x', '', 'a/.', 'a/..', 'a/./x'])(
    '%j is unsafe',
    (path) => {
      expect(unsafeReason(path)).not.toBeNull();
    },
  );

  it.each(['x', 'a/b.c', 'a/..b', 'päckage/x', 'a b/c'])('%j is safe', (path) => {
    expect(unsafeReason(path)).toBeNull();
  });

  it('are safe when each of their parts is a name', () => {
    const part = fc.constantFrom('', '.', '..', '.a', 'a.', 'a', 'ä', 'C:', 'a b', '-', '~', '...');
    fc.assert(
      fc.property(fc.array(part, { minLength: 1, maxLength: 4 }), (parts) => {
        const isSafe = parts.every((name) => !['', '.', '..'].includes(name)) && parts[0] !== 'C:';
        const endsInSlash = parts.length > 1 && parts.at(-1) === '' && isSafeBut(parts);
        expect(unsafeReason(parts.join('/')) === null).toBe(isSafe || endsInSlash);
      }),
    );
    /** A `/` at the end marks a folder. */
    function isSafeBut(parts: readonly string[]): boolean {
      const names = parts.slice(0, -1);
      return names.every((name) => !['', '.', '..'].includes(name)) && names[0] !== 'C:';
    }
  });

  it.each([
    ['p/a/l', '../b', false, false],
    ['p/l', '../../b', false, true],
    ['p/l', '/etc', false, true],
    ['p/l', 'x/../../../b', false, true],
    ['p/a/l', 'p/b', true, false],
    ['p/a/l', '../b', true, true],
  ])('a link at %s to %s (hard: %s) leaves: %s', (path, target, isHard, leaves) => {
    expect(linkLeaves(path, target, isHard)).toBe(leaves);
  });
});

const letters = fc.string({ unit: fc.constantFrom('a', 'b', ' ', '/', 'é', '\ud7ff', '\ue000', '\uffff', '🌊', '\0') });

it('orders texts by their bytes', () => {
  fc.assert(
    fc.property(letters, letters, (a, b) => {
      expect(compareBytes(a, b)).toBe(Buffer.compare(Buffer.from(a), Buffer.from(b)));
    }),
    { numRuns: 1000 },
  );
});

it('digests the lines of all entries in the order of their bytes', () => {
  const entries = fc.array(
    fc.record({
      path: letters,
      type: fc.constantFrom('file' as const, 'symlink' as const),
      sizeBytes: fc.constant(1),
      mode: fc.constantFrom(0o644, 0o755),
      linkname: fc.constant(null),
      sha256: fc.constantFrom('00', '01', null),
    }),
    { maxLength: 300 },
  );
  fc.assert(
    fc.property(entries, (list) => {
      const lines = list.map(
        ({ path, mode, type, sha256 }) => `${path} 0${mode.toString(8)} ${type} ${sha256 ?? '-'}\n`,
      );
      const sorted = lines.map((line) => Buffer.from(line)).sort(Buffer.compare);
      const expected = createHash('sha256').update(Buffer.concat(sorted)).update('{}').digest('hex');
      expect(contentDigest(list, '{}')).toBe(expected);
    }),
  );
});

it('has one content digest whatever the order of entries, and another for any change', () => {
  const entry: Entry = { path: 'a', type: 'file', sizeBytes: 1, mode: 0o644, linkname: null, sha256: '00' };
  const others: Partial<Entry>[] = [{ path: 'c' }, { mode: 0o755 }, { sha256: '01' }, { type: 'symlink' }];
  const b = { ...entry, path: 'b' };

  expect(contentDigest([entry, b], '')).toBe(contentDigest([b, entry], ''));
  for (const other of others)
    expect(contentDigest([{ ...entry, ...other }, b], '')).not.toBe(contentDigest([entry, b], ''));
  // printf 'a 0644 file 00\n' | sha256sum
  expect(contentDigest([entry], '')).toBe('bd053984e914daf5eb35ed402a9832193872ebdd6dbf7346ffcf74069e6f8706');
});

it.each([
  ['a/b', '../c', 'a/c'],
  ['a/b', '../../c', 'c'],
  ['a', '../../c', '../c'],
  ['a', '../../../c', '../../c'],
  ['', '../c/./d//e', '../c/d/e'],
  ['../x', '../y', '../y'],
])('joins %j and %j to %j', (folder, relative, expected) => {
  expect(joinPath(folder, relative)).toBe(expected);
});
