import { describe, expect, it } from 'vitest';
import { goSurfaceReader } from '../../../../src/core/surface/go/reader.ts';
import { bothWays, type Change, judge, sourceOf } from '../sources.ts';

/** The package `bells` before and after. */
const changes: readonly Change[] = [
  ['a function', '', 'func Ring() {}', 'addition', 'breaking'],
  ['a function of the package', '', 'func ring() {}', 'none', 'none'],
  ['a parameter', 'func Ring() {}', 'func Ring(a int) {}', 'breaking', 'breaking'],
  ['more arguments', 'func Ring(a int) {}', 'func Ring(a int, b ...int) {}', 'breaking', 'breaking'],
  ['another name of a parameter', 'func Ring(a int) {}', 'func Ring(b int) {}', 'none', 'none'],
  ['parameters of one type', 'func Ring(a, b int) {}', 'func Ring(a int, b int) {}', 'none', 'none'],
  ['another type of a parameter', 'func Ring(a int) {}', 'func Ring(a int64) {}', 'breaking', 'breaking'],
  ['another spelling of a type', 'func Ring(a interface{}) {}', 'func Ring(a any) {}', 'none', 'none'],
  ['a result', 'func Ring() {}', 'func Ring() error { return nil }', 'breaking', 'breaking'],
  [
    'names of results',
    'func Ring() (int, error) { return 1, nil }',
    'func Ring() (n int, err error) { return 1, nil }',
    'none',
    'none',
  ],
  ['a parameter of a parameter', 'func Ring(f func(a int)) {}', 'func Ring(f func(b int)) {}', 'none', 'none'],
  ['a generic function', 'func Ring(a int) {}', 'func Ring[T any](a T) {}', 'breaking', 'breaking'],
  ['another name of a type parameter', 'func Ring[T any](a T) {}', 'func Ring[S any](a S) {}', 'none', 'none'],
  ['a narrower constraint', 'func Ring[T any](a T) {}', 'func Ring[T comparable](a T) {}', 'breaking', 'compatible'],
  ['another constraint', 'func Ring[T A](a T) {}', 'func Ring[T B](a T) {}', 'unknown', 'unknown'],
  ['a structure', '', 'type Bell struct{}', 'addition', 'breaking'],
  ['a field', 'type Bell struct { A int }', 'type Bell struct { A int; B int }', 'addition', 'breaking'],
  ['a hidden field', 'type Bell struct { A int }', 'type Bell struct { A int; b int }', 'none', 'none'],
  [
    'a field that cannot be compared',
    'type Bell struct { A int }',
    'type Bell struct { A int; b []int }',
    'breaking',
    'addition',
  ],
  ['another type of a field', 'type Bell struct { A int }', 'type Bell struct { A string }', 'breaking', 'breaking'],
  [
    'another tag',
    'type Bell struct { A int `json:"a"` }',
    'type Bell struct { A int `json:"b"` }',
    'unknown',
    'unknown',
  ],
  [
    'a field moves into an embedded type',
    'type Bell struct { A int }',
    'type base struct { A int }\ntype Bell struct { base }',
    'breaking',
    'none',
  ],
  [
    'a field that another package may have',
    'type Bell struct { other.Base; A int }',
    'type Bell struct { other.Base }',
    'unknown',
    'addition',
  ],
  ['a method', 'type Bell struct{}', 'type Bell struct{}\nfunc (b Bell) Ring() {}', 'addition', 'breaking'],
  ['a hidden method', 'type Bell struct{}', 'type Bell struct{}\nfunc (b Bell) ring() {}', 'none', 'none'],
  [
    'a method of pointers',
    'type Bell struct{}\nfunc (b Bell) Ring() {}',
    'type Bell struct{}\nfunc (b *Bell) Ring() {}',
    'breaking',
    'compatible',
  ],
  [
    'a method moves into an embedded type',
    'type Bell struct{}\nfunc (b Bell) Ring() {}',
    'type base struct{}\nfunc (b base) Ring() {}\ntype Bell struct { base }',
    'none',
    'none',
  ],
  [
    'a field of a hidden embedded type',
    'type base struct{}\ntype Bell struct { base }',
    'type base struct { A int }\ntype Bell struct { base }',
    'addition',
    'breaking',
  ],
  [
    'a method of a hidden embedded type',
    'type base struct{}\ntype Bell struct { base }',
    'type base struct{}\nfunc (b base) Ring() {}\ntype Bell struct { base }',
    'addition',
    'breaking',
  ],
  [
    'a field moves into an embedded type that users can name',
    'type Bell struct { A int }',
    'type Base struct { A int }\ntype Bell struct { Base }',
    'breaking',
    'breaking',
  ],
  [
    'a method of an interface',
    'type Ringer interface { Ring() }',
    'type Ringer interface { Ring(); Stop() }',
    'breaking',
    'breaking',
  ],
  [
    'a method of a sealed interface',
    'type Ringer interface { Ring(); own() }',
    'type Ringer interface { Ring(); own(); Stop() }',
    'addition',
    'breaking',
  ],
  [
    'a sealed interface',
    'type Ringer interface { Ring() }',
    'type Ringer interface { Ring(); own() }',
    'breaking',
    'none',
  ],
  [
    'the same methods, embedded',
    'type Ringer interface { Ring() }',
    'type base interface { Ring() }\ntype Ringer interface { base }',
    'none',
    'none',
  ],
  [
    'another embedded interface',
    'type Ringer interface { io.Reader }',
    'type Ringer interface { io.Writer }',
    'unknown',
    'unknown',
  ],
  [
    'another signature of a method',
    'type Ringer interface { Ring() }',
    'type Ringer interface { Ring() error }',
    'breaking',
    'breaking',
  ],
  ['an interface instead of a structure', 'type Bell struct{}', 'type Bell interface{}', 'breaking', 'breaking'],
  ['another type below', 'type Bell int', 'type Bell int64', 'breaking', 'breaking'],
  ['another name instead of a type', 'type Bell int', 'type Bell = int', 'breaking', 'breaking'],
  ['another type of an alias', 'type Bell = int', 'type Bell = string', 'breaking', 'breaking'],
  ['a generic type', 'type Bell[T any] struct{}', 'type Bell[T, S any] struct{}', 'breaking', 'breaking'],
  ['a constant', '', 'const Limit = 3', 'addition', 'breaking'],
  ['another value of a constant', 'const Limit = 3', 'const Limit = 4', 'unknown', 'unknown'],
  ['another type of a constant', 'const Limit = 3', 'const Limit = "3"', 'breaking', 'breaking'],
  ['a constant with a type', 'const Limit = 3', 'const Limit int = 3', 'breaking', 'breaking'],
  ['a version', 'const Version = "1.4.0"', 'const Version = "1.4.1"', 'none', 'none'],
  ['a counted constant', 'const (\n A = iota\n B\n)', 'const (\n A = iota\n B\n C\n)', 'addition', 'breaking'],
  [
    'a counted constant in between',
    'const (\n A = iota\n B\n)',
    'const (\n A = iota\n C\n B\n)',
    'unknown',
    'breaking',
  ],
  ['the same values, written out', 'const (\n A = iota\n B\n)', 'const (\n A = 0\n B = 1\n)', 'none', 'none'],
  ['a variable', '', 'var Err = errors.New("no tide")', 'addition', 'breaking'],
  ['another type of a variable', 'var Limit int', 'var Limit string', 'breaking', 'breaking'],
  ['another value of a variable', 'var Limit = 3', 'var Limit = 4', 'none', 'none'],
  ['a variable instead of a constant', 'const Limit = 3', 'var Limit = 3', 'breaking', 'breaking'],
  ['a variable instead of a function', 'func Ring() {}', 'var Ring = ring', 'unknown', 'breaking'],
];

