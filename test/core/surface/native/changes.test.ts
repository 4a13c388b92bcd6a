import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { nativeSurfaceReader } from '../../../../src/core/surface/native/reader.ts';
import { itWith } from '../../../builders/tools.ts';
import { bothWays, type Change, judge, sourceOf } from '../sources.ts';

/** The header `tide.h` before and after, of a library that is only headers. */
const headers: readonly Change[] = [
  ['a function', '', 'int tide_height(void);', 'addition', 'breaking'],
  ['a private function', '', 'int _tide_height(void);', 'none', 'none'],
  ['a parameter', 'int f(void);', 'int f(int a);', 'breaking', 'breaking'],
  ['another name of a parameter', 'int f(int a);', 'int f(int b);', 'none', 'none'],
  ['another type of a parameter', 'int f(int a);', 'int f(long a);', 'breaking', 'breaking'],
  ['a constant parameter', 'int f(char *a);', 'int f(const char *a);', 'compatible', 'breaking'],
  ['another spelling of a constant parameter', 'int f(const char *a);', 'int f(char const* a);', 'none', 'none'],
  ['a parameter that is constant inside', 'int f(int a);', 'int f(const int a);', 'none', 'none'],
  ['an array in place of a pointer', 'int f(int *a);', 'int f(int a[3]);', 'none', 'none'],
  ['another spelling of a number', 'int f(unsigned a);', 'int f(unsigned int a);', 'none', 'none'],
  ['more arguments', 'int f(char *a);', 'int f(char *a, ...);', 'breaking', 'breaking'],
  ['another result', 'int f(void);', 'long f(void);', 'breaking', 'breaking'],
  ['a constant result', 'char *f(void);', 'const char *f(void);', 'breaking', 'compatible'],
  ['a result that other headers define', 'size_t f(void);', 'unsigned long f(void);', 'unknown', 'unknown'],
  ['a pointer to a function', 'void f(int (*g)(int));', 'void f(int (*g)(long));', 'breaking', 'breaking'],
  ['a variable', '', 'extern int tide_level;', 'addition', 'breaking'],
  ['another type of a variable', 'extern int level;', 'extern long level;', 'breaking', 'breaking'],
  ['a name for a type', '', 'typedef int tide_t;', 'addition', 'breaking'],
  ['another type of a name', 'typedef int tide_t;', 'typedef long tide_t;', 'breaking', 'breaking'],
  ['a structure', '', 'struct tide { int a; };', 'addition', 'breaking'],
  ['a field at the end', 'struct tide { int a; };', 'struct tide { int a; int b; };', 'addition', 'breaking'],
  ['a field in front', 'struct tide { int a; };', 'struct tide { int b; int a; };', 'breaking', 'breaking'],
  ['another type of a field', 'struct tide { int a; };', 'struct tide { long a; };', 'breaking', 'breaking'],
  [
    'a spare field is used',
    'struct tide { int a; int reserved[2]; };',
    'struct tide { int a; int b; int reserved[1]; };',
    'unknown',
    'breaking',
  ],
  [
    'a structure can be seen',
    'typedef struct tide tide; int f(tide *t);',
    'typedef struct tide { int a; } tide; int f(tide *t);',
    'addition',
    'breaking',
  ],
  [
    'a structure without a tag',
    'typedef struct { int a; } tide;',
    'typedef struct { int a; int b; } tide;',
    'addition',
    'breaking',
  ],
  ['a union', 'union tide { int a; };', 'union tide { int a; long b; };', 'addition', 'breaking'],
  ['a constant of an enumeration', 'enum port { A, B };', 'enum port { A, B, C };', 'addition', 'breaking'],
  ['a constant in between', 'enum port { A, B };', 'enum port { A, C, B };', 'breaking', 'breaking'],
  ['the same values, written out', 'enum port { A, B };', 'enum port { A = 0, B = 1 };', 'none', 'none'],
  ['another value', 'enum port { A = 1 };', 'enum port { A = 2 };', 'breaking', 'breaking'],
  ['constants without a name', 'enum { A, B };', 'enum { A };', 'breaking', 'addition'],
  ['a macro', '', '#define TIDE_LIMIT 3', 'addition', 'breaking'],
  ['another value of a macro', '#define TIDE_LIMIT 3', '#define TIDE_LIMIT 4', 'unknown', 'unknown'],
  ['the version', '#define TIDE_VERSION "1.4.0"', '#define TIDE_VERSION "1.4.1"', 'none', 'none'],
  ['a macro with parameters', '#define MAX(a) (a)', '#define MAX(a, b) (a)', 'breaking', 'breaking'],
  ['a macro that loses its parameters', '#define MAX(a) (a)', '#define MAX 3', 'breaking', 'breaking'],
  [
    'an inline function',
    'static inline int f(int a) { return a; }',
    'static inline int f(int a) { return a + 1; }',
    'none',
    'none',
  ],
  [
    'a macro for exported names',
    '#define API\nAPI int f(void);',
    '#define API __attribute__((visibility("default")))\nAPI int f(void);',
    'none',
    'none',
  ],
  ['an attribute', 'int f(void);', 'int f(void) __attribute__((nonnull(1)));', 'none', 'none'],
  [
    'what only C++ sees',
    'int f(void);',
    '#ifdef __cplusplus\nextern "C" {\n#endif\nint f(void);\n#ifdef __cplusplus\n}\n#endif',
    'none',
    'none',
  ],
  [
    'a name on some systems',
    'int f(int a);',
    '#ifdef _WIN32\nint f(long a);\n#else\nint f(int a);\n#endif',
    'none',
    'none',
  ],
  ['a function becomes a macro', 'int f(int a);', '#define f(a) (a)', 'unknown', 'unknown'],
  [
    'a function of a pointer to a structure',
    'struct s; void f(struct s *a);',
    'struct s; void f(const struct s *a);',
    'compatible',
    'breaking',
  ],
];

