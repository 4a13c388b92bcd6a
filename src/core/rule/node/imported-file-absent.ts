import type { ReachedUse } from '../../surface/reach.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { nodeViewOf } from './node-view.ts';

export const importedFileAbsent: Rule = {
  id: 'node/imported-file-absent',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Files that reached code imports by path are inside, and are found by the rules of its module system',
  why: 'The package installs and fails when that line runs; in the repository it works, since the file is there',
  fix: 'Let the manifest or a `files` rule include the file, or correct the path; in modules write the whole name with its ending',
  example: "import './parse' in a module, where Node.js wants './parse.js'",
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