type Files = Record<string, string>;
const module = (files: Files) =>
  sourceOf('bells@v1.4.0.zip', { 'go.mod': 'module git.tidemark.example/bells\n\ngo 1.19\n', ...files });

describe('a single change of a package', () => {
  it.each(bothWays(changes))('%s', async (_, old, now, answer) => {
    const side = (text: string) => module({ 'bells.go': `package bells\n\nfunc Kept() {}\n${text}\n` });
    const found = await judge(goSurfaceReader, [side(old), side(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});

const base = { 'bells.go': 'package bells\nfunc Ring() {}\n' };

const modules: readonly Change<Files>[] = [
  ['a package', base, { ...base, 'moon/moon.go': 'package moon\nfunc Rise() {}' }, 'addition', 'breaking'],
  ['an internal package', base, { ...base, 'internal/moon/moon.go': 'package moon\nfunc Rise() {}' }, 'none', 'none'],
  ['a test', base, { ...base, 'bells_test.go': 'package bells\nfunc TestRing() {}' }, 'none', 'none'],
  ['another file', base, { 'ring.go': base['bells.go'] }, 'none', 'none'],
  ['a program', base, { ...base, 'cmd/ring/main.go': 'package main\nfunc main() {}' }, 'addition', 'breaking'],
  ['another name of a package', base, { 'bells.go': 'package chimes\nfunc Ring() {}\n' }, 'breaking', 'breaking'],
  [
    'another path of the module',
    base,
    { ...base, 'go.mod': 'module git.tidemark.example/bells/v2\n\ngo 1.19\n' },
    'breaking',
    'breaking',
  ],
  [
    'a newer Go',
    base,
    { ...base, 'go.mod': 'module git.tidemark.example/bells\n\ngo 1.21.0\n' },
    'breaking',
    'compatible',
  ],
  [
    'the same on two systems',
    { 'bells.go': 'package bells\nfunc Ring() {}' },
    { 'bells_linux.go': 'package bells\nfunc Ring() {}', 'bells_windows.go': 'package bells\nfunc Ring() {}' },
    'unknown',
    'none',
  ],
  [
    'different on two systems',
    { 'a_linux.go': 'package bells\nfunc Ring() {}' },
    { 'a_linux.go': 'package bells\nfunc Ring(a int) {}', 'a_windows.go': 'package bells\nfunc Ring() {}' },
    'unknown',
    'unknown',
  ],
  [
    'a file that is never compiled',
    base,
    { ...base, 'gen.go': '//go:build ignore\n\npackage main\nfunc Gen() {}' },
    'none',
    'none',
  ],
  [
    'another name of an import',
    { 'bells.go': 'package bells\nimport "net/http"\nfunc Ring(r *http.Request) {}' },
    { 'bells.go': 'package bells\nimport web "net/http"\nfunc Ring(r *web.Request) {}' },
    'none',
    'none',
  ],
];

describe('a single change of a module', () => {
  it.each(bothWays(modules))('%s', async (_, old, now, answer) => {
    const found = await judge(goSurfaceReader, [module(old), module(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});
