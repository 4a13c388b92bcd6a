import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, describe, expect } from 'vitest';
import { jvmSurfaceReader } from '../../../../src/core/surface/jvm/reader.ts';
import { itWith } from '../../../builders/tools.ts';
import { bothWays, type Change, judge, sourceOf } from '../sources.ts';

/** A package before and after. */
const changes: readonly Change[] = [
  ['a class', 'public class A {}', 'public class A {} ---B public class B {}', 'addition', 'breaking'],
  ['a class without `public`', 'public class A {}', 'public class A {} class Hidden {}', 'none', 'none'],
  ['a method', 'public class A {}', 'public class A { public int f() { return 1; } }', 'addition', 'breaking'],
  ['a private method', 'public class A {}', 'public class A { private int f() { return 1; } }', 'none', 'none'],
  ['a method of the package', 'public class A {}', 'public class A { int f() { return 1; } }', 'none', 'none'],
  [
    'a method that only classes below see',
    'public class A { protected void f() {} }',
    'public class A { public void f() {} }',
    'addition',
    'breaking',
  ],
  [
    'a parameter',
    'public class A { public void f() {} }',
    'public class A { public void f(int a) {} }',
    'breaking',
    'breaking',
  ],
  [
    'an overload',
    'public class A { public void f() {} }',
    'public class A { public void f() {} public void f(int a) {} }',
    'addition',
    'breaking',
  ],
  [
    'a wider parameter',
    'public class A { public void f(String a) {} }',
    'public class A { public void f(Object a) {} }',
    'breaking',
    'breaking',
  ],
  [
    'another name of a parameter',
    'public class A { public void f(int a) {} }',
    'public class A { public void f(int b) {} }',
    'none',
    'none',
  ],
  [
    'another result',
    'public class A { public int f() { return 1; } }',
    'public class A { public long f() { return 1; } }',
    'breaking',
    'breaking',
  ],
  [
    'a more precise result',
    'public class A { public Object f() { return null; } }',
    'public class A { public String f() { return null; } }',
    'breaking',
    'breaking',
  ],
  [
    'a more precise result with a bridge',
    'public class A implements Cloneable { public Object clone() { return this; } }',
    'public class A implements Cloneable { public A clone() { return this; } }',
    'compatible',
    'breaking',
  ],
  ['an abstract class', 'public class A {}', 'public abstract class A {}', 'breaking', 'compatible'],
  ['a final class', 'public class A {}', 'public final class A {}', 'breaking', 'addition'],
  [
    'a final class that could not be extended anyway',
    'public class A { private A() {} }',
    'public final class A { private A() {} }',
    'none',
    'none',
  ],
  [
    'a sealed class',
    'public abstract class A { public A() {} static final class B extends A {} }',
    'public abstract sealed class A permits A.B { public A() {} static final class B extends A {} }',
    'breaking',
    'addition',
  ],
  [
    'one more class below a sealed one',
    'public sealed interface A permits A.B { record B() implements A {} }',
    'public sealed interface A permits A.B, A.C { record B() implements A {} record C() implements A {} }',
    'breaking',
    'breaking',
  ],
  ['an interface of a class', 'public class A {}', 'public class A implements Cloneable {}', 'addition', 'breaking'],
  ['an interface instead of a class', 'public abstract class A {}', 'public interface A {}', 'breaking', 'breaking'],
  [
    'another class above',
    'public class A extends B {} ---B public class B {}',
    'public class A {} ---B public class B {}',
    'breaking',
    'addition',
  ],
  [
    'a method moves up',
    'public class A extends B { public void f() {} } ---B public class B {}',
    'public class A extends B {} ---B public class B { public void f() {} }',
    'addition',
    'breaking',
  ],
  [
    'a method moves up into a hidden class',
    'public class A extends B { public void f() {} } ---B class B {}',
    'public class A extends B {} ---B class B { public void f() {} }',
    'none',
    'none',
  ],
  [
    'a method that repeats the inherited one',
    'public class A { public String toString() { return ""; } }',
    'public class A {}',
    'none',
    'addition',
  ],
  [
    'a method that another package may have',
    'public class A extends java.util.ArrayList<String> { public int size() { return 1; } }',
    'public class A extends java.util.ArrayList<String> {}',
    'unknown',
    'addition',
  ],
  [
    'a method of a hidden class above',
    'public class A extends B {} ---B class B {}',
    'public class A extends B {} ---B class B { public void f() {} }',
    'addition',
    'breaking',
  ],
  [
    'a static method',
    'public class A { public void f() {} }',
    'public class A { public static void f() {} }',
    'breaking',
    'breaking',
  ],
  [
    'an abstract method',
    'public abstract class A {}',
    'public abstract class A { public abstract void f(); }',
    'breaking',
    'breaking',
  ],
  [
    'a method becomes abstract',
    'public abstract class A { public void f() {} }',
    'public abstract class A { public abstract void f(); }',
    'breaking',
    'compatible',
  ],
  [
    'an abstract method in a class that users cannot extend',
    'public abstract class A { A() {} }',
    'public abstract class A { A() {} public abstract void f(); }',
    'addition',
    'breaking',
  ],
  [
    'a final method',
    'public class A { public void f() {} }',
    'public class A { public final void f() {} }',
    'breaking',
    'addition',
  ],
  [
    'a final method of a final class',
    'public final class A { public void f() {} }',
    'public final class A { public final void f() {} }',
    'none',
    'none',
  ],
  ['a method of an interface', 'public interface A {}', 'public interface A { void f(); }', 'breaking', 'breaking'],
  ['a default method', 'public interface A {}', 'public interface A { default void f() {} }', 'addition', 'breaking'],
  [
    'a method gets a default',
    'public interface A { void f(); }',
    'public interface A { default void f() {} }',
    'compatible',
    'breaking',
  ],
  [
    'a constructor',
    'public class A { public A() {} }',
    'public class A { public A() {} public A(int a) {} }',
    'addition',
    'breaking',
  ],
  [
    'the constructor that Java adds',
    'public class A {}',
    'public class A { public A(int a) {} }',
    'breaking',
    'breaking',
  ],
  ['a field', 'public class A {}', 'public class A { public int x; }', 'addition', 'breaking'],
  [
    'another type of a field',
    'public class A { public int x; }',
    'public class A { public long x; }',
    'breaking',
    'breaking',
  ],
  [
    'a final field',
    'public class A { public int x = f(); static int f() { return 1; } }',
    'public class A { public final int x = f(); static int f() { return 1; } }',
    'breaking',
    'compatible',
  ],
  [
    'a static field',
    'public class A { public int x; }',
    'public class A { public static int x; }',
    'breaking',
    'breaking',
  ],
  [
    'another value of a constant',
    'public class A { public static final int X = 1; }',
    'public class A { public static final int X = 2; }',
    'compatible',
    'compatible',
  ],
  [
    'a constant is one no longer',
    'public class A { public static final int X = 1; }',
    'public class A { public static final int X = Integer.valueOf(1); }',
    'breaking',
    'compatible',
  ],
  ['a constant of an enum', 'public enum A { X }', 'public enum A { X, Y }', 'addition', 'breaking'],
  ['other order of an enum', 'public enum A { X, Y }', 'public enum A { Y, X }', 'none', 'none'],
  ['a part of a record', 'public record A(int x) {}', 'public record A(int x, int y) {}', 'breaking', 'breaking'],
  [
    'a checked exception',
    'public class A { public void f() {} }',
    'public class A { public void f() throws java.io.IOException {} }',
    'breaking',
    'breaking',
  ],
  [
    'an unchecked exception',
    'public class A { public void f() {} }',
    'public class A { public void f() throws IllegalStateException {} }',
    'none',
    'none',
  ],
  [
    'an own checked exception',
    'public class A { public void f() {} } ---E public class E extends Exception {}',
    'public class A { public void f() throws E {} } ---E public class E extends Exception {}',
    'breaking',
    'breaking',
  ],
  [
    'a more precise exception',
    'public class A { public void f() throws java.io.IOException {} }',
    'public class A { public void f() throws java.io.EOFException {} }',
    'none',
    'breaking',
  ],
  [
    'values listed',
    'public class A { public void f(int[] a) {} }',
    'public class A { public void f(int... a) {} }',
    'addition',
    'breaking',
  ],
  [
    'a wildcard of a parameter',
    'public class A { public void f(java.util.List<Number> a) {} }',
    'public class A { public void f(java.util.List<? extends Number> a) {} }',
    'compatible',
    'breaking',
  ],
  [
    'a wildcard of a result',
    'public class A { public java.util.List<Number> f() { return null; } }',
    'public class A { public java.util.List<? extends Number> f() { return null; } }',
    'breaking',
    'compatible',
  ],
  [
    'other type arguments',
    'public class A { public java.util.List<String> f() { return null; } }',
    'public class A { public java.util.List<Integer> f() { return null; } }',
    'breaking',
    'breaking',
  ],
  [
    'another name of a type parameter',
    'public class A<T> { public T f(T a) { return a; } }',
    'public class A<S> { public S f(S a) { return a; } }',
    'none',
    'none',
  ],
  ['a generic class', 'public class A {}', 'public class A<T> {}', 'compatible', 'breaking'],
  ['one more type parameter', 'public class A<T> {}', 'public class A<T, S> {}', 'breaking', 'breaking'],
  ['a nested class', 'public class A {}', 'public class A { public static class B {} }', 'addition', 'breaking'],
  [
    'a class inside a hidden one',
    'public class A {}',
    'public class A {} class H { public static class B {} }',
    'none',
    'none',
  ],
  ['an element of an annotation', 'public @interface A {}', 'public @interface A { int x(); }', 'breaking', 'breaking'],
  [
    'an element with a default',
    'public @interface A {}',
    'public @interface A { int x() default 1; }',
    'addition',
    'breaking',
  ],
  [
    'the default of an element',
    'public @interface A { int x(); }',
    'public @interface A { int x() default 1; }',
    'compatible',
    'breaking',
  ],
  [
    'another target of an annotation',
    '@java.lang.annotation.Target({java.lang.annotation.ElementType.METHOD}) public @interface A {}',
    '@java.lang.annotation.Target({java.lang.annotation.ElementType.METHOD, java.lang.annotation.ElementType.FIELD}) public @interface A {}',
    'addition',
    'breaking',
  ],
  [
    'an annotation that programs see',
    'public @interface A {}',
    '@java.lang.annotation.Retention(java.lang.annotation.RetentionPolicy.RUNTIME) public @interface A {}',
    'addition',
    'breaking',
  ],
];

