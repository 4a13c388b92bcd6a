import { moduleSystemOf } from '../../surface/node-package.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { type NodeView, nodeViewOf } from './node-view.ts';

export const moduleSyntax: Rule = {
  id: 'node/module-syntax',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Every file uses the module system that Node.js loads it as',
  why: 'A CommonJS file loaded as a module stops with "require is not defined", a module loaded as CommonJS with a syntax error',
  fix: 'Rename the file to .mjs or .cjs, or set `type` in the nearest package.json',
  example: '"type": "module" and module.exports in dist/tide.js',
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null) return [];
    const files = new Set([...view.reach('server import').files, ...view.reach('server require').files]);
    // What can be asked for by its own path only, as a file among files, is most often for others than Node.js.
    const raw = rawFiles(view);
    return [...files].sort().flatMap((file): RawFinding[] => {
      const facts = view.script(file);
      if (facts === null) return [];
      const path = artifact.prefix + file;
      const system = moduleSystemOf(file, view.pkg);
      const why = reasonFor(file);
      const softer = raw.has(file) ? { severity: 'warn' as const } : {};
      if (facts.syntax === 'broken')
        return [{ path, message: `it cannot be parsed: ${facts.reason}`, severity: 'warn' }];
      if (system === 'module' && facts.syntax === 'commonjs')
        return [
          { path, message: `it is loaded as an ES module because ${why}, but is written as CommonJS`, ...softer },
        ];
      if (system === 'commonjs' && facts.syntax === 'module')
        return [
          { path, message: `it is loaded as CommonJS because ${why}, but has import or export statements`, ...softer },
        ];
      if (system === null && facts.syntax === 'module')
        return [
          {
            path,
            message:
              'it has imports or exports and no `type` says so: Node.js before 20.19 fails, later ones parse it twice',
            severity: raw.has(file) ? 'note' : 'warn',
          },
        ];
      return [];
    });
  },
};

function reasonFor(file: string): string {
  const ending = /\.[cm]js$/.exec(file)?.[0];
  return ending === undefined ? 'the package.json nearest to it says so' : `it ends with ${ending}`;
}

/** Files that Node.js gets through entries called like the file itself, and through no other entry. */
function rawFiles(view: NodeView): ReadonlySet<string> {
  const all = [...view.starts('server import'), ...view.starts('server require')];
  const isRaw = ({ entry, file }: { entry: string; file: string }) =>
    entry === `./${file}` || `${entry}.js` === `./${file}`;
  const named = new Set(all.filter((item) => !isRaw(item)).map(({ file }) => file));
  return new Set(all.filter((item) => isRaw(item) && !named.has(item.file)).map(({ file }) => file));
}
