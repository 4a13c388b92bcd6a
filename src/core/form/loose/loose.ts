import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { contentsNeeded } from '../contents-needed.ts';
import type { Layout } from '../layout.ts';
import { plannedFile } from '../plan.ts';

/** Files of a release folder that a tree must not write over. */
const reserved = /^(?:CONTENTS\.json|SHA256SUMS|NOTES\.md|release\.json|[^/]+\.(?:spdx|cdx)\.json)$/i;

/** A tree of files at the paths that the rules give them; each becomes an artifact of its own. */
export const loose: Layout = {
  select: async ({ packageName, artifact }) => {
    throw contentsNeeded(packageName, artifact.form, []);
  },
  plan: async ({ packageName }, staged) => {
    const taken = staged.find(({ path }) => reserved.test(path));
    if (taken !== undefined)
      throw new BevelstoneError('CONTENTS_COLLISION', {
        message: `${taken.path} of ${packageName} cannot be a loose file`,
        why: 'the release folder has a file of that name itself',
        fix: 'Put the tree into a folder of its own with `to`',
        where: { file: 'bevelstone.yaml' },
      });
    return {
      fileName: '',
      container: 'file',
      entries: staged.map((staged) => plannedFile(staged)),
      comment: null,
      metadata: '',
    };
  },
};
