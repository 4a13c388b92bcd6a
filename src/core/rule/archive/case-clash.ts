import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const caseClash: Rule = {
  id: 'archive/case-clash',
  forms: allForms,
  severity: 'refuse',
  what: 'No two paths differ only in case or Unicode normalisation',
  why: 'On some file systems one file overwrites the other',
  fix: 'Rename one of them',
  example: 'lib/Tide.js and lib/tide.js',
  check: ({ entries }) => {
    const seen = new Map<string, string>();
    return entries
      .filter(({ type }) => type !== 'folder')
      .flatMap(({ path }): RawFinding[] => {
        const folded = path.normalize('NFC').toLowerCase();
        const other = seen.get(folded);
        seen.set(folded, path);
        return other === undefined || other === path
          ? []
          : [{ path, message: `on some systems it is the same as ${other}` }];
      });
  },
};
