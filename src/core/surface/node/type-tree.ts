import { declarationFor, type TypesMode, typesFor } from '../../contents/types-entry.ts';
import type { PackageJson } from '../../manifest/package-json.ts';
import { resolveImports } from '../../manifest/resolve-exports.ts';
import { locateTypes } from '../locate-types.ts';

/** One npm tarball as the comparison sees it; paths are inside the package. */
export type NodeTree = {
  readonly manifest: PackageJson;
  readonly paths: readonly string[];
  readonly has: (path: string) => boolean;
  /** Null for a file that is not inside, or was too large to be kept. */
  readonly text: (path: string) => string | null;
};

/** The declaration file that a specifier leads to; null for one outside of the package. */
export function locateDeclaration(specifier: string, from: string, { manifest, has }: NodeTree): string | null {
  const mode = modeOf(from);
  if (/^\.{1,2}(?:\/|$)/.test(specifier)) return locateTypes(specifier, from, has);
  if (specifier.startsWith('#')) {
    const target = resolveImports(specifier, manifest, new Set(['types', mode, 'node']));
    return target?.startsWith('./') === true ? declarationFor(target.slice(2), has) : null;
  }
  const own = typeof manifest['name'] === 'string' ? manifest['name'] : null;
  if (own === null || (specifier !== own && !specifier.startsWith(`${own}/`))) return null;
  return typesFor(`.${specifier.slice(own.length)}`, { manifest, has, mode });
}

/** A `.d.cts` file resolves what it imports as `require` does. */
const modeOf = (path: string): TypesMode => (/\.c[tj]s$/.test(path) ? 'require' : 'import');
