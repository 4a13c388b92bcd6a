import type { RawFinding, Rule } from '../rule.ts';

export const duplicatePath: Rule = {
  id: 'archive/duplicate-path',
  severity: 'refuse',
  what: 'No two entries have the same path, also where capitals do not count',
  why: 'Which one is installed depends on the installer and on the file system, so users get different files',
  fix: 'Keep one of them, or rename one',
  example: 'lib/Tide.js beside lib/tide.js',
  check: ({ entries }) => {
    const seen = new Map<string, string>();
    return entries
      .filter(({ type }) => type !== 'folder')
      .flatMap(({ path }): RawFinding[] => {
        const folded = path.normalize('NFC').toLowerCase();
        const other = seen.get(folded);
        seen.set(folded, path);
        if (other === undefined) return [];
        return [{ path, message: other === path ? 'it is there twice' : `on some systems it is the same as ${other}` }];
      });
  },
};
