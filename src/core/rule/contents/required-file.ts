import { insidePaths } from '../../form/artifact.ts';
import { globMatcher } from '../../text/glob.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const requiredFile: Rule = {
  id: 'contents/required-file',
  forms: allForms,
  severity: 'refuse',
  what: 'Everything that `verify.require` lists is inside',
  why: 'A build that lost one of its targets still packs and uploads without a word',
  fix: 'Let a build step make the file and a `files` rule take it, or correct `verify.require`',
  example: 'require: [dist/browser.js] and only dist/node.js inside',
  check: (artifact, { require }) => {
    const paths = insidePaths(artifact);
    return require
      .filter((glob) => !paths.some(globMatcher([glob])))
      .map((glob) => ({ path: glob, message: 'nothing inside matches this required path' }));
  },
};
