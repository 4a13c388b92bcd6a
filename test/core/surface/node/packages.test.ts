import { describe, expect, it } from 'vitest';
import { compareNodeSurfaces, readNodeSurface } from '../../../../src/core/surface/node/node-surface.ts';
import { libraryText, npmPackage } from './npm-package.ts';

const height = 'export declare function height(port: string): number;';
const files = {
  'index.js': 'export const height = (port) => port.length;',
  'index.cjs': 'exports.height = (port) => port.length;',
  'sub.js': 'export const low = 1;',
  'browser.js': 'export const height = (port) => port.length;',
  'cli.js': '#!/usr/bin/env node\n',
  'index.d.ts': height,
  'index.d.cts': height,
};
const both = {
  import: { types: './index.d.ts', default: './index.js' },
  require: { types: './index.d.cts', default: './index.cjs' },
};

/** What is found first, as `effect name`, of a change of the manifest, and of the way back. */
function found(before: object, after: object, more: Readonly<Record<string, string>> = {}) {
  const [old, now] = [before, after].map((manifest) =>
    npmPackage({ ...files, ...more }, { type: 'module', ...manifest }),
  );
  if (old === undefined || now === undefined) throw new Error('two packages');
  const first = (from: typeof old, to: typeof old) => {
    const [difference] = compareNodeSurfaces(from, to, libraryText).differences;
    return difference === undefined ? 'none' : `${difference.effect} ${difference.name}`;
  };
  return [first(old, now), first(now, old)];
}

describe('beyond types, a change of', () => {
  it.each<[string, object, object, string, string]>([
    [
      'an entry',
      { exports: { '.': both, './sub': './sub.js' } },
      { exports: { '.': both } },
      'breaking ./sub',
      'addition ./sub',
    ],
    ['require()', { exports: { '.': both } }, { exports: { '.': { import: both.import } } }, 'breaking .', 'none'],
    ['import', { exports: { '.': both } }, { exports: { '.': { require: both.require } } }, 'breaking .', 'none'],
    [
      'the module system that require() finds',
      { exports: { '.': { types: './index.d.ts', default: './index.cjs' } } },
      { exports: { '.': { types: './index.d.ts', default: './index.js' } } },
      'breaking .',
      'none',
    ],
    [
      'a condition that leads elsewhere',
      { exports: { '.': { browser: './browser.js', ...both } } },
      { exports: { '.': both } },
      'breaking . (browser)',
      'none',
    ],
    [
      'a condition that led nowhere else',
      { exports: { '.': { development: './index.js', types: './index.d.ts', default: './index.js' } } },
      { exports: { '.': { types: './index.d.ts', default: './index.js' } } },
      'none',
      'none',
    ],
    ['a program', { bin: { tide: './cli.js' } }, {}, 'breaking bin.tide', 'addition bin.tide'],
    [
      'the oldest Node.js',
      { engines: { node: '>=18' } },
      { engines: { node: '>=20' } },
      'breaking engines.node',
      'compatible engines.node',
    ],
    ['the first word on Node.js', {}, { engines: { node: '>=18' } }, 'unknown engines.node', 'compatible engines.node'],
    [
      'a peer dependency',
      {},
      { peerDependencies: { charts: '^2.0.0' } },
      'breaking peerDependencies.charts',
      'compatible peerDependencies.charts',
    ],
    [
      'an optional peer dependency',
      {},
      { peerDependencies: { charts: '^2.0.0' }, peerDependenciesMeta: { charts: { optional: true } } },
      'addition peerDependencies.charts',
      'compatible peerDependencies.charts',
    ],
    [
      'the range of a peer dependency',
      { peerDependencies: { charts: '^2.0.0 || ^3.0.0' } },
      { peerDependencies: { charts: '^3.0.0' } },
      'breaking peerDependencies.charts',
      'compatible peerDependencies.charts',
    ],
    [
      'a peer dependency that was optional',
      { peerDependencies: { charts: '^2' }, peerDependenciesMeta: { charts: { optional: true } } },
      { peerDependencies: { charts: '^2' } },
      'breaking peerDependencies.charts',
      'none',
    ],
    ['the systems that it runs on', {}, { os: ['linux'] }, 'breaking os', 'compatible os'],
  ])('%s is judged, and so is the way back', (_, before, after, forth, back) => {
    expect(found(before, after)).toEqual([forth, back]);
  });
});

it('declarations that are gone are breaking, and new ones are an addition', () => {
  const typed = npmPackage({ 'index.js': files['index.js'], 'index.d.ts': height });
  const plain = npmPackage({ 'index.js': files['index.js'] }, { types: undefined });
  const effects = [compareNodeSurfaces(typed, plain, libraryText), compareNodeSurfaces(plain, typed, libraryText)].map(
    ({ differences }) => differences.map(({ effect, why }) => [effect, why]),
  );
  expect(effects).toEqual([
    [['breaking', 'its type declarations were removed']],
    [['addition', 'it has type declarations now']],
  ]);
});

