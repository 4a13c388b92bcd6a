import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parsePom } from '../../manifest/pom-xml.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, dependencyReading, lockedPackage, type ReadingContext } from './reading.ts';

const scopes: Readonly<Record<string, DependencyKind>> = { test: 'development', provided: 'peer', system: 'peer' };

type Project = Readonly<Record<string, unknown>>;

/**
 * `pom.xml` with what can be resolved without a network: properties, managed versions and scopes of the file itself and of
 * parents in the workspace (Maven POM reference, "Dependencies", "Dependency Management", "Inheritance").
 */
export const readPomDependencies: DependencyReader = (text, context) => {
  const { file } = context;
  // Beside a Gradle lockfile the POM is what is published; the lockfile knows versions.
  if (context.beside('gradle.lockfile') !== null)
    return dependencyReading({ format: 'POM', packages: [], roots: new Map() });
  const { chain, unknown } = parents(text, context);
  const fill = filler(chain);
  const managed = new Map<string, Project>();
  for (const project of [...chain].reverse())
    for (const item of dependenciesOf(objectOf(project['dependencyManagement']))) {
      if (item['scope'] === 'import')
        unknown.push(
          `${file} takes versions from ${fill(item['groupId'])}:${fill(item['artifactId'])}, which only a repository has`,
        );
      managed.set(placeOf(item, fill), item);
    }
  const found = new Map<string, { readonly kind: DependencyKind; readonly pkg: ReturnType<typeof lockedPackage> }>();
  for (const item of [...chain].reverse().flatMap((project) => dependenciesOf(project))) {
    const key = placeOf(item, fill);
    const more = managed.get(key);
    const name = `${fill(item['groupId']) ?? '?'}:${fill(item['artifactId']) ?? '?'}`;
    const version = fill(item['version']) ?? fill(more?.['version']);
    const fixed = version === null || /[[(,]/.test(version) ? null : version;
    if (fixed === null) unknown.push(`${file} does not say which version of ${name} is used`);
    const scope = fill(item['scope']) ?? fill(more?.['scope']) ?? 'compile';
    const isOptional = fill(item['optional']) === 'true';
    const [classifier, type] = [fill(item['classifier']), fill(item['type'])];
    const qualifiers = {
      ...(classifier === null ? {} : { classifier }),
      ...(type === null || type === 'jar' ? {} : { type }),
    };
    const kind = scopes[scope] ?? (isOptional ? 'optional' : 'run');
    found.set(key, { kind, pkg: lockedPackage({ key, type: 'maven', name, version: fixed, qualifiers }) });
  }
  if (found.size > 0)
    unknown.push(`${file} names what it needs itself; what that needs in turn is known to a repository only`);
  const profiles = [objectOf(objectOf(chain[0])['profiles'])['profile'] ?? []].flat().map(objectOf);
  if (profiles.some((profile) => dependenciesOf(profile).length > 0))
    unknown.push(`${file} needs more under some of its profiles, which are not read`);
  return dependencyReading({
    format: 'POM',
    packages: [...found.values()].map(({ pkg }) => pkg),
    roots: new Map([['', [...found].map(([key, { kind }]) => ({ key, kind }))]]),
    unknown,
  });
};

type Fill = (value: unknown) => string | null;

/** Replaces properties by their values; what stays open is null. */
function filler(chain: readonly Project[]): Fill {
  const properties = new Map<string, string>();
  for (const project of [...chain].reverse()) {
    for (const [name, value] of Object.entries(objectOf(project['properties']))) properties.set(name, shownText(value));
    const parent = objectOf(project['parent']);
    for (const name of ['groupId', 'artifactId', 'version']) {
      const inherited = textOf(parent[name]);
      const value = textOf(project[name]) ?? (name === 'artifactId' ? null : inherited);
      if (inherited !== null) properties.set(`project.parent.${name}`, inherited);
      if (value !== null) for (const prefix of ['project.', 'pom.']) properties.set(`${prefix}${name}`, value);
    }
  }
  return (value) => {
    let filled = textOf(value) ?? (typeof value === 'boolean' ? String(value) : '');
    for (let round = 0; round < 5 && filled.includes('${'); round++)
      filled = filled.replace(/\$\{([^}]+)\}/g, (whole, name: string) => properties.get(name) ?? whole);
    return filled === '' || filled.includes('${') || filled.length > 1000 ? null : filled.trim();
  };
}

/** By what Maven tells dependencies apart ("Dependency Management": groupId, artifactId, type, classifier). */
function placeOf(item: Project, fill: Fill): string {
  return [item['groupId'], item['artifactId'], item['type'] ?? 'jar', item['classifier'] ?? '']
    .map((part) => fill(part) ?? '')
    .join(':');
}

/** The project and its parents as far as they lie beside it. */
function parents(
  text: string,
  { file, beside }: ReadingContext,
): { readonly chain: Project[]; readonly unknown: string[] } {
  const chain: Project[] = [parsePom(text, file)];
  const unknown: string[] = [];
  for (let folder = ''; chain.length < 8; ) {
    const parent = objectOf(chain.at(-1)?.['parent']);
    if (parent['artifactId'] === undefined) return { chain, unknown };
    const written = textOf(parent['relativePath']);
    const place = joinPath(folder, written ?? '../pom.xml');
    const path = place.endsWith('.xml') ? place : joinPath(place, 'pom.xml');
    const isNearby = parent['relativePath'] === undefined || written !== null;
    const other = isNearby ? beside(path) : null;
    const found = other === null ? null : parsePom(other, path);
    // A neighbour with other coordinates is not the parent.
    if (found === null || textOf(found['artifactId']) !== textOf(parent['artifactId'])) {
      unknown.push(
        `${file} has the parent ${shownText(parent['groupId'])}:${shownText(parent['artifactId'])}, which only a repository has`,
      );
      return { chain, unknown };
    }
    chain.push(found);
    folder = parentOf(path);
  }
  return { chain, unknown };
}

function dependenciesOf(project: Project): Project[] {
  return [objectOf(project['dependencies'])['dependency'] ?? []].flat().map(objectOf);
}
