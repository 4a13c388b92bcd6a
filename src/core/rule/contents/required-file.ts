import { insidePaths } from '../../form/artifact.ts';
import { globMatcher } from '../../text/glob.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const requiredFile: Rule = {
  id: 'contents/required-file',
  forms: allForms,
  severity: 'refuse',
  needsWhole: true,
  what: 'All paths in `verify.require` exist',
  why: 'A build that lost a target would otherwise be uploaded without notice',
  fix: 'Create the file in a build step and include it with a `files` rule, or correct `verify.require`',
  example: 'require: [dist/browser.js] and only dist/node.js inside',
  check: (artifact, { require }) => {
    const paths = insidePaths(artifact);
    return require
      .filter((glob) => !paths.some(globMatcher([glob])))
      .map((glob) => ({ path: glob, message: 'no file matches this required path' }));
  },
};
