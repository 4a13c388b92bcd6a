import { type TypesMode, typesFor } from '../../contents/types-entry.ts';
import { objectOf, shownText } from '../../manifest/fields.ts';
import { listEntries, resolveEntry } from '../../manifest/resolve-exports.ts';
import type { NodeTree } from './type-tree.ts';

/** One way to load an entry of a package: what it is loaded by, and which files it leads to. */
export type Route = {
  readonly entry: string;
  readonly mode: TypesMode;
  /** A condition or a field that some consumers go by; null for the usual way of Node.js. */
  readonly condition: string | null;
  /** Null where there is none. */
  readonly types: string | null;
  readonly code: string | null;
};

/** Conditions that each loader has anyway, or that say only how a file is written. */
const usual = new Set(['types', 'import', 'require', 'node', 'default', 'module-sync', 'node-addons', 'module']);
const fields = ['module', 'browser'] as const;

/** All ways to load a package's entries (Node.js, "Conditional exports"; fields that bundlers read where there is no `exports`). */
export function routesOf(tree: NodeTree): Route[] {
  const { manifest, paths } = tree;
  const hasExports = manifest['exports'] !== undefined && manifest['exports'] !== null;
  const others = hasExports
    ? conditionsOf(manifest['exports'])
    : fields.filter((field) => typeof manifest[field] === 'string');
  // A pattern may match files that nothing loads.
  const entries = [...new Set(listEntries(manifest, paths))].filter((entry) => !/\.(?:map|d\.[cm]?ts)$/.test(entry));
  return entries.flatMap((entry) =>
    [null, ...others].flatMap((condition) =>
      (['import', 'require'] as const).map((mode) => routeOf(tree, { entry, mode, condition, hasExports })),
    ),
  );
}

function routeOf(
  { manifest, has }: NodeTree,
  {
    entry,
    mode,
    condition,
    hasExports,
  }: Pick<Route, 'entry' | 'mode' | 'condition'> & { readonly hasExports: boolean },
): Route {
  const also = condition === null ? ['node'] : [condition];
  const mainFields = !hasExports && condition !== null ? [condition, 'main'] : ['main'];
  const conditions = new Set([mode, 'module-sync', 'node-addons', ...also]);
  const completes = mode === 'require' || condition !== null;
  const code = resolveEntry(entry, { manifest, conditions, mainFields, has, completes });
  return { entry, mode, condition, code, types: typesFor(entry, { manifest, has, mode, also }) };
}

/** Names of conditions in an `exports`, apart from the usual ones. */
export function conditionsOf(exports: unknown): string[] {
  const found = new Set<string>();
  const visit = (value: unknown): void => {
    if (Array.isArray(value)) for (const item of value) visit(item);
    for (const [key, inner] of Object.entries(objectOf(value))) {
      if (!key.startsWith('.') && !usual.has(key) && !key.startsWith('types@')) found.add(key);
      visit(inner);
    }
  };
  visit(exports);
  return [...found].sort();
}

/** Programs by name, with the file of each. */
export function programsOf({ manifest }: Pick<NodeTree, 'manifest'>): Map<string, string> {
  const { bin, name } = manifest;
  const own = shownText(name ?? 'bin').replace(/^@[^/]*\//, '');
  const all = typeof bin === 'string' ? { [own]: bin } : objectOf(bin);
  return new Map(Object.entries(all).map(([program, file]) => [program, shownText(file)]));
}

/** Tells two ways apart. */
export function routeKey({ entry, mode, condition }: Pick<Route, 'entry' | 'mode' | 'condition'>): string {
  return [entry, mode, condition ?? ''].join('\0');
}
