import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const descriptionMissing: Rule = {
  id: 'metadata/description-missing',
  forms: allForms,
  severity: 'refuse',
  what: 'The manifest has a description',
  why: 'Index pages and search results show it; without one, users cannot see what the package is for',
  fix: 'Add one sentence as `description` to the manifest',
  example: '"description": ""',
  check: ({ form, manifest }) =>
    manifest === null || manifest.common.description !== null || !formDefinitions[form].needsDescription
      ? []
      : [{ path: manifest.path, message: 'it has no description' }],
};
