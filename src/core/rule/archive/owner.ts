import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const owner: Rule = {
  id: 'archive/owner',
  forms: allForms,
  severity: 'warn',
  what: 'Files belong to root, not to a person or a machine',
  why: 'Unpacked by root, they belong to the user with that id; the name reveals who built it',
  fix: 'Build the archive with `bevelstone build`, which writes owner 0, or set owners in the build step',
  example: 'owner 1000:1000 harbour:staff',
  check: ({ entries, form }) => {
    if (!formDefinitions[form].entries.keepsOwners) return [];
    const known = new Map<string, boolean>();
    const odd = entries.filter(({ owner: who }) => {
      if (who === null) return false;
      const isOdd = known.get(who) ?? isPerson(who);
      known.set(who, isOdd);
      return isOdd;
    });
    const [first] = odd;
    if (first === undefined) return [];
    const others = odd.length === 1 ? '' : `, and so do ${odd.length - 1} more`;
    return [{ path: first.path, message: `its owner is ${first.owner}${others}` }];
  },
};

/** Ids from 1000 on are people's on most systems, and the system's own in a deb are below 100 (Debian Policy §9.2.2). */
function isPerson(who: string): boolean {
  const [uid = 0, gid = 0] = (/^(\d+):(\d+)/.exec(who) ?? []).slice(1).map(Number);
  return uid >= 100 || gid >= 100;
}
