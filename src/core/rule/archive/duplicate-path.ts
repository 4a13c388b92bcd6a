import { filesIn } from '../../form/artifact.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const duplicatePath: Rule = {
  id: 'archive/duplicate-path',
  forms: allForms,
  severity: 'refuse',
  what: 'No two entries have the same path',
  why: 'The installer decides which one is installed, so users get different files',
  fix: 'Keep one of them',
  example: 'lib/tide.js twice, with different bytes',
  check: (artifact) => {
    const counts = new Map<string, number>();
    for (const { path } of filesIn(artifact)) counts.set(path, (counts.get(path) ?? 0) + 1);
    return [...counts]
      .filter(([, count]) => count > 1)
      .map(([path, count]) => ({ path, message: `the path occurs ${count === 2 ? 'twice' : `${count} times`}` }));
  },
};
