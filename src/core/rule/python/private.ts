import type { Rule } from '../rule.ts';
import { requirementsOf } from './direct-reference.ts';

export const privateProject: Rule = {
  id: 'python/private',
  forms: ['wheel', 'sdist'],
  severity: 'refuse',
  what: 'No classifier says that the project is private',
  why: 'A classifier that begins with `Private ::` is there so that indexes reject the upload',
  fix: 'Remove the classifier if this is meant to be published; for an index of your own, make an exception for this rule',
  example: 'Classifier: Private :: Do Not Upload',
  check: ({ manifest }) =>
    requirementsOf(manifest?.json['Classifier'])
      .filter((text) => /^\s*private\s*::/i.test(text))
      .map((text) => ({ path: manifest?.path ?? null, message: `its classifier is "${text}"` })),
};
