import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { linkLeaves } from '../../contents/safe-path.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const leavingLink: Rule = {
  id: 'archive/leaving-link',
  forms: allForms,
  severity: 'refuse',
  what: 'Links stay inside the artifact, and lead to something there',
  why: 'A link that leaves shows files of the user instead of yours; one that leads nowhere is a missing file',
  fix: 'Ship a copy instead of the link, or correct its target',
  example: 'lib/tide.h -> ../../../usr/include/tide.h',
  check: ({ entries, form }) => {
    const paths = new Set(entries.map(({ path }) => path.replace(/\/$/, '')));
    return entries.flatMap(({ path, type, linkname }): RawFinding[] => {
      if (linkname === null) return [];
      // What is laid out from the root of the system may have absolute links.
      const { links } = formDefinitions[form].entries;
      if (links === 'from-root') return [];
      if (linkLeaves(path, linkname, type === 'hardlink'))
        return [{ path, message: `it is a link that leaves, to ${linkname}` }];
      if (links === 'dropped')
        return [{ path, message: `it is a link to ${linkname}, and installers of this form leave links out` }];
      const target = joinPath(type === 'hardlink' ? '' : parentOf(path), linkname);
      const isThere = paths.has(target) || [...paths].some((path) => path.startsWith(`${target}/`));
      return isThere ? [] : [{ path, message: `it is a link to ${linkname}, which is not inside` }];
    });
  },
};
