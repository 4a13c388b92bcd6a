import { insidePaths } from '../../form/artifact.ts';
import { globMatcher } from '../../text/glob.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const forbiddenFile: Rule = {
  id: 'contents/forbidden-file',
  forms: allForms,
  severity: 'refuse',
  what: 'No file matches `verify.forbid`',
  why: 'Tests, fixtures and working files make packages large and can reveal internal data',
  fix: "Leave the file out with `except` or the manifest's `files`",
  example: 'forbid: ["**/*.test.*"] and src/tide.test.js inside',
  check: (artifact, { forbid }) => {
    if (forbid.length === 0) return [];
    const isForbidden = globMatcher(forbid);
    return insidePaths(artifact)
      .filter((path) => isForbidden(path))
      .map((path) => ({ path, message: 'it matches `verify.forbid`' }));
  },
};
