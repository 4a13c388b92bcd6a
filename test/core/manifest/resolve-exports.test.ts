import { describe, expect, it } from 'vitest';
import { listEntries, resolveEntry, resolveImports } from '../../../src/core/manifest/resolve-exports.ts';

const files = [
  'index.js',
  'lib/tide.js',
  'lib/tide.cjs',
  'lib/tables/bar.js',
  'lib/index.js',
  'data.json',
  'types.d.ts',
];

function resolve(entry: string, manifest: Record<string, unknown>, conditions = ['import'], completes = false) {
  const has = (path: string) => files.includes(path);
  return resolveEntry(entry, { manifest, conditions: new Set(conditions), mainFields: ['main'], has, completes });
}

describe('an entry', () => {
  it.each<[string, unknown, string | null]>([
    ['.', './lib/tide.js', 'lib/tide.js'],
    ['.', { '.': './lib/tide.js' }, 'lib/tide.js'],
    ['.', './gone.js', null],
    ['.', 'lib/tide.js', null],
    ['.', '/lib/tide.js', null],
    ['.', './lib/../index.js', null],
    ['.', './node_modules/x.js', null],
    ['.', './lib//tide.js', null],
    ['.', 7, null],
    ['./tide', './lib/tide.js', null],
    ['./lib/tide.js', { '.': './index.js' }, null],
    ['.', { import: './lib/tide.js', default: './index.js' }, 'lib/tide.js'],
    ['.', { require: './lib/tide.cjs', default: './index.js' }, 'index.js'],
    ['.', { require: './lib/tide.cjs' }, null],
    ['.', { import: { node: './lib/tide.js' }, default: './index.js' }, 'index.js'],
    ['.', { import: null, default: './index.js' }, null],
    ['.', ['lib/tide.js', './lib/tide.js'], 'lib/tide.js'],
    ['.', [null, './index.js'], 'index.js'],
    ['.', [{ require: './lib/tide.cjs' }, './index.js'], 'index.js'],
    ['.', [], null],
    ['./bar', { './*': './lib/tables/*.js' }, 'lib/tables/bar.js'],
    ['./bar.js', { './*.js': './lib/tables/*.js' }, 'lib/tables/bar.js'],
    ['./', { './*': './lib/*' }, null],
    ['./', { './*': './index.js' }, null],
    // The longer beginning wins, whatever the order.
    ['./tables/bar', { './*': './lib/*.cjs', './tables/*': './lib/tables/*.js' }, 'lib/tables/bar.js'],
    ['./tables/bar', { './*': './lib/tables/bar.js', './tables/*': null }, null],
    // A pattern's end must not overlap its beginning.
    ['./a.js', { './a*a.js': './index.js', './*': './lib/index.js' }, 'lib/index.js'],
    ['./../x', { './*': './lib/*' }, null],
    ['./*', { './*': './lib/*' }, null],
    ['./a*b', { './*': './lib/tide.js' }, 'lib/tide.js'],
    ['./x', { './x': null, './*': './index.js' }, null],
  ])('%s of %j is %j', (entry, exports, expected) => {
    expect(resolve(entry, { exports })).toBe(expected);
  });

  it.each<[string, Record<string, unknown>, string[], boolean, string | null]>([
    ['.', { main: './lib/tide.js' }, [], false, 'lib/tide.js'],
    ['.', { main: 'lib/tide' }, [], false, 'lib/tide.js'],
    ['.', { main: 'lib' }, [], false, 'lib/index.js'],
    ['.', { main: 'gone' }, [], false, 'index.js'],
    ['.', {}, [], false, 'index.js'],
    ['./data', {}, [], true, 'data.json'],
    ['./data', {}, [], false, null],
    ['./lib/tide.js', { exports: null }, [], false, 'lib/tide.js'],
  ])('%s of %j without exports, %j, completed: %s, is %j', (entry, manifest, conditions, completes, expected) => {
    expect(resolve(entry, manifest, conditions, completes)).toBe(expected);
  });
});

it.each<[unknown, string[]]>([
  ['./index.js', ['.']],
  [{ import: './index.js' }, ['.']],
  [{ '.': './index.js', './data': './data.json' }, ['.', './data']],
  [{ './*': './lib/*.js' }, ['./index', './tables/bar', './tide']],
  [{ './*': { import: './lib/*.js', require: './lib/*.cjs' } }, ['./index', './tables/bar', './tide']],
  [{ './t/*': ['./lib/tables/*.js'] }, ['./t/bar']],
  // Neither nothing nor a beginning that is also the end stands for the star.
  [{ './*': './lib/tide*lib/tide.js' }, []],
  [{ './*': './index.js*' }, []],
  [undefined, ['.']],
])('the entries of %j are %j', (exports, expected) => {
  expect(listEntries({ exports }, files)).toEqual(expected);
});

it.each<[string, unknown, string | null]>([
  ['#tide', { '#tide': './lib/tide.js' }, './lib/tide.js'],
  ['#tide', { '#tide': 'tide-store/table' }, 'tide-store/table'],
  ['#t/bar', { '#t/*': './lib/tables/*.js' }, './lib/tables/bar.js'],
  ['#t/bar', { '#t/*': 'tide-store/*' }, 'tide-store/bar'],
  ['#tide', { '#tide': '/etc/tide.js' }, null],
  ['#tide', { '#tide': '../tide.js' }, null],
  ['#gone', { '#tide': './lib/tide.js' }, null],
  ['#t/', { '#t/*': 'tide-store/table' }, null],
  ['#t/*', { '#t/*': './lib/*' }, './lib/*'],
])('%s of the imports %j is %j', (specifier, imports, expected) => {
  expect(resolveImports(specifier, { imports }, new Set(['import']))).toBe(expected);
});
