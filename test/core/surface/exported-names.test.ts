import { expect, it } from 'vitest';
import { readDeclarations } from '../../../src/core/facts/declarations.ts';
import { readScript } from '../../../src/core/facts/script.ts';
import { declaredNames, exportedNames } from '../../../src/core/surface/exported-names.ts';

const locateIn =
  (files: Readonly<Record<string, string>>) =>
  (specifier: string): string | null =>
    Object.hasOwn(files, specifier.slice(2)) ? specifier.slice(2) : null;

it.each<[string, Record<string, string>, string[], boolean]>([
  ['its own names', { a: 'export const low = 1; export default low;' }, ['default', 'low'], true],
  ['names of another file', { a: "export * from './b'", b: 'export const low = 1; export default 2;' }, ['low'], true],
  ['a file that is outside', { a: "export * from 'tides'; export const low = 1;" }, ['low'], false],
  ['a file whose own names are incomplete', { a: "export * from './b'", b: "export * from 'tides'" }, [], false],
  [
    'a file two steps away that is broken',
    { a: "export * from './b'", b: "export * from './c'", c: 'export {' },
    [],
    false,
  ],
  [
    'one whole and one incomplete file',
    { a: "export * from './b'; export * from './c'", b: 'export const x = 1', c: "export * from 'y'" },
    ['x'],
    false,
  ],
  [
    'a circle',
    { a: "export * from './b'; export const low = 1", b: "export * from './a'; export const high = 2" },
    ['high', 'low'],
    true,
  ],
  [
    'a CommonJS file that hands on another',
    { a: "module.exports = require('./b')", b: 'exports.low = 1; exports.default = 2;' },
    ['default', 'low'],
    true,
  ],
  ['a file that cannot be parsed', { a: 'export {' }, [], false],
])('a script exports %s', (_, files, names, isComplete) => {
  const read = (file: string) => (files[file] === undefined ? null : readScript(files[file]));

  const found = exportedNames({ file: 'a', read, locate: locateIn(files) });

  expect([...found.names].sort()).toEqual(names);
  expect(found.isComplete).toBe(isComplete);
});

it.each<[string, Record<string, string>, string[], string[], boolean]>([
  ['values and types', { a: 'export declare const low: number; export interface Tide {}' }, ['low'], ['Tide'], true],
  [
    'those of another file',
    { a: "export * from './b'", b: 'export declare const low: 1; export type T = 1;' },
    ['low'],
    ['T'],
    true,
  ],
  ['a file that is outside', { a: "export * from 'tides'" }, [], [], false],
  ['a file whose own names are incomplete', { a: "export * from './b'", b: "export * from 'tides'" }, [], [], false],
  [
    'a value under another name',
    { a: "export { low as ebb } from './b'", b: 'export declare const low: 1;' },
    ['ebb'],
    [],
    true,
  ],
  ['a type under another name', { a: "export { T as U } from './b'", b: 'export type T = 1;' }, [], ['U'], true],
  [
    'a name of a file whose own names are incomplete',
    { a: "export { low } from './b'", b: "export * from 'tides'" },
    [],
    [],
    false,
  ],
  ['a name from outside', { a: "export { low } from 'tides'" }, [], [], false],
])('a declaration file declares %s', (_, files, names, types, isComplete) => {
  const read = (file: string) => (files[file] === undefined ? null : readDeclarations(files[file]));

  const found = declaredNames({ file: 'a', read, locate: locateIn(files) });

  expect([...found.names].sort()).toEqual(names);
  expect([...found.types].sort()).toEqual(types);
  expect(found.isComplete).toBe(isComplete);
});
