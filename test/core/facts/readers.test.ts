import { describe, expect, it } from 'vitest';
import { readClassName } from '../../../src/core/facts/class-file.ts';
import { readDeclarations } from '../../../src/core/facts/declarations.ts';
import { readElf } from '../../../src/core/facts/elf.ts';
import { readPythonImports, readPythonNames } from '../../../src/core/facts/python-imports.ts';
import { readScript } from '../../../src/core/facts/script.ts';
import { readFileHeader } from '../../../src/core/licence/file-header.ts';
import { identifyLicence } from '../../../src/core/licence/licence-text.ts';
import { mitText } from '../../builders/artifact.ts';
import { classFile, elfFile } from '../../builders/binary.ts';

describe('a script', () => {
  it.each([
    ['export const a = 1, { b, c: [d] } = x; export default function () {}', 'module', ['a', 'b', 'd', 'default']],
    ['export { a as b } from "./a.js"; export * as ns from "./b.js";', 'module', ['b', 'ns']],
    ['exports.a = 1; module.exports.b = 2; Object.defineProperty(exports, "c", {});', 'commonjs', ['a', 'b', 'c']],
    ['module.exports = { a, b: 1, "c-d": 2 };', 'commonjs', ['a', 'b', 'c-d']],
    ['0 || (module.exports = { a });', 'either', ['a']],
    ['var x = 010;', 'commonjs', []],
    ['export const a = ;', 'broken', []],
  ])('%s is %s and exports %j', (text, syntax, names) => {
    const facts = readScript(text);

    expect(facts.syntax).toBe(syntax);
    expect([...facts.exports.names].sort()).toEqual([...names].sort());
  });

  it.each([
    ['module.exports = make();', false],
    ['module.exports = { ...other };', false],
    ['exports[name] = 1;', false],
    ['module.exports = { [name]: 1 };', false],
    ['exports[name] = { a: 1 };', false],
    ['module.exports = { a: 1 };', true],
    ['exports.a = 1;', true],
  ])('%s: all of its exports are known: %s', (text, isComplete) => {
    expect(readScript(text).exports.isComplete).toBe(isComplete);
  });

  it('distinguishes eager, lazy and optional imports', () => {
    const text = [
      "import a from 'a';",
      "export * from 'b';",
      "const late = () => require('c');",
      "try { require('d') } catch {}",
      "import('e');",
      'require(name);',
      "(function (require) { require('f') })(x);",
    ].join('\n');

    expect(
      readScript(text).uses.map(({ specifier, isLate, isTried, line }) => [specifier, isLate, isTried, line]),
    ).toEqual([
      ['a', false, false, 1],
      ['b', false, false, 2],
      ['c', true, false, 3],
      ['d', true, true, 4],
      ['e', true, false, 5],
    ]);
  });
});

it('tells values from types in declarations', () => {
  const facts = readDeclarations(
    [
      "import { A } from './a.js';",
      'export declare function high(): number;',
      'export declare const enum Inlined { a }',
      'export interface Tide {}',
      "export { B } from './b.js';",
      "export type { C } from './c.js';",
      "export * from './d.js';",
      'declare const local: number;',
      'declare const both: number;',
      'interface both {}',
      'export { local as shown, A, both };',
      'export default high;',
      "import * as tables from './e.js';",
      "import type * as shapes from './f.js';",
      'export { tables, shapes };',
    ].join('\n'),
  );

  expect([...facts.values].sort()).toEqual(['both', 'default', 'high', 'shown', 'tables']);
  expect([...facts.types].sort()).toEqual(['C', 'Inlined', 'Tide', 'shapes']);
  expect(facts.handedOn.map(({ name, from }) => [name, from])).toEqual([
    ['B', './b.js'],
    ['A', './a.js'],
  ]);
  expect(facts.from).toEqual(['./d.js']);
});

describe('Python', () => {
  const text =
    '"""import nothing\n"""\nimport os, harmonics.table as h  # import x\nfrom tides import a\nfrom . import b\nif 1:\n    import late\n"""\nimport none"""\n';

  it('names what is imported at the top', () => {
    expect(readPythonImports(text)).toEqual([
      { module: 'os', line: 3 },
      { module: 'harmonics', line: 3 },
      { module: 'tides', line: 4 },
    ]);
  });

  it('names what is bound', () => {
    const { names, hasStar } = readPythonNames(
      'import os\nfrom a import b as c, d\ndef main(): pass\nTABLE: int = 1\n',
    );

    expect([...names].sort()).toEqual(['TABLE', 'c', 'd', 'main', 'os']);
    expect(hasStar).toBe(false);
    expect(readPythonNames('from a import *').hasStar).toBe(true);
  });
});

describe('machine code', () => {
  it('says its soname, run paths, C library and sections', () => {
    const facts = readElf(elfFile({ soname: 'libh.so.0', runPath: '$ORIGIN:/opt/x', cLibrary: '2.34', debug: true }));

    expect(facts).toMatchObject({
      type: 'shared',
      soname: 'libh.so.0',
      runPaths: ['$ORIGIN', '/opt/x'],
      cLibrary: '2.34',
      debugSections: ['.debug_info'],
      hasExecutableStack: false,
    });
  });

  it.each([1, 60, 130, 200])('cut after %i bytes it is null or partly known, never a crash', (length) => {
    const facts = readElf(elfFile({ soname: 'libh.so.0' }).subarray(0, length));

    expect(facts?.soname ?? null).toBeNull();
  });

  it('a class says its name, and nothing when it is cut', () => {
    expect(readClassName(classFile('example/Tide', 11))).toBe('example/Tide');
    expect(readClassName(classFile('example/Tide', 11).subarray(0, 20))).toBeNull();
  });
});

describe('the header of a file', () => {
  it.each([
    [
      '// SPDX-License-Identifier: MIT\n// Copyright (c) 2026 Harbour desk\n',
      ['MIT'],
      'Copyright (c) 2026 Harbour desk',
    ],
    ['/* SPDX-License-Identifier: MIT OR Apache-2.0 */\n', ['MIT OR Apache-2.0'], null],
    [
      '# SPDX-FileCopyrightText: 2026 Fenmarsh Tide Office\n# SPDX-License-Identifier: CC0-1.0\n',
      ['CC0-1.0'],
      '2026 Fenmarsh Tide Office',
    ],
    ['<!-- SPDX-License-Identifier: MIT -->', ['MIT'], null],
    ['It speaks of copyright in general', [], null],
    ['\0\0SPDX-License-Identifier: MIT', [], null],
  ])('%j says %j and %j', (text, licences, copyright) => {
    expect(readFileHeader(Buffer.from(text))).toEqual({ licences, copyright });
  });
});

it.each([
  [mitText, 'MIT'],
  ['Apache License\nVersion 2.0, January 2004\nhttp://x\n3. Grant of Patent License.', 'Apache-2.0'],
  ['GNU GENERAL PUBLIC LICENSE\n   Version 3, 29 June 2007', 'GPL-3.0'],
  ['Some words of our own', null],
  [`${mitText}\n${'Another licence follows. '.repeat(300)}`, null],
])('knows a licence by its text', (text, id) => {
  expect(identifyLicence(text)).toBe(id);
});
