import { pickFiles } from '../../contents/picks.ts';
import { declaredNames, exportedNames } from '../../surface/exported-names.ts';
import { locateTypes } from '../../surface/locate-types.ts';
import { consumerOf, resolveUse } from '../../surface/node-package.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { type NodeView, nodeViewOf } from './node-view.ts';

export const typesDisagree: Rule = {
  id: 'node/types-disagree',
  forms: ['npm-tarball'],
  severity: 'warn',
  what: 'The type declarations and the code of an entry export the same names',
  why: 'A declared but missing function compiles and then fails; an undeclared one cannot be used',
  fix: 'Generate declarations and code in the same build step from the same sources',
  example: 'dist/tide.d.ts declares lowWater, and dist/tide.js does not export it',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null || artifact.manifest === null) return [];
    const picks = pickFiles(artifact.manifest.json, view.paths);
    return picks
      .filter(({ consumer, file }) => consumer === 'type checker' && file !== null)
      .flatMap(({ entry, file: types }): RawFinding[] => {
        const code = picks.find((pick) => pick.entry === entry && pick.consumer === 'server import')?.file ?? null;
        return types === null || code === null ? [] : compare({ view, entry, types, code, prefix: artifact.prefix });
      });
  },
};

function compare({
  view,
  entry,
  types,
  code,
  prefix,
}: {
  readonly view: NodeView;
  readonly entry: string;
  readonly types: string;
  readonly code: string;
  readonly prefix: string;
}): RawFinding[] {
  const declared = declaredNames({
    file: types,
    read: view.declaration,
    locate: (specifier, from) => locateTypes(specifier, from, view.pkg.has),
  });
  const exported = exportedNames({
    file: code,
    read: view.script,
    locate: (specifier, from) => locateCode(specifier, from, view),
  });
  const found: RawFinding[] = [];
  if (view.script(code) === null || view.declaration(types) === null) return [];
  if (exported.isComplete) {
    const missing = [...declared.names].filter((name) => !exported.names.has(name) && !isWholeValue(name, view, code));
    if (missing.length > 0)
      found.push({
        path: prefix + types,
        message: `for ${entry} it declares ${list(missing)}, which ${code} does not export`,
      });
  }
  if (declared.isComplete) {
    const silent = [...exported.names].filter(
      (name) => !declared.names.has(name) && !declared.types.has(name) && !isHidden(name, declared.names),
    );
    if (silent.length > 0)
      found.push({
        path: prefix + types,
        message: `for ${entry} it does not declare ${list(silent)}, which ${code} exports`,
        severity: 'note',
      });
  }
  return found;
}

/** A CommonJS file's whole value is its default in a module. */
function isWholeValue(name: string, view: NodeView, code: string): boolean {
  return name === 'default' && view.script(code)?.syntax !== 'module';
}

function isHidden(name: string, declared: ReadonlySet<string>): boolean {
  return (
    name === '__esModule' ||
    name === 'module.exports' ||
    name.startsWith('_') ||
    (name === 'default' && declared.size > 0)
  );
}

function locateCode(specifier: string, from: string, view: NodeView): string | null {
  const as = view.script(from)?.syntax === 'module' ? 'module' : 'commonjs';
  const target = resolveUse({
    specifier,
    importer: from,
    pkg: view.pkg,
    loading: { consumer: consumerOf('server import'), as },
  });
  return target.type === 'file' ? target.path : null;
}

function list(names: readonly string[]): string {
  const shown = names.slice(0, 4).join(', ');
  return names.length > 4 ? `${shown} and ${names.length - 4} more` : shown;
}
