import { execFileSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { readBinaryKind } from '../../../src/core/contents/binary.ts';
import { compareEntries, sizeByFolder } from '../../../src/core/contents/compare.ts';
import type { Entry, Origin } from '../../../src/core/contents/entry.ts';
import { listLeftBehind } from '../../../src/core/contents/left-behind.ts';
import { likelyCause } from '../../../src/core/contents/likely-cause.ts';
import { pickFiles } from '../../../src/core/contents/picks.ts';
import { formDefinitions } from '../../../src/core/form/definitions.ts';
import { fileRule } from '../../builders/form-input.ts';
import { temporaryFolder } from '../../builders/repository.ts';

type Case = readonly [string, Record<string, unknown>, readonly string[], readonly string[]];

// Packages as they are found, and entries to ask for.
const cases: readonly Case[] = [
  [
    'two builds by conditions',
    { exports: { '.': { types: './i.d.ts', browser: './b.js', import: './n.mjs', require: './n.cjs' } } },
    ['b.js', 'n.mjs', 'n.cjs', 'i.d.ts'],
    ['.'],
  ],
  ['a plain text', { exports: './a.js' }, ['a.js'], ['.', './a.js']],
  [
    'subpaths, one of them closed',
    { exports: { '.': './a.js', './inner/*': null, './*': './lib/*.js', './features/*.js': './f/*.js' } },
    ['a.js', 'lib/x.js', 'f/y.js'],
    ['.', './x', './inner/x', './features/y.js'],
  ],
  [
    'conditions that nest and fall through',
    { exports: { '.': [{ node: { require: './r.cjs' } }, './d.js'] } },
    ['r.cjs', 'd.js'],
    ['.'],
  ],
  ['a target outside', { exports: { '.': '../a.js', './b': './node_modules/b.js' } }, ['a.js'], ['.', './b']],
  [
    'the longest pattern',
    { exports: { './a/*': './x/*.js', './a/b/*': './y/*.js' } },
    ['x/b.js', 'y/c.js', 'x/c.js'],
    ['./a/b/c', './a/c'],
  ],
  ['main without an ending', { main: './lib/main' }, ['lib/main.js'], ['.']],
  ['main as a folder', { main: 'lib' }, ['lib/index.js'], ['.']],
  ['nothing but an index', {}, ['index.js', 'other.js'], ['.']],
  ['a main that is not there', { main: 'gone.js' }, ['index.js'], ['.']],
];

describe("picks agree with Node's own resolver", () => {
  it.each(cases)('for %s', (_, manifest, files, entries) => {
    const folder = temporaryFolder();
    const place = path.join(folder, 'node_modules/p');
    for (const file of files) {
      mkdirSync(path.dirname(path.join(place, file)), { recursive: true });
      writeFileSync(path.join(place, file), '');
    }
    writeFileSync(path.join(place, 'package.json'), JSON.stringify({ name: 'p', version: '1.0.0', ...manifest }));
    // import.meta.resolve does not look whether a file is there, so that is asked after it.
    const script = `
      import { createRequire } from 'node:module'; import { existsSync } from 'node:fs'; import { fileURLToPath } from 'node:url';
      const require = createRequire(import.meta.url);
      const ask = (f) => { try { const file = f(); return file !== null && existsSync(file) ? file : null; } catch { return null; } };
      console.log(JSON.stringify(${JSON.stringify(entries)}.map((entry) => { const name = 'p' + entry.slice(1);
        return [ask(() => fileURLToPath(import.meta.resolve(name))), ask(() => require.resolve(name))]; })));`;
    writeFileSync(path.join(folder, 'ask.mjs'), script);
    const answers = JSON.parse(execFileSync(process.execPath, ['ask.mjs'], { cwd: folder, encoding: 'utf8' })) as (
      | string
      | null
    )[][];
    const relative = (file: string | null | undefined) => (file == null ? null : path.relative(place, file));

    const picks = pickFiles({ name: 'p', ...manifest }, ['package.json', ...files]);

    for (const [index, entry] of entries.entries()) {
      const of = (consumer: string) =>
        picks.find((pick) => pick.entry === entry && pick.consumer === consumer)?.file ?? null;
      expect([entry, of('server import'), of('server require')]).toEqual([
        entry,
        relative(answers[index]?.[0]),
        relative(answers[index]?.[1]),
      ]);
    }
  });

  it.each<[Record<string, unknown>, string, string | null]>([
    [{ exports: { '.': { browser: './b.js', default: './n.js' } } }, 'bundler for the browser', 'b.js'],
    [{ main: './n.js', browser: './b.js' }, 'bundler for the browser', 'b.js'],
    [{ main: './n.js', browser: { './n.js': './b.js' } }, 'bundler for the browser', 'b.js'],
    [{ main: './n.js', browser: { './n.js': false } }, 'bundler for the browser', null],
    [{ main: './n.js', module: './m.mjs' }, 'bundler for the browser', 'm.mjs'],
    [{ exports: { '.': { types: './i.d.ts', default: './n.js' } } }, 'type checker', 'i.d.ts'],
    [{ exports: './n.js' }, 'type checker', 'n.d.ts'],
    [{ main: './n.js', types: './i.d.ts' }, 'type checker', 'i.d.ts'],
    [{ main: './b.js' }, 'type checker', null],
  ])('%j gives a %s %s', (manifest, consumer, file) => {
    const paths = ['n.js', 'n.d.ts', 'b.js', 'm.mjs', 'i.d.ts'];

    expect(pickFiles(manifest, paths).find((pickFile) => pickFile.consumer === consumer)?.file ?? null).toBe(file);
  });
});

const entry = (path: string, more: Partial<Entry> = {}): Entry => ({
  path,
  type: 'file',
  sizeBytes: 1,
  mode: 0o644,
  linkname: null,
  sha256: '00',
  ...more,
});

it('two artifacts differ in what was added, removed and changed, whatever their top folders are called', () => {
  const before = [entry('p-1/a'), entry('p-1/b'), entry('p-1/lib/c', { sizeBytes: 10 })];
  const after = [entry('p-2/a', { sha256: '01', mode: 0o755 }), entry('p-2/lib/c', { sizeBytes: 10 }), entry('p-2/d')];
  const prefixes = { before: 'p-1/', after: 'p-2/' };

  const compared = compareEntries(before, after, prefixes);

  expect(compared.added.map(({ path: inside }) => inside)).toEqual(['d']);
  expect(compared.removed.map(({ path: inside }) => inside)).toEqual(['b']);
  expect(compared.changed).toMatchObject([{ path: 'a', what: ['content', 'mode 0644 became 0755'] }]);
  expect(sizeByFolder(before, after, prefixes)).toEqual([
    { folder: '', before: 2, after: 2 },
    { folder: 'lib', before: 10, after: 10 },
  ]);
});

it.each([
  ['built 2026-03-31T23:33:20Z here', 'built 2026-04-01T01:00:00Z here', 'time'],
  ['at 1775000000;', 'at 1775000123;', 'time'],
  ['from /tmp/bevelstone-ab/x.c', 'from /tmp/bevelstone-other-cd/x.c', 'path'],
  ['b\na\n', 'a\nb\n', 'order'],
  ['0.123', '0.456', 'unknown'],
])('%j and %j differ most likely by %s', (before, after, cause) => {
  const places = ['/tmp/bevelstone-'];

  expect(
    likelyCause({ before: { bytes: Buffer.from(before), places }, after: { bytes: Buffer.from(after), places } }),
  ).toBe(cause);
});

describe('what was left behind', () => {
  const source = (path: string): Origin => ({ type: 'source', path, commit: 'c', stamped: false });
  const base = {
    tracked: ['src/a.js', 'src/a.test.js', 'tools/b.js', 'made.js'],
    origins: [source('p/src/a.js'), { type: 'step', path: 'p/made.js', step: 's' } as const],
    folder: 'p',
    formReason: formDefinitions['tar.gz'].reasonLeftOut(false),
    rules: null,
  };

  it.each<[string, Partial<Parameters<typeof listLeftBehind>[0]>, string[]]>([
    [
      'rules',
      { rules: [{ ...fileRule('src'), except: ['**/*.test.*'] }] },
      ['src/a.test.js: `except: **/*.test.*` leaves it out', 'tools/b.js: no `files` rule takes it'],
    ],
    [
      'a rule for another folder',
      { rules: [fileRule('lib')] },
      ['src/a.test.js: no `files` rule takes it', 'tools/b.js: no `files` rule takes it'],
    ],
    [
      'a rule for the whole folder',
      { rules: [{ ...fileRule('.'), except: ['tools/**', '**/*.test.js'] }] },
      ['src/a.test.js: `except: **/*.test.js` leaves it out', 'tools/b.js: `except: tools/**` leaves it out'],
    ],
    [
      'the files list',
      { formReason: formDefinitions['npm-tarball'].reasonLeftOut(true) },
      [
        'src/a.test.js: `files` in package.json does not list it',
        'tools/b.js: `files` in package.json does not list it',
      ],
    ],
    [
      'a wheel',
      { formReason: formDefinitions.wheel.reasonLeftOut(false) },
      ['src/a.test.js: it is not part of an import package', 'tools/b.js: it is not part of an import package'],
    ],
  ])('is grouped by reason under %s', (_, more, expected) => {
    expect(listLeftBehind({ ...base, ...more }).map(({ path: inside, reason }) => `${inside}: ${reason}`)).toEqual(
      expected,
    );
  });
});

describe('machine code', () => {
  const head = (hex: string) => Buffer.concat([Buffer.from(hex, 'hex'), Buffer.alloc(64)]);
  const pe = Buffer.concat([
    Buffer.from('MZ'),
    Buffer.alloc(58),
    Buffer.from('40000000', 'hex'),
    Buffer.from('PE\0\0\x64\x86', 'latin1'),
    Buffer.alloc(16),
  ]);

  it.each<[string, Buffer, unknown]>([
    ['ELF', head('7f454c460201010000000000000000000300b700'), { type: 'native', platform: 'linux-arm64' }],
    ['PE', pe, { type: 'native', platform: 'windows-x64' }],
    ['Mach-O', head('cffaedfe0c000001'), { type: 'native', platform: 'macos-arm64' }],
    [
      'Mach-O for two processors',
      head('cafebabe00000002010000070000000300004000000100000000000e0100000c'),
      { type: 'native', platform: 'macos-x64+arm64' },
    ],
    ['a class file', head('cafebabe0000003d'), { type: 'classes', major: 61 }],
    ['text', Buffer.from('#!/bin/sh\necho high water at noon'), null],
  ])('%s is told by its first bytes', (_, bytes, kind) => {
    expect(readBinaryKind(bytes)).toEqual(kind);
  });
});
