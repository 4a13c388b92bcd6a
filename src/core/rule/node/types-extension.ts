import { locateTypes } from '../../surface/locate-types.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { type NodeView, nodeViewOf } from './node-view.ts';
import { systemOfTypes, typedEntries } from './typed-entries.ts';

export const typesExtension: Rule = {
  id: 'node/types-extension',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Relative imports in the declarations of ES modules have an ending',
  why: 'For users who compile for Node.js, TypeScript does not find such a file, and everything from it becomes `any`',
  fix: "Write the ending of the code, such as './table.js'; most compilers check it with moduleResolution nodenext",
  example: 'export * from \'./table\' in index.d.ts of a package with "type": "module"',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null) return [];
    const files = reached(
      typedEntries(artifact).map(({ types }) => types),
      view,
    );
    const found = files
      .filter((file) => systemOfTypes(file, view) === 'module')
      .flatMap((file) =>
        (view.declaration(file)?.uses ?? [])
          .filter(({ specifier }) => lacksEnding(specifier, file, view))
          .map(({ specifier, line }) => ({ file, specifier, line })),
      );
    const [first] = found;
    if (first === undefined) return [];
    const others = found.length === 1 ? '' : `, and so do ${found.length - 1} more imports`;
    const message = `line ${first.line} imports "${first.specifier}" without an ending${others}`;
    return [{ path: artifact.prefix + first.file, message }] satisfies RawFinding[];
  },
};

/** A path that only a compiler which completes it would find. */
function lacksEnding(specifier: string, from: string, { pkg }: NodeView): boolean {
  if (/\.(?:[cm]?[jt]sx?|json|css|node|wasm)$/.test(specifier)) return false;
  return locateTypes(specifier, from, pkg.has) !== null;
}

/** Declaration files that are loaded with these. */
function reached(starts: readonly string[], view: NodeView): string[] {
  const files = new Set<string>();
  const waiting = [...starts];
  for (let file = waiting.pop(); file !== undefined; file = waiting.pop()) {
    if (files.has(file)) continue;
    files.add(file);
    for (const { specifier } of view.declaration(file)?.uses ?? []) {
      const next = locateTypes(specifier, file, view.pkg.has);
      if (next !== null) waiting.push(next);
    }
  }
  return [...files].sort();
}
