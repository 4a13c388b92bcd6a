import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { goSurfaceReader } from '../../../src/core/surface/go/reader.ts';
import { jvmSurfaceReader } from '../../../src/core/surface/jvm/reader.ts';
import { nativeSurfaceReader } from '../../../src/core/surface/native/reader.ts';
import { pythonSurfaceReader } from '../../../src/core/surface/python/reader.ts';
import type { SurfaceReader } from '../../../src/core/surface/reader.ts';
import { rustSurfaceReader } from '../../../src/core/surface/rust/reader.ts';
import { judge, sourceOf } from './sources.ts';

type Files = Record<string, string | Uint8Array>;

/** Larger than a source may be. */
const large = ' '.repeat((4 << 20) + 1);

/** Before: everything can be read. After: one file cannot. */
const cases: readonly (readonly [string, SurfaceReader, Files, Files])[] = [
  [
    'a module of Python',
    pythonSurfaceReader,
    { 'tides/__init__.py': '', 'tides/a.py': 'X = 1' },
    { 'tides/__init__.py': '', 'tides/a.py': large },
  ],
  [
    'a module of Python in machine code',
    pythonSurfaceReader,
    { 'tides/__init__.py': '', 'tides/a.py': 'X = 1' },
    { 'tides/__init__.py': '', 'tides/a.cpython-311.so': 'ELF' },
  ],
  ['the top of a crate', rustSurfaceReader, { 'src/lib.rs': 'pub fn f() {}' }, { 'src/lib.rs': large }],
  [
    'a module of a crate',
    rustSurfaceReader,
    { 'src/lib.rs': 'pub mod a;', 'src/a.rs': 'pub fn f() {}' },
    { 'src/lib.rs': 'pub mod a;', 'src/a.rs': large },
  ],
  [
    'a file of a package of Go',
    goSurfaceReader,
    { 'go.mod': 'module a', 'a.go': 'package a', 'b.go': 'package a\nfunc F() {}' },
    { 'go.mod': 'module a', 'a.go': 'package a', 'b.go': large },
  ],
  ['a header', nativeSurfaceReader, { 'include/a.h': 'int f(void);' }, { 'include/a.h': large }],
  [
    'a header that is one of C++ now',
    nativeSurfaceReader,
    { 'include/a.h': 'int f(void);' },
    { 'include/a.h': 'namespace a { int f(); }' },
  ],
];

describe('what could not be read on one side', () => {
  it.each(cases)('such as %s is unknown, neither removed nor new', async (_, reader, old, now) => {
    const sides = [sourceOf('tides.zip', old, {}), sourceOf('tides.zip', now, {})] as const;
    expect((await judge(reader, sides)).answer).toBe('unknown');
    expect((await judge(reader, [sides[1], sides[0]])).answer).toBe('unknown');
  });

  it('such as a class is unknown', async () => {
    const file = new URL('./jvm/Tide.class.base64', import.meta.url);
    const cls = Buffer.from(readFileSync(file, 'utf8'), 'base64');
    const sides = [
      sourceOf('a.jar', { 'tides/Tide.class': cls }),
      sourceOf('a.jar', { 'tides/Tide.class': cls.subarray(0, 90) }),
    ] as const;
    expect((await judge(jvmSurfaceReader, sides)).answer).toBe('unknown');
  });
});
