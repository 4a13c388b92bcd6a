import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const rangeMissing: Rule = {
  id: 'metadata/range-missing',
  forms: allForms,
  severity: 'note',
  what: 'The manifest declares the supported versions of Node.js or Python',
  why: 'Without it, installers choose the newest release even for interpreters that cannot run it',
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
