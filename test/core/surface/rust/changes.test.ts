import { describe, expect, it } from 'vitest';
import { rustSurfaceReader } from '../../../../src/core/surface/rust/reader.ts';
import { bothWays, type Change, judge, sourceOf } from '../sources.ts';

/** `src/lib.rs` before and after. */
const changes: readonly Change[] = [
  ['a function', '', 'pub fn f() {}', 'addition', 'breaking'],
  ['a private function', '', 'fn f() {}', 'none', 'none'],
  ['a function of the crate', '', 'pub(crate) fn f() {}', 'none', 'none'],
  ['a hidden function', '', '#[doc(hidden)] pub fn f() {}', 'none', 'none'],
  ['a function for tests', '', '#[cfg(test)] pub fn f() {}', 'none', 'none'],
  ['a parameter', 'pub fn f() {}', 'pub fn f(a: u8) {}', 'breaking', 'breaking'],
  ['another name of a parameter', 'pub fn f(a: u8) {}', 'pub fn f(b: u8) {}', 'none', 'none'],
  ['another type of a parameter', 'pub fn f(a: u8) {}', 'pub fn f(a: u16) {}', 'breaking', 'breaking'],
  ['another spelling of a type', 'pub fn f(a: std::string::String) {}', 'pub fn f(a: String) {}', 'none', 'none'],
  [
    'another name of a lifetime',
    "pub fn f<'a>(a: &'a str) -> &'a str { a }",
    "pub fn f<'b>(a: &'b str) -> &'b str { a }",
    'none',
    'none',
  ],
  ['a generic parameter', 'pub fn f(a: &str) {}', 'pub fn f(a: impl AsRef<str>) {}', 'unknown', 'breaking'],
  ['another result', 'pub fn f() -> u8 { 1 }', 'pub fn f() -> u16 { 1 }', 'breaking', 'breaking'],
  ['a result', 'pub fn f() {}', 'pub fn f() -> u8 { 1 }', 'breaking', 'breaking'],
  ['a constant function', 'pub fn f() {}', 'pub const fn f() {}', 'addition', 'breaking'],
  ['an async function', 'pub fn f() {}', 'pub async fn f() {}', 'breaking', 'breaking'],
  ['an unsafe function', 'pub fn f() {}', 'pub unsafe fn f() {}', 'breaking', 'compatible'],
  ['another way to be called', 'pub fn f() {}', 'pub extern "C" fn f() {}', 'breaking', 'breaking'],
  ['one more type parameter', 'pub fn f<T>(a: T) {}', 'pub fn f<T, S>(a: T) {}', 'breaking', 'breaking'],
  [
    'another name of a type parameter',
    'pub fn f<T: Clone>(a: T) -> T { a }',
    'pub fn f<S: Clone>(a: S) -> S { a }',
    'none',
    'none',
  ],
  ['a bound', 'pub fn f<T>(a: T) {}', 'pub fn f<T: Clone>(a: T) {}', 'breaking', 'compatible'],
  ['a bound behind it', 'pub fn f<T: Clone>(a: T) {}', 'pub fn f<T>(a: T) where T: Clone {}', 'none', 'none'],
  ['a size that need not be known', 'pub fn f<T>(a: &T) {}', 'pub fn f<T: ?Sized>(a: &T) {}', 'compatible', 'breaking'],
  ['a structure', '', 'pub struct A;', 'addition', 'breaking'],
  ['a public field', 'pub struct A { pub a: u8 }', 'pub struct A { pub a: u8, pub b: u8 }', 'breaking', 'breaking'],
  [
    'a private field beside public ones',
    'pub struct A { pub a: u8 }',
    'pub struct A { pub a: u8, b: u8 }',
    'breaking',
    'addition',
  ],
  ['a private field beside private ones', 'pub struct A { a: u8 }', 'pub struct A { a: u8, b: u8 }', 'none', 'none'],
  [
    'a public field beside private ones',
    'pub struct A { a: u8 }',
    'pub struct A { a: u8, pub b: u8 }',
    'addition',
    'breaking',
  ],
  [
    'a field of a structure that may grow',
    '#[non_exhaustive] pub struct A { pub a: u8 }',
    '#[non_exhaustive] pub struct A { pub a: u8, pub b: u8 }',
    'addition',
    'breaking',
  ],
  ['another type of a field', 'pub struct A { pub a: u8 }', 'pub struct A { pub a: u16 }', 'breaking', 'breaking'],
  ['fields without names', 'pub struct A { pub a: u8 }', 'pub struct A(pub u8);', 'breaking', 'breaking'],
  [
    'a structure that may grow',
    'pub struct A { pub a: u8 }',
    '#[non_exhaustive] pub struct A { pub a: u8 }',
    'breaking',
    'compatible',
  ],
  ['a layout', '#[repr(C)] pub struct A { a: u8 }', 'pub struct A { a: u8 }', 'breaking', 'none'],
  ['a type parameter with a default', 'pub struct A<T>(T);', 'pub struct A<T, S = u8>(T, S);', 'addition', 'breaking'],
  ['a type parameter without one', 'pub struct A<T>(T);', 'pub struct A<T, S>(T, S);', 'breaking', 'breaking'],
  ['a derived trait', 'pub struct A;', '#[derive(Clone)] pub struct A;', 'addition', 'breaking'],
  [
    'a derived trait, written out',
    '#[derive(Clone)] pub struct A;',
    'pub struct A; impl Clone for A { fn clone(&self) -> Self { A } }',
    'none',
    'none',
  ],
  ['a hidden trait', 'pub struct A;', 'pub struct A; trait Q {} impl Q for A {}', 'none', 'none'],
  ['a method', 'pub struct A; impl A {}', 'pub struct A; impl A { pub fn f(&self) {} }', 'addition', 'breaking'],
  ['a private method', 'pub struct A; impl A {}', 'pub struct A; impl A { fn f(&self) {} }', 'none', 'none'],
  [
    'a method that changes the value',
    'pub struct A; impl A { pub fn f(&self) {} }',
    'pub struct A; impl A { pub fn f(&mut self) {} }',
    'breaking',
    'compatible',
  ],
  [
    'a method that takes the value',
    'pub struct A; impl A { pub fn f(&self) {} }',
    'pub struct A; impl A { pub fn f(self) {} }',
    'breaking',
    'unknown',
  ],
  ['a variant', 'pub enum E { A }', 'pub enum E { A, B }', 'breaking', 'breaking'],
  [
    'a variant of an enumeration that may grow',
    '#[non_exhaustive] pub enum E { A }',
    '#[non_exhaustive] pub enum E { A, B }',
    'addition',
    'breaking',
  ],
  ['a field of a variant', 'pub enum E { A { a: u8 } }', 'pub enum E { A { a: u8, b: u8 } }', 'breaking', 'breaking'],
  ['an enumeration that may grow', 'pub enum E { A }', '#[non_exhaustive] pub enum E { A }', 'breaking', 'compatible'],
  ['a method of a trait', 'pub trait T {}', 'pub trait T { fn f(&self); }', 'breaking', 'breaking'],
  ['a method of a trait with a body', 'pub trait T {}', 'pub trait T { fn f(&self) {} }', 'addition', 'breaking'],
  [
    'a method of a sealed trait',
    'mod p { pub trait Q {} } pub trait T: p::Q {}',
    'mod p { pub trait Q {} } pub trait T: p::Q { fn f(&self); }',
    'addition',
    'breaking',
  ],
  ['the body of a method', 'pub trait T { fn f(&self); }', 'pub trait T { fn f(&self) {} }', 'compatible', 'breaking'],
  ['a trait above', 'pub trait T {}', 'pub trait T: Clone {}', 'breaking', 'breaking'],
  ['an unsafe trait', 'pub trait T {}', 'pub unsafe trait T {}', 'breaking', 'breaking'],
  ['a type of a trait', 'pub trait T {}', 'pub trait T { type A; }', 'breaking', 'breaking'],
  ['a constant', '', 'pub const A: u8 = 1;', 'addition', 'breaking'],
  ['another value of a constant', 'pub const A: u8 = 1;', 'pub const A: u8 = 2;', 'none', 'none'],
  ['another type of a constant', 'pub const A: u8 = 1;', 'pub const A: u16 = 1;', 'breaking', 'breaking'],
  ['a static instead of a constant', 'pub const A: u8 = 1;', 'pub static A: u8 = 1;', 'breaking', 'breaking'],
  ['another type of an alias', 'pub type A = u8;', 'pub type A = u16;', 'breaking', 'breaking'],
  ['a module', '', 'pub mod m { pub fn f() {} }', 'addition', 'breaking'],
  ['a private module', '', 'mod m { pub fn f() {} }', 'none', 'none'],
  [
    'a name that is passed on',
    'mod m { pub fn f() {} }',
    'mod m { pub fn f() {} } pub use m::f;',
    'addition',
    'breaking',
  ],
  ['a name that moves and is passed on', 'pub fn f() {}', 'mod m { pub fn f() {} } pub use m::*;', 'none', 'none'],
  [
    'another name to be passed on under',
    'mod m { pub fn f() {} } pub use m::f as g;',
    'mod m { pub fn h() {} } pub use m::h as g;',
    'none',
    'none',
  ],
  ['a macro', '', '#[macro_export] macro_rules! m { () => {} }', 'addition', 'breaking'],
  [
    'a macro that takes more',
    '#[macro_export] macro_rules! m { () => {} }',
    '#[macro_export] macro_rules! m { () => {}; (a) => {} }',
    'addition',
    'unknown',
  ],
  ['a feature that it needs', 'pub fn f() {}', '#[cfg(feature = "moon")] pub fn f() {}', 'breaking', 'compatible'],
  ['another system', 'pub fn f() {}', '#[cfg(unix)] pub fn f() {}', 'unknown', 'compatible'],
  [
    'different on two systems',
    'pub fn f() {}',
    '#[cfg(unix)] pub fn f() {} #[cfg(windows)] pub fn f(a: u8) {}',
    'unknown',
    'unknown',
  ],
];