describe('without declarations, a change of', () => {
  it.each<[string, string, string, string, string]>([
    ['an export', 'export const a = 1;', 'export const a = 1; export const b = 2;', 'addition b', 'breaking b'],
    ['a default export', 'export default function () {}', 'export const a = 1;', 'breaking default', 'breaking a'],
    ['an optional parameter', 'export function a(b) {}', 'export function a(b, c = 1) {}', 'addition a', 'unknown a'],
    ['a rest parameter', 'export function a(b) {}', 'export function a(b, ...c) {}', 'addition a', 'unknown a'],
    ['a parameter', 'export function a(b) {}', 'export function a(b, c) {}', 'unknown a', 'unknown a'],
    [
      'a parameter of an arrow function',
      'export const a = (b) => b;',
      'export const a = (b, c) => b;',
      'unknown a',
      'unknown a',
    ],
    [
      'a parameter of a constructor',
      'export class A { constructor(b) {} }',
      'export class A { constructor(b, c) {} }',
      'unknown A',
      'unknown A',
    ],
    [
      'a function to a class',
      'export function A(b) {}',
      'export class A { constructor(b) {} }',
      'unknown A',
      'unknown A',
    ],
    [
      'a name handed on',
      'const a = 1; export { a, a as b };',
      'const a = 1; export { a };',
      'breaking b',
      'addition b',
    ],
    ['the body', 'export function a(b) { return b; }', 'export function a(b) { return [b]; }', 'none', 'none'],
    ['a name with an underscore', 'export const a = 1;', 'export const a = 1; export const _b = 2;', 'none', 'none'],
  ])('%s is judged, and so is the way back', (_, before, after, forth, back) => {
    const make = (code: string) => npmPackage({ 'index.js': code }, { type: 'module', types: undefined });
    const first = (from: string, to: string) => {
      const [difference] = compareNodeSurfaces(make(from), make(to), libraryText).differences;
      return difference === undefined ? 'none' : `${difference.effect} ${difference.name}`;
    };
    expect([first(before, after), first(after, before)]).toEqual([forth, back]);
  });

  it.each([
    ['exports.a = 1; exports.b = 2;', 'exports.a = 1;'],
    ['module.exports = { a: 1, b: 2 };', 'module.exports = { a: 1 };'],
  ])('a removed name of CommonJS is breaking: %s', (before, after) => {
    const make = (code: string) => npmPackage({ 'index.js': code }, { types: undefined });
    const { differences } = compareNodeSurfaces(make(before), make(after), libraryText);
    expect(differences.map(({ name, effect }) => [name, effect])).toEqual([['b', 'breaking']]);
  });

  it('exports that are made at run time are reported as not checked', () => {
    const make = (code: string) => npmPackage({ 'index.js': code }, { types: undefined });
    const { before, differences } = compareNodeSurfaces(
      make('exports.a = 1; for (const name of list) exports[name] = 2;'),
      make('for (const name of list) exports[name] = 2;'),
      libraryText,
    );
    expect(before.notChecked).toEqual([{ entry: '.', why: 'index.js makes some of its exports at run time' }]);
    expect(differences.map(({ effect }) => effect)).toEqual(['unknown']);
  });
});

