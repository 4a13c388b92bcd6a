import { parsePom } from '../../manifest/pom-xml.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const pomIncomplete: Rule = {
  id: 'jvm/pom-incomplete',
  forms: ['pom'],
  severity: 'warn',
  what: 'A POM has the elements that public repositories require, and resolves on any machine',
  why: 'Most public repositories reject a POM without name, description, URL, licence, developers and source',
  fix: 'Add the elements, and write versions instead of properties that are not defined in the file',
  example: 'a POM without <licenses>',
  check: ({ manifest, texts }) => {
    if (manifest === null) return [];
    const { path, common } = manifest;
    const project = parsePom(texts.get(path) ?? '', path);
    const found: RawFinding[] = [];
    // A parent that is published beside it may have them.
    for (const element of ['name', 'description', 'url', 'licenses', 'developers', 'scm'])
      if (project[element] === undefined && project['parent'] === undefined)
        found.push({ path, message: `it has no <${element}>` });
    if (common.version === null)
      found.push({ path, message: 'its version is missing or names a property', severity: 'warn' });
    for (const { name, range } of common.dependencies)
      if (/SNAPSHOT$/.test(range) && common.version?.endsWith('SNAPSHOT') === false)
        found.push({ path, message: `it depends on ${name} ${range}, whose content can change without a new version` });
    return found;
  },
};