const manifest = { package: { name: 'tide-clock', version: '1.4.0' } };
const crate = (files: Readonly<Record<string, string>>, fields: object = {}) =>
  sourceOf('tide-clock-1.4.0.crate', files, { ...manifest, ...fields });

describe('a single change of a crate', () => {
  it.each(bothWays(changes))('%s', async (_, old, now, answer) => {
    const side = (text: string) => crate({ 'src/lib.rs': `pub fn kept() {}\n${text}\n` });
    const found = await judge(rustSurfaceReader, [side(old), side(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});

type Package = { readonly files: Record<string, string>; readonly fields?: object };
const base = { 'src/lib.rs': 'pub mod a;\npub use a::Tide;\n', 'src/a.rs': 'pub struct Tide;\n' };

const packages: readonly Change<Package>[] = [
  [
    'a file of another place',
    { files: base },
    { files: { 'src/lib.rs': base['src/lib.rs'], 'src/a/mod.rs': base['src/a.rs'] } },
    'none',
    'none',
  ],
  [
    'a path of its own',
    { files: base },
    { files: { 'src/lib.rs': '#[path = "b.rs"] pub mod a;\npub use a::Tide;', 'src/b.rs': base['src/a.rs'] } },
    'none',
    'none',
  ],
  [
    'a module',
    { files: base },
    { files: { ...base, 'src/a.rs': 'pub struct Tide;\npub mod b;', 'src/a/b.rs': 'pub fn f() {}' } },
    'addition',
    'breaking',
  ],
  ['a feature', { files: base }, { files: base, fields: { features: { moon: [] } } }, 'addition', 'breaking'],
  [
    'an optional dependency',
    { files: base },
    { files: base, fields: { dependencies: { moon: { version: '1', optional: true } } } },
    'addition',
    'breaking',
  ],
  [
    'an optional dependency of a feature',
    { files: base, fields: { features: { a: [] } } },
    {
      files: base,
      fields: { features: { a: ['dep:moon'] }, dependencies: { moon: { version: '1', optional: true } } },
    },
    'none',
    'none',
  ],
  [
    'a default feature',
    { files: base, fields: { features: { a: [], default: [] } } },
    { files: base, fields: { features: { a: [], default: ['a'] } } },
    'compatible',
    'breaking',
  ],
  [
    'a newer Rust',
    { files: base, fields: { package: { name: 'tide-clock', 'rust-version': '1.65' } } },
    { files: base, fields: { package: { name: 'tide-clock', 'rust-version': '1.70.1' } } },
    'breaking',
    'compatible',
  ],
  ['a program', { files: base }, { files: { ...base, 'src/main.rs': 'fn main() {}' } }, 'addition', 'breaking'],
  [
    'a macro of procedures',
    { files: { 'src/lib.rs': '' }, fields: { lib: { 'proc-macro': true } } },
    {
      files: { 'src/lib.rs': '#[proc_macro_derive(Tide)] pub fn f(a: TokenStream) -> TokenStream { a }' },
      fields: { lib: { 'proc-macro': true } },
    },
    'addition',
    'breaking',
  ],
];

describe('a single change of a package', () => {
  it.each(bothWays(packages))('%s', async (_, old, now, answer) => {
    const found = await judge(rustSurfaceReader, [crate(old.files, old.fields), crate(now.files, now.fields)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});
