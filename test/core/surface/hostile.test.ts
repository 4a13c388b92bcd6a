import { describe, expect, it } from 'vitest';
import { dotnetSurfaceReader } from '../../../src/core/surface/dotnet/reader.ts';
import { goSurfaceReader } from '../../../src/core/surface/go/reader.ts';
import { jvmSurfaceReader } from '../../../src/core/surface/jvm/reader.ts';
import { nativeSurfaceReader } from '../../../src/core/surface/native/reader.ts';
import { pythonSurfaceReader } from '../../../src/core/surface/python/reader.ts';
import type { SurfaceReader } from '../../../src/core/surface/reader.ts';
import { rustSurfaceReader } from '../../../src/core/surface/rust/reader.ts';
import { sourceOf, tools } from './sources.ts';

type Files = Record<string, string | Uint8Array>;

const many = (count: number, line: (index: number) => string) =>
  Array.from({ length: count }, (_, index) => line(index)).join('\n');
const nested = (open: string, close: string, count = 20_000) => `${open.repeat(count)}${close.repeat(count)}`;

/** Files that were made to hurt; each ends in an answer. */
const cases: readonly (readonly [string, SurfaceReader, Files])[] = [
  ['Python that nests', pythonSurfaceReader, { 'tide.py': `X = ${nested('(', ')')}\n` }],
  [
    'Python that branches without end',
    pythonSurfaceReader,
    { 'tide.py': many(3_000, (index) => `${' '.repeat(index)}if a:`) },
  ],
  [
    'Python modules in a circle',
    pythonSurfaceReader,
    {
      'a.py': 'from b import *\nfrom b import X as X\n',
      'b.py': 'from a import *\nfrom a import X as X\n__all__ = a.__all__\nimport a',
    },
  ],
  ['a Python class below itself', pythonSurfaceReader, { 'a.py': 'class A(B): ...\nclass B(A): ...\n' }],
  [
    'Python with 20,000 members',
    pythonSurfaceReader,
    { 'a.py': `class A:\n${many(20_000, (index) => `  x${index} = 1`)}` },
  ],
  [
    'Python with long unions',
    pythonSurfaceReader,
    { 'a.py': `def f(a: ${many(2_000, (index) => `T${index}`).replaceAll('\n', ' | ')}): ...` },
  ],
  [
    'Python that is none',
    pythonSurfaceReader,
    { 'a.py': Buffer.from(Array.from({ length: 5_000 }, (_, index) => index % 256)) },
  ],
  ['a source of 5 MB', pythonSurfaceReader, { 'a.py': `X = "${'x'.repeat(5 << 20)}"` }],
  ['Rust that nests', rustSurfaceReader, { 'src/lib.rs': `pub type A = ${nested('Box<', '>', 5_000)};` }],
  [
    'Rust modules that nest',
    rustSurfaceReader,
    { 'src/lib.rs': `${'pub mod m { '.repeat(500)}pub fn f() {}${' }'.repeat(500)}` },
  ],
  [
    'Rust names in circles',
    rustSurfaceReader,
    {
      'src/lib.rs': many(
        12,
        (index) =>
          `pub mod m${index} { pub use super::*; ${many(12, (other) => `pub use super::m${other}::*;`)} pub use super::m${(index + 1) % 12}::A; }`,
      ),
    },
  ],
  ['Rust files in a circle', rustSurfaceReader, { 'src/lib.rs': '#[path = "lib.rs"] pub mod a;\npub fn f() {}' }],
  ['Rust lists of uses', rustSurfaceReader, { 'src/lib.rs': `pub use a::${nested('{b::', '}', 3_000)};` }],
  [
    'Rust with 20,000 variants',
    rustSurfaceReader,
    { 'src/lib.rs': `pub enum E { ${many(20_000, (index) => `V${index},`)} }` },
  ],
  ['Go that nests', goSurfaceReader, { 'go.mod': 'module a', 'a.go': `package a\ntype A ${'[]'.repeat(20_000)}int` }],
  [
    'Go types in each other',
    goSurfaceReader,
    {
      'go.mod': 'module a',
      'a.go': 'package a\ntype A struct { B }\ntype B struct { A }\ntype I interface { J }\ntype J interface { I }',
    },
  ],
  [
    'Go with 20,000 constants',
    goSurfaceReader,
    { 'go.mod': 'module a', 'a.go': `package a\nconst (\n A0 = iota\n${many(20_000, (index) => ` B${index}`)}\n)` },
  ],
  [
    'a header that nests',
    nativeSurfaceReader,
    { 'include/a.h': `${'struct a { '.repeat(2_000)}int x;${' } y;'.repeat(2_000)}` },
  ],
  ['a header of brackets', nativeSurfaceReader, { 'include/a.h': `int f${nested('(', ')')};` }],
  ['a header with open branches', nativeSurfaceReader, { 'include/a.h': many(5_000, (index) => `#ifdef A${index}`) }],
  [
    'macros that stand for each other',
    nativeSurfaceReader,
    { 'include/a.h': many(500, (index) => `#define A${index} A${(index + 1) % 500}`) },
  ],
  [
    'a header of 20,000 attributes',
    nativeSurfaceReader,
    { 'include/a.h': `int f(void) ${'__attribute__((nonnull)) '.repeat(20_000)};` },
  ],
  [
    'a library that is none',
    nativeSurfaceReader,
    { 'lib/liba.so': Buffer.from('\x7fELF\x02\x01\x01'.padEnd(200, '\xff'), 'latin1') },
  ],
  ['a class file that ends', jvmSurfaceReader, { 'a/A.class': Buffer.from('cafebabe0000003dffff0701', 'hex') }],
  [
    'a class file of zeros',
    jvmSurfaceReader,
    { 'a/A.class': Buffer.concat([Buffer.from('cafebabe', 'hex'), Buffer.alloc(500)]) },
  ],
  [
    'an assembly of zeros',
    dotnetSurfaceReader,
    { 'lib/net8.0/A.dll': Buffer.concat([Buffer.from('MZ'), Buffer.alloc(2_000)]) },
  ],
];

describe('what was made to hurt', () => {
  it.each(cases)('%s', { timeout: 60_000 }, async (_, reader, files) => {
    const source = sourceOf('tide.zip', files, {});
    await expect(reader.read(source, tools)).resolves.toHaveProperty('entries');
    // Against itself, nothing has changed.
    expect((await reader.compare(source, source, tools)).differences).toEqual([]);
  });
});
