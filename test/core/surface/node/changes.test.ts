import { describe, expect, it } from 'vitest';
import { compareNodeSurfaces } from '../../../../src/core/surface/node/node-surface.ts';
import type { Effect } from '../../../../src/core/surface/surface.ts';
import { libraryText, npmPackage } from './npm-package.ts';

type Answer = Effect | 'none';

/** One change of declarations: what it is, before, after, what it means for users, and what the way back means. */
const changes: readonly (readonly [string, string, string, Answer, Answer])[] = [
  [
    'an export',
    'export declare const a: 1;',
    'export declare const a: 1; export declare const b: 2;',
    'addition',
    'breaking',
  ],
  [
    'a required parameter',
    'export declare function height(port: string): number;',
    'export declare function height(port: string, day: Date): number;',
    'breaking',
    'breaking',
  ],
  [
    'an optional parameter',
    'export declare function height(port: string): number;',
    'export declare function height(port: string, day?: Date): number;',
    'addition',
    'breaking',
  ],
  [
    'a parameter that may be left out',
    'export declare function height(port: string, day: Date): number;',
    'export declare function height(port: string, day?: Date): number;',
    'compatible',
    'breaking',
  ],
  [
    'a rest parameter',
    'export declare function mean(first: number): number;',
    'export declare function mean(first: number, ...others: number[]): number;',
    'addition',
    'breaking',
  ],
  [
    'a wider parameter',
    'export declare function height(port: string): number;',
    'export declare function height(port: string | number): number;',
    'compatible',
    'breaking',
  ],
  [
    'a wider parameter of a method',
    'export declare class Tide { at(port: string): number; }',
    'export declare class Tide { at(port: string | number): number; }',
    'compatible',
    'breaking',
  ],
  [
    'a wider result',
    'export declare function height(port: string): number;',
    'export declare function height(port: string): number | undefined;',
    'breaking',
    'compatible',
  ],
  [
    'a wider result of a method',
    'export declare class Tide { at(port: string): number; }',
    'export declare class Tide { at(port: string): number | null; }',
    'breaking',
    'compatible',
  ],
  [
    'a result in a promise',
    'export declare function height(port: string): Promise<number>;',
    'export declare function height(port: string): Promise<number | null>;',
    'breaking',
    'compatible',
  ],
  [
    'a result that was none',
    'export declare function log(): void;',
    'export declare function log(): Promise<void>;',
    'none',
    'breaking',
  ],
  ['another type', 'export declare const zone: string;', 'export declare const zone: number;', 'breaking', 'breaking'],
  [
    'a member of a class',
    'export declare class Tide { height: number; }',
    'export declare class Tide { height: number; low(): number; }',
    'addition',
    'breaking',
  ],
  [
    'a static member',
    'export declare class Tide { static of(port: string): Tide; }',
    'export declare class Tide { static of(port: string): Tide; static zero: Tide; }',
    'addition',
    'breaking',
  ],
  [
    'a class made abstract',
    'export declare class Tide { height: number; }',
    'export declare abstract class Tide { height: number; }',
    'breaking',
    'none',
  ],
  [
    'an abstract member',
    'export declare abstract class Gauge { abstract read(): number; }',
    'export declare abstract class Gauge { abstract read(): number; abstract close(): void; }',
    'breaking',
    'breaking',
  ],
  [
    'a private constructor',
    'export declare class Tide { constructor(); height: number; }',
    'export declare class Tide { private constructor(); height: number; }',
    'breaking',
    'none',
  ],
  [
    'a required parameter of a constructor',
    'export declare class Tide { constructor(port: string); }',
    'export declare class Tide { constructor(port: string, day: Date); }',
    'breaking',
    'breaking',
  ],
  [
    'a private member',
    'export declare class Tide { height: number; }',
    'export declare class Tide { height: number; private cache; #log: string; }',
    'none',
    'none',
  ],
  [
    'a member marked internal',
    'export declare class Tide { height: number; }',
    'export declare class Tide { height: number; /** @internal */ cache: string; }',
    'none',
    'none',
  ],
  [
    'an export marked internal',
    'export declare const a: 1;',
    'export declare const a: 1; /** @internal */ export declare const b: 2;',
    'none',
    'none',
  ],
  [
    'a name with an underscore before it',
    'export declare class Tide { height: number; }',
    'export declare class Tide { height: number; _cache: string; }',
    'none',
    'none',
  ],
  [
    'a protected member',
    'export declare class Gauge { protected raw(): number; }',
    'export declare class Gauge { }',
    'breaking',
    'addition',
  ],
  [
    'a required option',
    'export interface Options { port: string } export declare function height(options: Options): number;',
    'export interface Options { port: string; day: Date } export declare function height(options: Options): number;',
    'breaking',
    'breaking',
  ],
  [
    'an optional option',
    'export interface Options { port: string } export declare function height(options: Options): number;',
    'export interface Options { port: string; day?: Date } export declare function height(options: Options): number;',
    'addition',
    'breaking',
  ],
  [
    'an option that may be left out',
    'export interface Options { port: string } export declare function height(options: Options): number;',
    'export interface Options { port?: string } export declare function height(options: Options): number;',
    'compatible',
    'breaking',
  ],
  [
    'a field of a result',
    'export interface Level { height: number } export declare function level(): Level;',
    'export interface Level { height: number; trend: string } export declare function level(): Level;',
    'addition',
    'breaking',
  ],
  [
    'a field of a result that may be missing',
    'export interface Level { height: number } export declare function level(): Level;',
    'export interface Level { height?: number } export declare function level(): Level;',
    'breaking',
    'compatible',
  ],
  [
    'a field of a type that is accepted and given',
    'export interface Level { height: number } export declare function level(): Level; export declare function log(level: Level): void;',
    'export interface Level { height: number; trend: string } export declare function level(): Level; export declare function log(level: Level): void;',
    'breaking',
    'breaking',
  ],
  [
    'a required field of a type that nothing takes or gives',
    'export interface Level { height: number }',
    'export interface Level { height: number; trend: string }',
    'unknown',
    'breaking',
  ],
  [
    'an optional field of a type that nothing takes or gives',
    'export interface Level { height: number }',
    'export interface Level { height: number; trend?: string }',
    'addition',
    'breaking',
  ],
  [
    'a readonly field',
    'export declare class Tide { height: number; }',
    'export declare class Tide { readonly height: number; }',
    'breaking',
    'none',
  ],
  [
    'an enum member',
    'export declare enum Kind { High = 0, Low = 1 }',
    'export declare enum Kind { High = 0, Low = 1, Slack = 2 }',
    'addition',
    'breaking',
  ],
  [
    'the value of an enum member',
    'export declare enum Kind { High = 0, Low = 1 }',
    'export declare enum Kind { High = 1, Low = 2 }',
    'breaking',
    'breaking',
  ],
  [
    'an overload',
    'export declare function at(port: string): number;',
    'export declare function at(port: string): number; export declare function at(port: number): string;',
    'addition',
    'breaking',
  ],
  [
    'an overload of another kind',
    'export declare function at(port: string): number; export declare function at(port: number): string;',
    'export declare function at(port: string): number; export declare function at(port: number): boolean;',
    'breaking',
    'breaking',
  ],
  [
    'an argument that a callback gets',
    'export declare function each(visit: (height: number) => void): void;',
    'export declare function each(visit: (height: number, day: Date) => void): void;',
    'addition',
    'breaking',
  ],
  [
    'what a callback must give',
    'export declare function each(visit: (height: number) => unknown): void;',
    'export declare function each(visit: (height: number) => boolean): void;',
    'breaking',
    'compatible',
  ],
  [
    'a type parameter with a default',
    'export interface Table<T> { rows: T[] }',
    'export interface Table<T, K = string> { rows: T[]; key?: K }',
    'addition',
    'breaking',
  ],
  [
    'a type parameter without a default',
    'export interface Table<T> { rows: T[] }',
    'export interface Table<T, K> { rows: T[] }',
    'breaking',
    'breaking',
  ],
  [
    'a narrower constraint',
    'export declare function first<T>(rows: T[]): T;',
    'export declare function first<T extends object>(rows: T[]): T;',
    'breaking',
    'none',
  ],
  [
    'the result of a generic function',
    'export declare function first<T>(rows: T[]): T;',
    'export declare function first<T>(rows: T[]): T | undefined;',
    'breaking',
    'compatible',
  ],
  [
    'the names of type parameters',
    'export declare function first<T, K>(rows: T[], key: K): Map<K, T>;',
    'export declare function first<Row, Key>(rows: Row[], key: Key): Map<Key, Row>;',
    'none',
    'none',
  ],
  [
    'a member of a union that is accepted',
    'export type Port = "west" | "east"; export declare function height(port: Port): number;',
    'export type Port = "west" | "east" | "north"; export declare function height(port: Port): number;',
    'compatible',
    'breaking',
  ],
  [
    'a member of a union that is given',
    'export type Trend = "up" | "down"; export declare function trend(): Trend;',
    'export type Trend = "up" | "down" | "slack"; export declare function trend(): Trend;',
    'breaking',
    'compatible',
  ],
  [
    'a function written as a constant',
    'export declare function height(port: string): number;',
    'export declare const height: (port: string) => number;',
    'none',
    'none',
  ],
  [
    'an interface written as a type',
    'export interface Level { height: number } export declare function level(): Level;',
    'export type Level = { height: number }; export declare function level(): Level;',
    'none',
    'none',
  ],
  [
    'a class that is only a type now',
    'export declare class Tide { height: number; }',
    'export interface Tide { height: number; }',
    'breaking',
    'addition',
  ],
  [
    'a name in a namespace',
    'export declare namespace units { const metre: 1; }',
    'export declare namespace units { const metre: 1; const foot: 2; }',
    'addition',
    'breaking',
  ],
  [
    'any instead of a type',
    'export declare function height(port: string): number;',
    'export declare function height(port: string): any;',
    'compatible',
    'unknown',
  ],
  [
    'unknown instead of any',
    'export declare function raw(): any;',
    'export declare function raw(): unknown;',
    'breaking',
    'compatible',
  ],
  [
    'a type from another package',
    'import type { Chart } from "charts"; export declare function draw(chart: Chart): void;',
    'import type { Plot } from "charts"; export declare function draw(chart: Plot): void;',
    'unknown',
    'unknown',
  ],
  [
    'a name handed on under another one',
    'declare const a: 1; export { a, a as b };',
    'declare const a: 1; export { a };',
    'breaking',
    'addition',
  ],
  [
    'a default export',
    'declare const a: 1; export default a;',
    'declare const a: 1; export { a };',
    'breaking',
    'breaking',
  ],
  [
    'the way of exporting',
    'declare function height(port: string): number; export = height;',
    'export declare function height(port: string): number;',
    'breaking',
    'breaking',
  ],
  [
    'a type predicate',
    'export declare function isTide(value: unknown): value is string;',
    'export declare function isTide(value: unknown): boolean;',
    'breaking',
    'compatible',
  ],
  [
    'an index signature',
    'export interface Levels { [port: string]: number } export declare const levels: Levels;',
    'export interface Levels { west: number } export declare const levels: Levels;',
    'breaking',
    'unknown',
  ],
  [
    'the constructor of a base that is not exported',
    'declare class Base { constructor(port: string); } export declare class Tide extends Base { height: number; }',
    'declare class Base { constructor(port: string, day: Date); } export declare class Tide extends Base { height: number; }',
    'breaking',
    'breaking',
  ],
  [
    'a generic type for another one with other arguments',
    'interface Box<T> { value: T; get(): T } interface Crate<T> { value: T; get(): T } export declare const box: Box<string>;',
    'interface Box<T> { value: T; get(): T } interface Crate<T> { value: T; get(): T } export declare const box: Crate<number>;',
    'breaking',
    'breaking',
  ],
  [
    'a generic type for another one with the same arguments',
    'interface Box<T> { value: T; get(): T } interface Crate<T> { value: T; get(): T } export declare const box: Box<string>;',
    'interface Box<T> { value: T; get(): T } interface Crate<T> { value: T; get(): T } export declare const box: Crate<string>;',
    'none',
    'none',
  ],
  [
    'the arguments of a generic base',
    'interface Box<T> { value: T } export interface Level extends Box<string> { port: string } export declare const level: Level;',
    'interface Box<T> { value: T } export interface Level extends Box<number> { port: string } export declare const level: Level;',
    'breaking',
    'breaking',
  ],
  [
    'the order of members',
    'export interface Level { height: number; port: string } export declare const level: Level;',
    'export interface Level { port: string; height: number } export declare const level: Level;',
    'none',
    'none',
  ],
  [
    'a wider type of a browser',
    'export declare function draw(on: HTMLCanvasElement): void;',
    'export declare function draw(on: HTMLElement): void;',
    'compatible',
    'breaking',
  ],
  [
    'the type of a value of a browser',
    'export declare const width: typeof innerWidth;',
    'export declare const width: number;',
    'none',
    'none',
  ],
  [
    'a type of a browser that is named by its scope',
    'export declare const place: globalThis.Location;',
    'export declare const place: globalThis.Document;',
    'breaking',
    'breaking',
  ],
];

function compared(before: string, after: string) {
  return compareNodeSurfaces(
    npmPackage({ 'index.js': '', 'index.d.ts': before }),
    npmPackage({ 'index.js': '', 'index.d.ts': after }),
    libraryText,
  );
}

/** The most important effect. */
function effectOf(before: string, after: string): Answer {
  return compared(before, after).differences[0]?.effect ?? 'none';
}

describe('a change of', () => {
  it.each(changes)('%s is judged, and so is the way back', (_, before, after, forth, back) => {
    expect({ forth: effectOf(before, after), back: effectOf(after, before) }).toEqual({ forth, back });
  });

  it.each(changes)('%s looks the same where a browser is known', (_, before, after) => {
    const [plain, browser] = ['es5', 'dom'].map((library) => {
      const line = `/// <reference lib="${library}" />\n`;
      return compared(line + before, line + after);
    });

    expect(browser).toEqual(plain);
  });
});
