import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { type Artifact, foldersIn } from '../../form/artifact.ts';
import type { ReachedUse } from '../../surface/reach.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { type NodeView, nodeViewOf } from './node-view.ts';

export const importedFileAbsent: Rule = {
  id: 'node/imported-file-absent',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Files imported by path are included and can be resolved',
  why: 'The package installs but fails when the import runs; it works in the repository because the file is there',
  fix: 'Include the file with the manifest or a `files` rule, or correct the path; in ES modules write the file name with its extension',
  example: "import './parse' in a module, where Node.js requires './parse.js'",
  check: (artifact) => {
    const view = nodeViewOf(artifact);
    if (view === null) return [];
    const uses = [...view.reach('server import').uses, ...view.reach('server require').uses];
    const seen = new Set<string>();
    const imported = uses.flatMap((reachedUse): RawFinding[] => {
      const { file, use, target } = reachedUse;
      const key = `${file}\0${use.specifier}`;
      if (target.type !== 'missing' || use.isTried || seen.has(key)) return [];
      seen.add(key);
      const message = `line ${use.line} imports "${use.specifier}": ${target.why}`;
      return [
        { path: artifact.prefix + file, message, ...(isCertain(reachedUse) ? {} : { severity: 'warn' as const }) },
      ];
    });
    return [...imported, ...absentData(view, artifact)];
  },
};

/** Files that modules find by their own address (`new URL('./x', import.meta.url)`). */
function absentData(view: NodeView, artifact: Artifact): RawFinding[] {
  const { prefix } = artifact;
  return [...view.reach('server import').files].sort().flatMap((file) =>
    (view.script(file)?.data ?? []).flatMap(({ specifier, line, isTried, isPlace }): RawFinding[] => {
      const [plain = ''] = specifier.split(/[?#]/);
      if (isTried || isPlace || plain === '' || plain.endsWith('/') || /^(?:[a-z][a-z+.-]*:|\/)/i.test(plain))
        return [];
      const path = joinPath(parentOf(file), plain);
      // One that climbs out of the package is for a place that only its author knows.
      if (path.startsWith('../')) return [];
      const isThere = path === '' || view.pkg.has(path) || foldersIn(artifact).has(prefix + path);
      if (isThere) return [];
      return [{ path: prefix + file, message: `line ${line} reads "${specifier}" beside it, which is not inside` }];
    }),
  );
}

/** What is asked for late may be asked for never. */
function isCertain({ use }: ReachedUse): boolean {
  return !use.isLate;
}
