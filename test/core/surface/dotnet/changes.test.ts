import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { servedBy } from '../../../../src/core/surface/dotnet/frameworks.ts';
import { dotnetSurfaceReader } from '../../../../src/core/surface/dotnet/reader.ts';
import { itWith } from '../../../builders/tools.ts';
import { bothWays, type Change, judge, sourceOf, tools } from '../sources.ts';

/** A namespace before and after. */
const changes: readonly Change[] = [
  ['a class', 'public class A {}', 'public class A {} public class B {}', 'addition', 'breaking'],
  ['an internal class', 'public class A {}', 'public class A {} internal class B {}', 'none', 'none'],
  ['a method', 'public class A {}', 'public class A { public int F() { return 1; } }', 'addition', 'breaking'],
  ['an internal method', 'public class A {}', 'public class A { internal int F() { return 1; } }', 'none', 'none'],
  ['a private method', 'public class A {}', 'public class A { int F() { return 1; } }', 'none', 'none'],
  [
    'a protected method becomes public',
    'public class A { protected void F() {} }',
    'public class A { public void F() {} }',
    'addition',
    'breaking',
  ],
  [
    'a protected method of a sealed class',
    'public sealed class A {}',
    'public sealed class A { protected void F() {} }',
    'none',
    'none',
  ],
  [
    'a parameter',
    'public class A { public void F() {} }',
    'public class A { public void F(int a) {} }',
    'breaking',
    'breaking',
  ],
  [
    'a parameter that may be left out',
    'public class A { public void F() {} }',
    'public class A { public void F(int a = 1) {} }',
    'breaking',
    'breaking',
  ],
  [
    'another name of a parameter',
    'public class A { public void F(int a) {} }',
    'public class A { public void F(int b) {} }',
    'breaking',
    'breaking',
  ],
  [
    'a default',
    'public class A { public void F(int a) {} }',
    'public class A { public void F(int a = 1) {} }',
    'compatible',
    'breaking',
  ],
  [
    'another default',
    'public class A { public void F(int a = 1) {} }',
    'public class A { public void F(int a = 2) {} }',
    'unknown',
    'unknown',
  ],
  [
    'values listed',
    'public class A { public void F(int[] a) {} }',
    'public class A { public void F(params int[] a) {} }',
    'addition',
    'breaking',
  ],
  [
    'a parameter by reference',
    'public class A { public void F(ref int a) {} }',
    'public class A { public void F(out int a) { a = 1; } }',
    'breaking',
    'breaking',
  ],
  [
    'another type of a parameter',
    'public class A { public void F(int a) {} }',
    'public class A { public void F(long a) {} }',
    'breaking',
    'breaking',
  ],
  [
    'another result',
    'public class A { public int F() { return 1; } }',
    'public class A { public long F() { return 1; } }',
    'breaking',
    'breaking',
  ],
  [
    'an overload',
    'public class A { public void F() {} }',
    'public class A { public void F() {} public void F(int a) {} }',
    'addition',
    'breaking',
  ],
  [
    'a static method',
    'public class A { public void F() {} }',
    'public class A { public static void F() {} }',
    'breaking',
    'breaking',
  ],
  [
    'a virtual method',
    'public class A { public void F() {} }',
    'public class A { public virtual void F() {} }',
    'addition',
    'breaking',
  ],
  [
    'an abstract method',
    'public abstract class A { public void G() {} }',
    'public abstract class A { public void G() {} public abstract void F(); }',
    'breaking',
    'breaking',
  ],
  [
    'a method becomes abstract',
    'public abstract class A { public virtual void F() {} }',
    'public abstract class A { public abstract void F(); }',
    'breaking',
    'compatible',
  ],
  ['a sealed class', 'public class A {}', 'public sealed class A {}', 'breaking', 'addition'],
  [
    'an abstract class',
    'public class A { public A() {} }',
    'public abstract class A { public A() {} }',
    'breaking',
    'compatible',
  ],
  ['a static class', 'public class A {}', 'public static class A {}', 'breaking', 'addition'],
  ['a struct instead of a class', 'public class A {}', 'public struct A {}', 'breaking', 'breaking'],
  [
    'an interface of a class',
    'public class A { public void Dispose() {} }',
    'public class A : System.IDisposable { public void Dispose() {} }',
    'addition',
    'breaking',
  ],
  [
    'an internal interface of a class',
    'public class A {} interface I {}',
    'public class A : I {} interface I {}',
    'none',
    'none',
  ],
  [
    'another base',
    'public class A : B {} public class B {}',
    'public class A {} public class B {}',
    'breaking',
    'addition',
  ],
  [
    'a method moves to the base',
    'public class A : B { public void F() {} } public class B {}',
    'public class A : B {} public class B { public void F() {} }',
    'addition',
    'breaking',
  ],
  [
    'a method that another package may have',
    'public class A : System.Exception { public int X() { return 1; } }',
    'public class A : System.Exception {}',
    'unknown',
    'addition',
  ],
  ['a method of an interface', 'public interface I {}', 'public interface I { void F(); }', 'breaking', 'breaking'],
  ['a field', 'public class A {}', 'public class A { public int X; }', 'addition', 'breaking'],
  [
    'another type of a field',
    'public class A { public int X; }',
    'public class A { public long X; }',
    'breaking',
    'breaking',
  ],
  [
    'a field that cannot be set',
    'public class A { public int X; }',
    'public class A { public readonly int X; }',
    'breaking',
    'compatible',
  ],
  [
    'another value of a constant',
    'public class A { public const int X = 1; }',
    'public class A { public const int X = 2; }',
    'compatible',
    'compatible',
  ],
  [
    'a constant is one no longer',
    'public class A { public const int X = 1; }',
    'public class A { public static readonly int X = 1; }',
    'breaking',
    'breaking',
  ],
  ['a property', 'public class A {}', 'public class A { public int X { get; set; } }', 'addition', 'breaking'],
  [
    'a property can be set',
    'public class A { public int X { get { return 1; } } }',
    'public class A { public int X { get; set; } }',
    'addition',
    'breaking',
  ],
  [
    'a property can be set below',
    'public class A { public int X { get; private set; } }',
    'public class A { public int X { get; protected set; } }',
    'addition',
    'breaking',
  ],
  [
    'a property instead of a field',
    'public class A { public int X; }',
    'public class A { public int X { get; set; } }',
    'breaking',
    'breaking',
  ],
  [
    'another type of a property',
    'public class A { public int X { get; set; } }',
    'public class A { public long X { get; set; } }',
    'breaking',
    'breaking',
  ],
  [
    'an index',
    'public class A {}',
    'public class A { public int this[int a] { get { return a; } } }',
    'addition',
    'breaking',
  ],
  [
    'an event',
    'public class A {}',
    'public class A { public event System.EventHandler E { add {} remove {} } }',
    'addition',
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
    'the constructor that C# adds',
    'public class A {}',
    'public class A { public A(int a) {} }',
    'breaking',
    'breaking',
  ],
  ['a member of an enum', 'public enum P { X }', 'public enum P { X, Y }', 'addition', 'breaking'],
  ['another value of an enum', 'public enum P { X = 1 }', 'public enum P { X = 2 }', 'breaking', 'breaking'],
  ['another size of an enum', 'public enum P { X }', 'public enum P : byte { X }', 'breaking', 'breaking'],
  ['a delegate', 'public class A {}', 'public class A {} public delegate void D(int a);', 'addition', 'breaking'],
  [
    'a parameter of a delegate',
    'public delegate void D(int a);',
    'public delegate void D(int a, int b);',
    'breaking',
    'breaking',
  ],
  ['a generic class', 'public class A<T> {}', 'public class A<T, S> {}', 'breaking', 'breaking'],
  ['a constraint', 'public class A<T> {}', 'public class A<T> where T : class {}', 'breaking', 'compatible'],
  [
    'a constraint of a method',
    'public class A { public void F<T>() {} }',
    'public class A { public void F<T>() where T : System.IDisposable {} }',
    'breaking',
    'compatible',
  ],
  [
    'another name of a type parameter',
    'public class A<T> { public T F(System.Collections.Generic.List<T> a) { return default(T); } public S G<S>(S a) where S : System.IComparable<S> { return a; } }',
    'public class A<U> { public U F(System.Collections.Generic.List<U> a) { return default(U); } public R G<R>(R a) where R : System.IComparable<R> { return a; } }',
    'none',
    'none',
  ],
  [
    'a type parameter may vary',
    'public interface I<T> { T F(); }',
    'public interface I<out T> { T F(); }',
    'addition',
    'breaking',
  ],
  [
    'another type argument',
    'public class A { public System.Collections.Generic.List<int> X; }',
    'public class A { public System.Collections.Generic.List<long> X; }',
    'breaking',
    'breaking',
  ],
  [
    'a nullable number',
    'public class A { public int F() { return 1; } }',
    'public class A { public int? F() { return 1; } }',
    'breaking',
    'breaking',
  ],
  ['a nested class', 'public class A {}', 'public class A { public class B {} }', 'addition', 'breaking'],
  [
    'an operator',
    'public class A {}',
    'public class A { public static A operator +(A a, A b) { return a; } }',
    'addition',
    'breaking',
  ],
];

const folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-assemblies-'));
afterAll(() => rmSync(folder, { recursive: true }));

/** Each row by itself, since an assembly is read as a whole. */
function compile(code: string): Uint8Array {
  const at = path.join(folder, 'one');
  mkdirSync(at, { recursive: true });
  writeFileSync(path.join(at, 'Tide.cs'), `namespace Tide { ${code} }\n`);
  execFileSync('mcs', ['-nologo', '-warn:0', '-target:library', `-out:${at}/Tide.dll`, `${at}/Tide.cs`], {
    stdio: 'pipe',
  });
  return readFileSync(path.join(at, 'Tide.dll'));
}

const nupkg = (files: Readonly<Record<string, Uint8Array>>) => sourceOf('Tide.1.4.0.nupkg', files);

describe('a single change of an assembly', () => {
  /** Of each row, the two assemblies: compiled when the first of its two tests asks. */
  const built = new Map<string, Uint8Array>();
  const assembly = (code: string) => {
    const known = built.get(code) ?? compile(code);
    built.set(code, known);
    return known;
  };
  itWith('mcs').each(bothWays(changes))('%s', { timeout: 60_000 }, async (_, old, now, answer) => {
    const side = (code: string) => nupkg({ 'lib/netstandard2.0/Tide.dll': assembly(code) });
    const found = await judge(dotnetSurfaceReader, [side(old), side(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });

  itWith('mcs')('compares what projects of a removed framework get', async () => {
    const code = assembly('public class A {}');
    const both = nupkg({ 'lib/net6.0/Tide.dll': code, 'lib/netstandard2.0/Tide.dll': code });
    const one = nupkg({ 'lib/netstandard2.0/Tide.dll': code });
    const other = nupkg({ 'lib/net8.0/Tide.dll': code });
    expect((await judge(dotnetSurfaceReader, [both, one])).answer).toBe('compatible');
    expect((await judge(dotnetSurfaceReader, [one, both])).answer).toBe('addition');
    expect((await judge(dotnetSurfaceReader, [both, other])).answer).toBe('breaking');
  });

  itWith('mcs')('says which assemblies it could not read', async () => {
    const whole = Buffer.from(assembly('public class A { public int F() { return 1; } }'));
    for (let at = 0; at < whole.length; at += 97) {
      const { notChecked, entries } = await dotnetSurfaceReader.read(
        nupkg({ 'lib/net8.0/Tide.dll': whole.subarray(0, at) }),
        tools,
      );
      expect(notChecked.length + entries.length).toBeGreaterThan(0);
      const broken = Buffer.from(whole);
      broken.fill(0xff, at, at + 13);
      await dotnetSurfaceReader.read(nupkg({ 'lib/net8.0/Tide.dll': broken }), tools);
    }
  });
});

describe('target frameworks', () => {
  it.each([
    ['net8.0', ['net6.0', 'netstandard2.0'], 'net6.0'],
    ['net6.0', ['net8.0', 'netstandard2.1'], 'netstandard2.1'],
    ['net472', ['netstandard2.0', 'net8.0'], 'netstandard2.0'],
    ['net472', ['netstandard2.1'], null],
    ['net48', ['net45', 'netstandard2.0'], 'net45'],
    ['netcoreapp3.1', ['netstandard2.1', 'net5.0'], 'netstandard2.1'],
    ['netstandard2.0', ['net8.0'], null],
    ['net8.0-windows', ['net8.0'], 'net8.0'],
    ['net8.0', ['net8.0-android'], null],
  ] as const)('%s is served by one of %j', (wanted, offered, answer) => {
    expect(servedBy(wanted, offered)).toBe(answer);
  });
});
