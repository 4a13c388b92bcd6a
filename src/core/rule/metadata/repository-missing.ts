import { objectOf, textOf } from '../../manifest/fields.ts';
import type { Rule } from '../rule.ts';

export const repositoryMissing: Rule = {
  id: 'metadata/repository-missing',
  severity: 'warn',
  what: 'The manifest says where the source is',
  why: 'Without it nobody can look up what a shipped file came from, or report what is wrong with it',
  fix: 'Add `repository`, a Source link in `[project.urls]`, or <repository>',
  example: 'a package.json without "repository"',
  check: ({ manifest, form }) => {
    if (manifest === null || namesRepository(form, manifest.json)) return [];
    return [{ path: manifest.path, message: 'it does not say where the source is' }];
  },
};

function namesRepository(form: string, json: Readonly<Record<string, unknown>>): boolean {
  if (form === 'npm-tarball')
    return textOf(json['repository']) !== null || textOf(objectOf(json['repository'])['url']) !== null;
  if (form === 'nupkg')
    return textOf(objectOf(json['repository'])['@url']) !== null || textOf(json['projectUrl']) !== null;
  if (form === 'wheel' || form === 'sdist')
    return json['Project-URL'] !== undefined || textOf(json['Home-page']) !== null;
  return true;
}
