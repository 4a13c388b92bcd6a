import { type TypesMode, typesFor } from '../../contents/types-entry.ts';
import type { DeclarationFacts } from '../../facts/declarations.ts';
import type { ScriptFacts } from '../../facts/script.ts';
import type { Artifact } from '../../form/artifact.ts';
import { moduleSystemOf } from '../../surface/node-package.ts';
import { type NodeView, nodeViewOf } from './node-view.ts';

/** The code and the types that one way of loading gets for an entry; paths are inside the package. */
export type TypedEntry = {
  readonly entry: string;
  readonly mode: TypesMode;
  readonly code: string;
  readonly types: string;
  readonly script: ScriptFacts;
  readonly declaration: DeclarationFacts;
  readonly codeSystem: 'module' | 'commonjs';
  readonly typesSystem: 'module' | 'commonjs';
};

const ways = [
  ['import', 'server import'],
  ['require', 'server require'],
] as const;

/** Every entry with code and declarations that were read, once for each pair of files. */
export function typedEntries(artifact: Artifact): TypedEntry[] {
  const view = nodeViewOf(artifact);
  if (view === null) return [];
  const seen = new Set<string>();
  return ways.flatMap(([mode, consumer]) =>
    view.starts(consumer).flatMap(({ entry, file: code }): TypedEntry[] => {
      const { manifest, has } = view.pkg;
      const types = entry.startsWith('.') ? typesFor(entry, { manifest, has, mode }) : null;
      const script = view.script(code);
      const declaration = types === null ? null : view.declaration(types);
      const key = `${code}\0${types}`;
      if (types === null || script === null || declaration === null || seen.has(key)) return [];
      seen.add(key);
      const codeSystem = moduleSystemOf(code, view.pkg) ?? (script.syntax === 'module' ? 'module' : 'commonjs');
      return [{ entry, mode, code, types, script, declaration, codeSystem, typesSystem: systemOfTypes(types, view) }];
    }),
  );
}

/** The module system that TypeScript takes a declaration file for: by its ending, else by the nearest package.json. */
export function systemOfTypes(path: string, { pkg }: NodeView): 'module' | 'commonjs' {
  if (path.endsWith('.d.mts')) return 'module';
  if (path.endsWith('.d.cts')) return 'commonjs';
  return moduleSystemOf(path, pkg) ?? 'commonjs';
}