describe('a surface', () => {
  it('lists names by entry with members, signatures and places, without what is private', () => {
    const { entries } = readNodeSurface(
      npmPackage(
        {
          'index.js': '',
          'index.d.ts': `export * from './tide.js';
export { Tide as default } from './tide.js';`,
          'tide.d.ts': `export declare class Tide {
  private cache;
  readonly port: string;
  height(at?: Date): number;
}
export type Trend = 'up' | 'down';`,
          'cli.js': '',
        },
        { bin: { tide: './cli.js' } },
      ),
      libraryText,
    );
    expect(
      entries.map(({ entry, names }) => [
        entry,
        names.map(
          ({ name, kind, signature, place }) => `${name} | ${kind} | ${signature} | ${place?.file}:${place?.line}`,
        ),
      ]),
    ).toEqual([
      [
        '.',
        [
          'default | class | class default | tide.d.ts:1',
          'default.port | property | port: string | tide.d.ts:3',
          'default.height | method | height(at?: Date): number | tide.d.ts:4',
          'Tide | class | class Tide | tide.d.ts:1',
          'Tide.port | property | port: string | tide.d.ts:3',
          'Tide.height | method | height(at?: Date): number | tide.d.ts:4',
          'Trend | type | type Trend = "up" | "down" | tide.d.ts:6',
        ],
      ],
      ['bin', ['tide | program | ./cli.js | package.json:1']],
    ]);
  });

  it('names packages whose types it does not read', () => {
    const { notChecked } = readNodeSurface(
      npmPackage({
        'index.js': '',
        'index.d.ts': 'import type { Chart } from "charts"; export declare const chart: Chart;',
      }),
      libraryText,
    );
    expect(notChecked).toEqual([{ entry: null, why: 'types from other packages are not read: charts' }]);
  });

  it('compares a file that is the same with all it uses only once, and differences inside of it never', () => {
    const same = { 'a.d.ts': `export * from './b.js';`, 'b.d.ts': 'export declare class B { private b; c: number; }' };
    const { differences } = compareNodeSurfaces(
      npmPackage({ 'index.js': '', 'index.d.ts': `export * from './a.js';`, ...same }),
      npmPackage({ 'index.js': '', 'index.d.ts': `export * from './a.js'; export declare const d: 1;`, ...same }),
      libraryText,
    );
    expect(differences.map(({ name, effect }) => [name, effect])).toEqual([['d', 'addition']]);
  });

  it('reports the same change at every place that has it', () => {
    const text = (result: string) =>
      ['a', 'b'].map((name) => `export declare function ${name}(): ${result};`).join('\n') +
      ['C', 'D'].map((name) => `export interface ${name} { kind: ${result} }`).join('\n') +
      'export declare function c(): C; export declare function d(): D;';
    const { differences } = compareNodeSurfaces(
      npmPackage({ 'index.js': '', 'index.d.ts': text("Promise<'up' | 'down'>") }),
      npmPackage({ 'index.js': '', 'index.d.ts': text("Promise<'up' | 'down' | 'slack'>") }),
      libraryText,
    );
    expect(differences.map(({ name, effect }) => `${effect} ${name}`)).toEqual([
      'breaking C.kind',
      'breaking D.kind',
      'breaking a',
      'breaking b',
    ]);
  });

  it('reports a change where it is made, and not again where it is used', () => {
    const text = (field: string) => `export interface Level { ${field} }
export declare function level(port: string): Level;
export declare function levels(): Map<string, Level>;
export declare const last: Partial<Level> | undefined;`;
    const { differences } = compareNodeSurfaces(
      npmPackage({ 'index.js': '', 'index.d.ts': text('height: number; port: string') }),
      npmPackage({ 'index.js': '', 'index.d.ts': text('height: number') }),
      libraryText,
    );
    expect(differences.map(({ name, effect }) => [name, effect])).toEqual([['Level.port', 'breaking']]);
  });
});

describe('hostile declarations', () => {
  it.each<[string, () => string]>([
    [
      'that refer to themselves without end',
      () => 'export type Deep<T> = { next: Deep<Deep<T>> }; export declare const deep: Deep<number>;',
    ],
    [
      'of 100,000 members',
      () =>
        `export interface Wide { ${Array.from({ length: 100_000 }, (_, index) => `m${index}: number;`).join(' ')} } export declare const wide: Wide;`,
    ],
    ['that nest 20,000 deep', () => `export declare const deep: ${'{ a: '.repeat(20_000)}1${' }'.repeat(20_000)};`],
    ['that are broken', () => 'export declare function ( { ]] class'],
    [
      'whose types have no end',
      () => `type Grow<T, N extends unknown[]> = N['length'] extends 900 ? T : Grow<[T, T, N], [...N, 1]>;
export declare const grown: Grow<string, []>;
export declare function grow<T>(value: T): Grow<T, []>;`,
    ],
    ['that import themselves', () => `export * from './index.js'; export declare const a: 1;`],
  ])('%s end in a result', (_, make) => {
    const { differences } = compareNodeSurfaces(
      npmPackage({ 'index.js': '', 'index.d.ts': make() }),
      npmPackage({ 'index.js': '', 'index.d.ts': `${make()}\nexport declare const added: 1;` }),
      libraryText,
    );
    expect(differences.every(({ effect }) => effect === 'addition' || effect === 'unknown')).toBe(true);
  });

  it('of 50 MB are reported as not checked', () => {
    const large = `export declare const a: 1;\n${'// tide\n'.repeat(6_500_000)}`;
    const { after, differences } = compareNodeSurfaces(
      npmPackage({ 'index.js': '', 'index.d.ts': 'export declare const a: 1;' }),
      npmPackage({ 'index.js': '', 'index.d.ts': large }),
      libraryText,
    );
    expect(after.notChecked.map(({ why }) => why)).toEqual(['index.d.ts is too large to be read, or cannot be read']);
    expect(differences.map(({ effect }) => effect)).toEqual(['unknown']);
  });
});
