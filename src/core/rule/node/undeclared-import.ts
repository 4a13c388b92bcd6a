import { isBuiltIn } from '../../surface/built-in.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { declaredPackages, type NodeView, nodeViewOf } from './node-view.ts';

export const undeclaredImport: Rule = {
  id: 'node/undeclared-import',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Every imported package is a declared dependency',
  why: 'It only works where something else happens to install that package',
  fix: 'Add it to `dependencies`, or to `peerDependencies` if users install it themselves',
  example: "import 'harmonics-table' in dist/tide.js, listed under devDependencies only",
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null || artifact.manifest === null) return [];
    const declared = declaredPackages(artifact.manifest.json);
    const own = artifact.manifest.common.name;
    const isKnown = (name: string) => name === own || declared.has(name);
    const seen = new Set<string>();
    const fresh = (name: string) => !seen.has(name) && seen.add(name) !== undefined;
    const uses = (['server import', 'server require', 'bundler for the browser'] as const).flatMap(
      (consumer) => view.reach(consumer).uses,
    );
    // What is certain goes first, so that a late use of the same package does not soften it.
    const sorted = [...uses].sort((a, b) => Number(a.use.isLate) - Number(b.use.isLate));
    const found = sorted.flatMap(({ file, use, target }): RawFinding[] => {
      if (target.type !== 'external' || use.isTried || isKnown(target.name) || !fresh(target.name)) return [];
      const message = `line ${use.line} imports ${target.name}, which is not a declared dependency`;
      return [{ path: artifact.prefix + file, message, ...(use.isLate ? { severity: 'warn' as const } : {}) }];
    });
    return [...found, ...undeclaredTypes({ view, prefix: artifact.prefix, isKnown, fresh })];
  },
};

/** Packages that declaration files name; those of Node.js come with its types. */
function undeclaredTypes({
  view,
  prefix,
  isKnown,
  fresh,
}: {
  readonly view: NodeView;
  readonly prefix: string;
  readonly isKnown: (name: string) => boolean;
  readonly fresh: (name: string) => boolean;
}): RawFinding[] {
  return view.paths.flatMap((path) =>
    (view.declaration(path)?.uses ?? []).flatMap(({ specifier, line }): RawFinding[] => {
      const name = /^(@[^/]+\/[^/]+|[^./#@][^/]*)/.exec(specifier)?.[1];
      if (name === undefined || isBuiltIn(specifier) || /^[a-z]+:/.test(specifier)) return [];
      const types = `@types/${name.startsWith('@') ? name.slice(1).replace('/', '__') : name}`;
      if (isKnown(name) || isKnown(types) || !fresh(name)) return [];
      return [
        {
          path: prefix + path,
          message: `line ${line} imports types from ${name}, which is not a declared dependency`,
          severity: 'warn',
        },
      ];
    }),
  );
}
