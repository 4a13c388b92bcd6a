import type { Consumer } from '../contents/picks.ts';
import type { ImportUse } from '../facts/script.ts';
import { moduleSystemOf, type NodePackage, type ReadScripts, resolveUse, type Target } from './node-package.ts';

/** Something that a reached file asks for, and where it leads. */
export type ReachedUse = { readonly file: string; readonly use: ImportUse; readonly target: Target };

/** The files of a package that a consumer loads, and all that they ask for. */
export type Reach = { readonly files: ReadonlySet<string>; readonly uses: readonly ReachedUse[] };

/** Follows imports from the files that a consumer begins with, inside one package. */
export function reachFrom({
  starts,
  pkg,
  scripts,
  consumer,
}: {
  readonly starts: Iterable<string>;
  readonly pkg: NodePackage;
  readonly scripts: ReadScripts;
  readonly consumer: Consumer;
}): Reach {
  const files = new Set<string>();
  const uses: ReachedUse[] = [];
  const waiting = [...starts];
  for (let file = waiting.pop(); file !== undefined; file = waiting.pop()) {
    if (files.has(file)) continue;
    files.add(file);
    const facts = scripts(file);
    if (facts === null) continue;
    for (const use of facts.uses) {
      const as = loadedAs({ use, file, syntax: facts.syntax, pkg: pkg });
      const target = resolveUse({ specifier: use.specifier, importer: file, pkg: pkg, loading: { consumer, as } });
      uses.push({ file, use, target });
      if (target.type === 'file') waiting.push(target.path);
    }
  }
  return { files, uses };
}

/** By which rules a specifier is resolved: `require` by CommonJS, everything else as its file is loaded. */
export function loadedAs({
  use,
  file,
  syntax,
  pkg,
}: {
  readonly use: ImportUse;
  readonly file: string;
  readonly syntax: 'module' | 'commonjs' | 'either' | 'broken';
  readonly pkg: NodePackage;
}): 'module' | 'commonjs' {
  if (use.how === 'require') return 'commonjs';
  if (use.how === 'dynamic') return 'module';
  return moduleSystemOf(file, pkg) ?? (syntax === 'module' ? 'module' : 'commonjs');
}
