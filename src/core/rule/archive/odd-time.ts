import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

const day = 86_400;

export const oddTime: Rule = {
  id: 'archive/odd-time',
  forms: allForms,
  severity: 'warn',
  what: 'No entry has a modification time in the future',
  why: 'Build tools that compare times keep rebuilding such files, and unpacking prints warnings',
  fix: 'Set the clock of the build machine, or build with `bevelstone build`, which uses the time of the commit',
  example: 'lib/tide.h with a time in 2041',
  check: ({ entries }, { now }) => {
    const late = entries.filter(({ mtime }) => mtime !== null && mtime > now + day);
    const [first] = late;
    if (first === undefined || first.mtime === null) return [];
    const others = late.length === 1 ? '' : `, and ${late.length - 1} more`;
    // Beyond what a date can be, a number of seconds is all there is to say.
    const at =
      first.mtime < 8.64e12 ? new Date(first.mtime * 1000).toISOString().slice(0, 10) : `second ${first.mtime}`;
    return [{ path: first.path, message: `its modification time is in the future: ${at}${others}` }];
  },
};
