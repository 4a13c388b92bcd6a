import type { ReachedUse } from '../../surface/reach.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf } from './node-view.ts';

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
    return uses.flatMap((reachedUse): RawFinding[] => {
      const { file, use, target } = reachedUse;
      const key = `${file}\0${use.specifier}`;
      if (target.type !== 'missing' || use.isTried || seen.has(key)) return [];
      seen.add(key);
      const message = `line ${use.line} imports "${use.specifier}": ${target.why}`;
      return [
        { path: artifact.prefix + file, message, ...(isCertain(reachedUse) ? {} : { severity: 'warn' as const }) },
      ];
    });
  },
};

/** What is asked for late may be asked for never. */
function isCertain({ use }: ReachedUse): boolean {
  return !use.isLate;
}
