import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const repositoryMissing: Rule = {
  id: 'metadata/repository-missing',
  forms: allForms,
  severity: 'warn',
  what: 'The manifest links to the source repository',
  why: 'Without it users cannot find the source of a shipped file or report a problem',
  fix: 'Add `repository`, a Source link in `[project.urls]`, or <repository>',
  example: 'a package.json without "repository"',
  check: ({ manifest, form }) => {
    if (manifest === null || formDefinitions[form].metadata.namesRepository(manifest.json)) return [];
    return [{ path: manifest.path, message: 'it has no link to the source repository' }];
  },
};
