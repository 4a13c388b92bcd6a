import { describe, expect, it } from 'vitest';
import { builtFirst, installScripts } from '../../../src/core/plan/built-first.ts';
import { familyOf, interpreterOf, stepProgram } from '../../../src/core/plan/step-programs.ts';
import { reasonIn } from '../../../src/core/text/client-reason.ts';

describe('entries that are built first', () => {
  const paths = new Set(['index.js', 'lib/main.js', 'lib/types.d.ts', 'src/tide.ts', 'bin/cli.js', 'data/index.json']);

  it.each([
    [{ main: './lib/main' }, []],
    [{ main: 'data' }, []],
    [{ main: 'lib/' }, []],
    [{ exports: { '.': ['./lib/main.js', './gone.js'], './*': './lib/*.js' } }, ['exports gone.js']],
    [{ main: 'dist/main.js', types: './lib/types.d.ts' }, ['main dist/main.js']],
    [{ main: './src/tide.ts' }, ['main src/tide.ts']],
    [{ bin: { tide: 'bin/cli.js', other: './dist/other.js' } }, ['bin.other dist/other.js']],
    [{ bin: 'dist/cli.js', module: 'dist/cli.js' }, ['bin dist/cli.js']],
    [{ browser: { './a.js': './b.js' } }, []],
    [{ exports: null, main: 4 }, []],
  ])('of %j are %j', (manifest, found) => {
    expect(builtFirst(manifest, paths).map(({ field, file }) => `${field} ${file}`)).toEqual(found);
  });

  it('are made by scripts that run for whoever installs', () => {
    expect(installScripts({ scripts: { prepare: 'tsc', test: 'x', postinstall: 'y', install: 4 } })).toEqual([
      'postinstall',
      'prepare',
    ]);
  });
});

describe('what a step starts', () => {
  it.each([
    ['node tools/build.js --fast', 'node', 'tools/build.js'],
    ['CFLAGS=-O2 exec make all', 'make', 'all'],
    ['env A=b python3 -m build', 'python3', null],
    ['sh -c "x"', 'sh', null],
    ['./gen.sh {out}', './gen.sh', null],
    ['"a program" x', null, null],
    ['$CC x.c', null, null],
    ['(cd x && y)', null, null],
    ['', null, null],
  ])('is read from %j', (run, program, script) => {
    const start = stepProgram(run);
    expect(start?.program ?? null).toBe(program);
    if (start !== null) expect(start.script).toBe(script);
  });

  it.each([
    ['#!/usr/bin/env python3\nimport x', 'python3'],
    ['#! /usr/bin/env -S node --x\n', 'node'],
    ['#!/bin/sh', '/bin/sh'],
    ['#!\n', null],
    ['no script', null],
  ])('%j is interpreted by %j', (head, program) => {
    expect(interpreterOf(head)).toBe(program);
  });

  it.each([
    ['/usr/bin/python3.11', 'python'],
    ['node', 'node'],
    ['gcc-12', 'gcc'],
    ['sh', 'sh'],
  ])('%s is of the family %s', (program, family) => {
    expect(familyOf(program)).toBe(family);
  });
});

describe('the reason of a client', () => {
  it.each([
    [
      "npm error code E404\nnpm error 404 Not Found - GET http://x/y - not found\nnpm error 404\nnpm error 404  The requested resource 'y' could not be found.\nnpm error A complete log of this run can be found in: /tmp/x.log\n",
      "Not Found - GET http://x/y - not found\nThe requested resource 'y' could not be found.",
    ],
    [
      '  × Preparing metadata did not run successfully.\n  ╰─> [3 lines of output]\n      Traceback (most recent call last):\n        File "x.py", line 1\n      RuntimeError: no table\n      [end of output]\n  note: This is an issue with the package.\nhint: See above.\n',
      'RuntimeError: no table',
    ],
    ['one\ntwo\nthree\nfour', 'two\nthree\nfour'],
    ['\n\n', 'it printed nothing'],
    ['\u001b[31merror\u001b[0m: no such command', 'no such command'],
  ])('in %j is %j', (printed, reason) => {
    expect(reasonIn(printed)).toBe(reason);
  });
});
