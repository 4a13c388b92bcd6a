import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const rangeMissing: Rule = {
  id: 'metadata/range-missing',
  forms: allForms,
  severity: 'note',
  what: 'The manifest says which versions of Node.js or Python the package is for',
  why: 'Without it installers put the newest release on interpreters that cannot run it, instead of the last that could',
  fix: 'Add `engines.node`, or `requires-python`',
  example: 'no "engines" in package.json',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    const runtime = formDefinitions[form].metadata.runtime(manifest.json);
    if (runtime === null || runtime.range !== null) return [];
    const message = `${runtime.field} does not say which versions of ${runtime.title} it runs on`;
    return [{ path: manifest.path, message }];
  },
};
