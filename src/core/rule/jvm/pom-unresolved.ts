import { objectOf, textOf } from '../../manifest/fields.ts';
import { parsePom } from '../../manifest/pom-xml.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const pomUnresolved: Rule = {
  id: 'jvm/pom-unresolved',
  forms: ['pom'],
  severity: 'refuse',
  what: 'What a POM says of itself and of its dependencies can be resolved on any machine',
  why: 'Users get "could not resolve dependencies", and a published POM cannot be changed',
  fix: 'Define the property in <properties>, or write its value; replace `system` by a dependency that a repository has',
  example: 'a version by a property that no <properties> defines, or <scope>system</scope>',
  check: ({ manifest, texts }) => {
    if (manifest === null) return [];
    const { path } = manifest;
    const project = parsePom(texts.get(path) ?? '', path);
    // A parent may define what this file does not.
    const isKnown = project['parent'] === undefined ? definedIn(project) : () => true;
    const managed = dependenciesOf(project['dependencyManagement']);
    const found: RawFinding[] = ['groupId', 'artifactId', 'version'].flatMap((name) =>
      undefinedIn(project[name], isKnown).map((property) => ({
        path,
        message: `its ${name} names the property ${property}, which is not defined`,
      })),
    );
    for (const item of [...dependenciesOf(project), ...managed]) {
      const name = `${textOf(item['groupId']) ?? '?'}:${textOf(item['artifactId']) ?? '?'}`;
      for (const field of ['groupId', 'artifactId', 'version', 'classifier'])
        for (const property of undefinedIn(item[field], isKnown))
          found.push({ path, message: `the ${field} of ${name} names the property ${property}, which is not defined` });
      if (textOf(item['scope']) === 'system' || item['systemPath'] !== undefined)
        found.push({ path, message: `${name} has the scope "system": it is a file of the machine that built this` });
    }
    return found;
  },
};

function dependenciesOf(value: unknown): Readonly<Record<string, unknown>>[] {
  return [objectOf(objectOf(value)['dependencies'])['dependency'] ?? []].flat().map(objectOf);
}

/** Properties that Maven has by itself ("POM reference", "Properties"), and those of the file, its profiles included. */
function definedIn(project: Readonly<Record<string, unknown>>): (name: string) => boolean {
  const profiles = [objectOf(project['profiles'])['profile'] ?? []].flat().map(objectOf);
  const names = new Set([project, ...profiles].flatMap((part) => Object.keys(objectOf(part['properties']))));
  return (name) => names.has(name) || /^(?:project\.|pom\.|basedir$|java\.|os\.|maven\.)/.test(name);
}

function undefinedIn(value: unknown, isKnown: (name: string) => boolean): string[] {
  return [...(textOf(value) ?? '').matchAll(/\$\{([^}]*)\}/g)]
    .map(([, name = '']) => name)
    .filter((name) => !isKnown(name));
}