const archive = (files: Readonly<Record<string, string | Uint8Array>>) => sourceOf('libtide-1.4.0.tar.gz', files);

describe('a single change of a header', () => {
  it.each(bothWays(headers))('%s', async (_, old, now, answer) => {
    const side = (text: string) =>
      archive({ 'include/tide.h': `#ifndef TIDE_H\n#define TIDE_H\nint kept(void);\n${text}\n#endif\n` });
    const found = await judge(nativeSurfaceReader, [side(old), side(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});

type Built = { readonly code: string; readonly header?: string; readonly soname?: string; readonly versions?: string };
const plain = 'int kept(void) { return 1; }\n';

/** A shared library, made by gcc, with its header. */
const libraries: readonly Change<Built>[] = [
  ['a symbol', { code: '' }, { code: 'int f(void) { return 1; }' }, 'addition', 'breaking'],
  ['a private symbol', { code: '' }, { code: 'int _f(void) { return 1; }' }, 'none', 'none'],
  [
    'a hidden symbol',
    { code: '' },
    { code: '__attribute__((visibility("hidden"))) int f(void) { return 1; }' },
    'none',
    'none',
  ],
  [
    'a symbol of the file alone',
    { code: '' },
    {
      code: 'static int f(void) { return 1; } int (*unused(void))(void);\nstatic int (*g)(void) __attribute__((used)) = f;',
    },
    'none',
    'none',
  ],
  ['another soname', { code: '' }, { code: '', soname: 'libtide.so.2' }, 'breaking', 'breaking'],
  ['an object of another size', { code: 'int level[2];' }, { code: 'int level[3];' }, 'breaking', 'breaking'],
  [
    'a function instead of an object',
    { code: 'int f;' },
    { code: 'int f(void) { return 1; }' },
    'breaking',
    'breaking',
  ],
  [
    'a version of symbols',
    { code: 'int f(void) { return 1; }' },
    { code: 'int f(void) { return 1; }', versions: 'TIDE_1 { global: f; kept; };' },
    'breaking',
    'breaking',
  ],
  [
    'one more version',
    { code: 'int f(void) { return 1; }', versions: 'TIDE_1 { global: f; kept; };' },
    {
      code: 'int f(void) { return 1; } int g(void) { return 1; }',
      versions: 'TIDE_1 { global: f; kept; }; TIDE_2 { global: g; } TIDE_1;',
    },
    'addition',
    'breaking',
  ],
  [
    'another layout',
    { code: '', header: 'struct tide { int a; };' },
    { code: '', header: 'struct tide { int a; int b; };' },
    'breaking',
    'breaking',
  ],
  ['a thread-local object', { code: '__thread int level;' }, { code: 'int level;' }, 'breaking', 'breaking'],
];

const folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-native-'));
afterAll(() => rmSync(folder, { recursive: true }));

function build({ code, header = '', soname = 'libtide.so.1', versions }: Built) {
  const file = (name: string) => path.join(folder, name);
  writeFileSync(file('tide.c'), `${plain}${code}\n`);
  writeFileSync(file('tide.map'), versions ?? '');
  const script = versions === undefined ? [] : [`-Wl,--version-script=${file('tide.map')}`];
  execFileSync('gcc', [
    '-w',
    '-shared',
    '-fPIC',
    `-Wl,-soname,${soname}`,
    ...script,
    '-o',
    file('out.so'),
    file('tide.c'),
  ]);
  return archive({
    'lib/libtide.so.1.4.0': readFileSync(file('out.so')),
    'include/tide.h': `int kept(void);\n${header}\n`,
  });
}

describe('a single change of a library', () => {
  itWith('gcc').each(bothWays(libraries))('%s', async (_, old, now, answer) => {
    const found = await judge(nativeSurfaceReader, [build(old), build(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });

  itWith('gcc')('takes a symbol and a layout as changed rightly under a new soname', async () => {
    const old = build({ code: 'int f(void) { return 1; }', header: 'struct tide { int a; };' });
    const now = build({ code: '', header: 'struct tide { int a; int b; };', soname: 'libtide.so.2' });
    const { whys } = await judge(nativeSurfaceReader, [old, now]);
    expect(whys.map((why) => why.split(':')[0])).toEqual(['breaking', 'compatible', 'compatible']);
  });
});
