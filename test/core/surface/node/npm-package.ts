import { existsSync, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import type { NodeTree } from '../../../../src/core/surface/node/type-tree.ts';

const library = path.dirname(createRequire(import.meta.url).resolve('typescript'));

/** The compiler's own declarations, from where npm installed them. */
export function libraryText(name: string): string | null {
  const file = path.join(library, name);
  return existsSync(file) ? readFileSync(file, 'utf8') : null;
}

/** A package of these files; its manifest names `index.js` and `index.d.ts` unless it says otherwise. */
export function npmPackage(files: Readonly<Record<string, string>>, manifest: object = {}): NodeTree {
  const json = { name: 'tidemark', version: '1.4.0', main: './index.js', types: './index.d.ts', ...manifest };
  const all: Record<string, string> = { 'package.json': JSON.stringify(json), ...files };
  return {
    manifest: json,
    paths: Object.keys(all),
    has: (file) => Object.hasOwn(all, file),
    text: (file) => all[file] ?? null,
  };
}
