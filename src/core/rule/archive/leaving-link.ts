import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { linkLeaves } from '../../contents/safe-path.ts';
import { foldersIn, pathsIn } from '../../form/artifact.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

/** What belongs to users, to running programs or to whoever was there last. */
const privatePlace = /^(?:home|root|tmp|var\/tmp|run\/user|mnt|media|proc|srv|Users|build|usr\/local)(?:\/|$)/;

/** Where a link leads on the system it is installed on, without the first `/`; null above its root. */
function placeOnSystem(path: string, linkname: string, isHardlink: boolean): string | null {
  if (linkname.startsWith('/')) return joinPath('', linkname.replace(/^\/+/, ''));
  const place = joinPath(isHardlink ? '' : parentOf(path), linkname);
  return place.startsWith('..') ? null : place;
}

export const leavingLink: Rule = {
  id: 'archive/leaving-link',
  forms: allForms,
  severity: 'refuse',
  what: 'Links point to existing entries of the artifact',
  why: "A link to the outside shows the user's own files; a dangling link is a missing file",
  fix: 'Include a copy instead of the link, or correct its target',
  example: 'lib/tide.h -> ../../../usr/include/tide.h',
  check: (artifact, { isPartial }) => {
    const { entries, form } = artifact;
    return entries.flatMap(({ path, type, linkname }): RawFinding[] => {
      if (linkname === null) return [];
      // What is laid out from the root of the system may have absolute links.
      const { links } = formDefinitions[form].entries;
      if (links === 'from-root') {
        const place = placeOnSystem(path, linkname, type === 'hardlink');
        const isOutside = place === null || privatePlace.test(place);
        return isOutside ? [{ path, message: `it links to ${linkname}, which no package owns` }] : [];
      }
      if (linkLeaves(path, linkname, type === 'hardlink'))
        return [{ path, message: `it links outside the artifact, to ${linkname}` }];
      if (links === 'dropped')
        return [{ path, message: `it links to ${linkname}; installers of this form ignore links` }];
      const target = joinPath(type === 'hardlink' ? '' : parentOf(path), linkname);
      const isThere = pathsIn(artifact).has(target) || foldersIn(artifact).has(target);
      // The rest of its release may have it.
      return isThere || isPartial ? [] : [{ path, message: `it links to ${linkname}, which does not exist` }];
    });
  },
};
