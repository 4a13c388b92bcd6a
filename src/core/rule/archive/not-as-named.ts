import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const notAsNamed: Rule = {
  id: 'archive/not-as-named',
  forms: allForms,
  severity: 'refuse',
  what: 'An artifact is of the form that its name says, with a manifest that can be read',
  why: 'Installers go by the name and stop at what they do not find, after the upload',
  fix: 'Build it with `bevelstone build`, or give it the name of what it is',
  example: 'tidemark-1.4.0.tgz without package.json, or a .whl without WHEEL',
  check: ({ form, entries, manifest, problem }) => {
    const { naming } = formDefinitions[form];
    const missing = (naming?.parts ?? []).filter(({ path }) => !entries.some((entry) => path.test(entry.path)));
    const found = missing.map(({ name }) => ({ path: null, message: `${name} is missing; every ${form} has one` }));
    if (problem !== null)
      return [...found, { path: manifest?.path ?? null, message: `its manifest cannot be read: ${problem}` }];
    const isUnread = manifest === null && naming !== null && naming.parts.length > 0 && found.length === 0;
    return isUnread ? [{ path: null, message: 'its manifest is too large to be read' }] : found;
  },
};
