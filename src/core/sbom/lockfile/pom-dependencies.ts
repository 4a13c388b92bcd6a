import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parsePom } from '../../manifest/pom-xml.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, lockedPackage, type ReadingContext } from './reading.ts';

const scopes: Readonly<Record<string, DependencyKind>> = { test: 'development', provided: 'peer', system: 'peer' };

/**
 * `pom.xml` with what can be resolved without a network: properties and managed versions of the file itself and of parents in the
 * workspace (Maven POM reference, "Dependencies", "Inheritance").
 */
export const readPomDependencies: DependencyReader = (text, context) => {
  const chain = parents(text, context);
  const properties = new Map<string, string>();
  const managed = new Map<string, string>();
  for (const project of [...chain].reverse()) {
    for (const [name, value] of Object.entries(objectOf(project['properties']))) properties.set(name, shownText(value));
    for (const name of ['groupId', 'version']) {
      const value = textOf(project[name]) ?? textOf(objectOf(project['parent'])[name]);
      if (value !== null) properties.set(`project.${name}`, value);
    }
    for (const item of dependenciesOf(objectOf(project['dependencyManagement'])))
      managed.set(`${shownText(item['groupId'])}:${shownText(item['artifactId'])}`, shownText(item['version'] ?? ''));
  }
  const fill = (value: unknown): string | null => {
    let filled = textOf(value) ?? '';
    for (let round = 0; round < 5 && filled.includes('${'); round++)
      filled = filled.replace(/\$\{([^}]+)\}/g, (whole, name: string) => properties.get(name) ?? whole);
    return filled === '' || filled.includes('${') ? null : filled.trim();
  };
  const unknown: string[] = [];
  const direct = chain
    .flatMap((project) => dependenciesOf(project))
    .map((item) => {
      const name = `${fill(item['groupId']) ?? '?'}:${fill(item['artifactId']) ?? '?'}`;
      const version =
        fill(item['version']) ?? fill(managed.get(`${shownText(item['groupId'])}:${shownText(item['artifactId'])}`));
      const fixed = version === null || /[[(,]/.test(version) ? null : version;
      if (fixed === null) unknown.push(`${context.file} does not say which version of ${name} is used`);
      const kind: DependencyKind =
        shownText(item['optional']) === 'true' ? 'optional' : (scopes[textOf(item['scope']) ?? ''] ?? 'run');
      return { key: name, kind, locked: lockedPackage({ key: name, type: 'maven', name, version: fixed }) };
    });
  if (direct.length > 0)
    unknown.push(`${context.file} names what it needs itself; what that needs in turn is known to a repository only`);
  return {
    format: 'POM',
    packages: [...new Map(direct.map(({ key, locked }) => [key, locked])).values()],
    roots: new Map([['', direct.map(({ key, kind }) => ({ key, kind }))]]),
    unknown,
  };
};

type Project = Readonly<Record<string, unknown>>;

/** The project and its parents as far as they lie beside it. */
function parents(text: string, { file, beside }: ReadingContext): Project[] {
  const chain: Project[] = [parsePom(text, file)];
  for (let place = ''; chain.length < 8; ) {
    const parent = objectOf(chain.at(-1)?.['parent']);
    const path = parent['artifactId'] === undefined ? null : (textOf(parent['relativePath']) ?? '../pom.xml');
    if (path === null || parent['relativePath'] === '') break;
    place = `${place}${path.endsWith('.xml') ? path : `${path}/pom.xml`}`;
    const other = beside(place);
    if (other === null) break;
    chain.push(parsePom(other, place));
    place = place.slice(0, place.lastIndexOf('/') + 1);
  }
  return chain;
}

function dependenciesOf(project: Project): Project[] {
  return [objectOf(project['dependencies'])['dependency'] ?? []].flat().map(objectOf);
}
