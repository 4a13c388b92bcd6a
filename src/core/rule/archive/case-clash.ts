import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

/** Nothing to normalise, as in most paths. */
const isAscii = /^[ -~]*$/;

export const caseClash: Rule = {
  id: 'archive/case-clash',
  forms: allForms,
  severity: 'refuse',
  what: 'No two paths differ only in case or Unicode normalisation',
  why: 'On some file systems one file overwrites the other',
  fix: 'Rename one of them',
  example: 'lib/Tide.js and lib/tide.js',
  check: ({ entries }) => {
    const files = entries.filter(({ type }) => type !== 'folder');
    // Most paths are as they would be folded, and only those that are not can clash with another.
    const changed = new Set(
      files
        .map(({ path }) => path)
        .filter((path) => folded(path) !== path)
        .map(folded),
    );
    if (changed.size === 0) return [];
    const seen = new Map<string, string>();
    return files.flatMap(({ path }): RawFinding[] => {
      const same = folded(path);
      if (!changed.has(same)) return [];
      const other = seen.get(same);
      seen.set(same, path);
      return other === undefined || other === path
        ? []
        : [{ path, message: `on some systems it is the same as ${other}` }];
    });
  },
};

function folded(path: string): string {
  return (isAscii.test(path) ? path : path.normalize('NFC')).toLowerCase();
}
