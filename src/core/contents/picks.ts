import type { PackageJson } from '../manifest/package-json.ts';
import { listEntries, resolveEntry } from '../manifest/resolve-exports.ts';
import { typesFor } from './types-entry.ts';

/** Which file a kind of consumer gets for an entry; null when it gets none. */
export type FilePick = { readonly consumer: string; readonly entry: string; readonly file: string | null };

/** Somebody who loads a package in a way of their own. */
export type Consumer = {
  readonly name: 'server import' | 'server require' | 'bundler for the browser';
  readonly conditions: readonly string[];
  readonly mainFields: readonly string[];
  readonly completes: boolean;
};

/** Node.js, "Conditional exports": the conditions of its two loaders; those of bundlers and type checkers as they document them. */
export const consumers: readonly Consumer[] = [
  {
    name: 'server import',
    conditions: ['node', 'import', 'module-sync', 'node-addons'],
    mainFields: ['main'],
    completes: false,
  },
  {
    name: 'server require',
    conditions: ['node', 'require', 'module-sync', 'node-addons'],
    mainFields: ['main'],
    completes: true,
  },
  {
    name: 'bundler for the browser',
    conditions: ['browser', 'import', 'module'],
    mainFields: ['browser', 'module', 'main'],
    completes: true,
  },
];

/**
 * A table of consumer by entry by file for a package of the npm client.
 * @param paths of files inside, without the package's top folder.
 */
export function pickFiles(manifest: PackageJson, paths: readonly string[]): FilePick[] {
  const inside = new Set(paths);
  const has = (path: string) => inside.has(path);
  return listEntries(manifest, paths).flatMap((entry): FilePick[] => {
    const found = consumers.map(({ name, conditions, mainFields, completes }) => {
      const file = resolveEntry(entry, { manifest, conditions: new Set(conditions), mainFields, has, completes });
      const mapped = name.startsWith('bundler') ? throughBrowserMap(file, manifest, has) : file;
      return { consumer: name, entry, file: mapped };
    });
    return [...found, { consumer: 'type checker', entry, file: anyTypes(entry, manifest, has) }];
  });
}

/** A `browser` field that is a map replaces files one by one (its specification, "replace specific files"). */
function throughBrowserMap(file: string | null, manifest: PackageJson, has: (path: string) => boolean): string | null {
  const map = manifest['browser'];
  if (file === null || typeof map !== 'object' || map === null) return file;
  const other = (map as Record<string, unknown>)[`./${file}`];
  if (other === false) return null;
  return typeof other === 'string' && has(other.replace(/^\.\//, '')) ? other.replace(/^\.\//, '') : file;
}

/** Types that either way of loading finds. */
function anyTypes(entry: string, manifest: PackageJson, has: (path: string) => boolean): string | null {
  return typesFor(entry, { manifest, has, mode: 'import' }) ?? typesFor(entry, { manifest, has, mode: 'require' });
}
