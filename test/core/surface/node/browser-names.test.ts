import { describe, expect, it } from 'vitest';
import { browserLibrary, meansBrowser } from '../../../../src/core/surface/node/browser-names.ts';
import { libraryText } from './npm-package.ts';

const library = libraryText(browserLibrary) ?? '';

describe('declarations may mean a browser', () => {
  it.each([
    ['a type', 'export declare function draw(on: HTMLCanvasElement): void;'],
    ['a class that is extended', 'export declare class Tide extends EventTarget {}'],
    ['the type of a value', 'export declare const width: typeof innerWidth;'],
    ['a value that is extended', 'export declare class Tide extends name {}'],
    ['a value that is the default', 'declare global {} export default name;'],
    ['a value as a key', 'export interface Tide { [length]: number }'],
    ['another name for a value', 'import shown = location; export { shown };'],
    ['the whole scope', "export declare const place: (typeof globalThis)['location'];"],
    ['what every environment adds to', 'export declare const url: typeof import.meta;'],
    ['a name with an escape', 'export declare function draw(on: \\u0048TMLElement): void;'],
    ['a name in the scope', 'export declare const place: globalThis.Location;'],
  ])('by %s', (_, text) => {
    expect(meansBrowser(['export {};', text], library)).toBe(true);
  });

  it.each([
    ['a member with the name of a value', 'export interface Tide { name: string; length: number; close(): void }'],
    ['a parameter with the name of a value', 'export declare function height(name: string, top?: number): number;'],
    ['types of the language', 'export declare const all: Map<string, Promise<Date[]>>;'],
    ['a type whose name only begins like one', 'export interface LocationOfPort { of: Port }'],
    ['nothing at all', ''],
  ])('but not by %s', (_, text) => {
    expect(meansBrowser([text], library)).toBe(false);
  });
});