type Files = Record<string, Uint8Array>;

/** Compiles one side of all rows at once: each row is a package of its own. @returns the class files of each row. */
function compile(folder: string, side: 1 | 2): Files[] {
  const sources = changes.flatMap((row, index) =>
    row[side].split(' ---').map((text, part) => {
      const [, name = 'A', code = text] = part === 0 ? [] : (/^(\w+) (.*)$/s.exec(text) ?? []);
      const file = path.join(folder, 'src', `r${index}`, `${name}.java`);
      mkdirSync(path.dirname(file), { recursive: true });
      writeFileSync(file, `package r${index};\n${code}\n`);
      return file;
    }),
  );
  writeFileSync(path.join(folder, 'list'), sources.join('\n'));
  execFileSync('javac', ['-nowarn', '-d', path.join(folder, 'out'), `@${path.join(folder, 'list')}`], {
    stdio: 'pipe',
  });
  return changes.map((_, index) => {
    const names = readdirSync(path.join(folder, 'out', `r${index}`));
    return Object.fromEntries(
      names.map((name) => [`r/${name}`, readFileSync(path.join(folder, 'out', `r${index}`, name))]),
    );
  });
}

const folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-classes-'));
afterAll(() => rmSync(folder, { recursive: true }));

/** Both sides, compiled when the first row asks for them. */
const sides = { of: null as readonly [Files[], Files[]] | null };
function compiled(): readonly [Files[], Files[]] {
  sides.of ??= [compile(path.join(folder, 'old'), 1), compile(path.join(folder, 'new'), 2)];
  return sides.of;
}

describe('a single change of a jar', () => {
  const rows = bothWays(
    changes.map(
      ([what, , , forward, back], index): Change<readonly [number, number]> => [
        what,
        [0, index],
        [1, index],
        forward,
        back,
      ],
    ),
  );
  itWith('javac').each(rows)('%s', { timeout: 60_000 }, async (_, old, now, answer) => {
    const jar = ([side, index]: readonly [number, number]) =>
      sourceOf('tidemark-1.4.0.jar', compiled()[side]?.[index] ?? {});
    const found = await judge(jvmSurfaceReader, [jar(old), jar(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});
