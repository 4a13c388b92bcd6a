import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { parseXml } from '../../manifest/xml.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, dependencyReading, lockedPackage, type ReadingContext } from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/** Attributes stand under their names with `@` before. */
const attributes = { ignoreAttributes: false, attributeNamePrefix: '@' } as const;

/** How far up a `Directory.Packages.props` is looked for. */
const furthest = 6;

/**
 * Package references of a project of .NET, with versions from the nearest `Directory.Packages.props` (the package manager's
 * reference, "PackageReference in project files", "Central Package Management"). A lockfile beside it says more.
 */
export const readDotnetProject: DependencyReader = (text, context) => {
  const { file, beside } = context;
  const project = objectOf(parseXml(text, file, attributes)['Project']);
  if (beside('packages.lock.json') !== null)
    return dependencyReading({ format: 'project file', packages: [], roots: new Map() });
  const central = centralVersions(context);
  const unknown: string[] = [];
  const found = items(project, 'PackageReference')
    .concat(central.global)
    .flatMap((item) => {
      const name = textOf(item['Include']);
      if (name === null) return [];
      const range =
        [item['VersionOverride'], item['Version'], central.versions.get(name.toLowerCase())]
          .map(textOf)
          .find((part) => part !== null) ?? null;
      const version = lowest(range);
      const condition = textOf(item['Condition']);
      const comment = condition === null ? null : `only where ${condition.trim()}`;
      if (version === null)
        unknown.push(`${file} leaves open which version of ${name} is used (${range ?? 'none is named'})`);
      return [{ kind: kindOf(item), pkg: lockedPackage({ key: name, type: 'nuget', name, version, comment }) }];
    });
  if (found.length > 0)
    unknown.push(`${file} names what it needs itself; what that needs in turn only a packages.lock.json would say`);
  return dependencyReading({
    format: 'project file',
    packages: found.map(({ pkg }) => pkg),
    roots: new Map([['', found.map(({ pkg, kind }) => ({ key: pkg.key, kind }))]]),
    unknown,
  });
};

/** What is only for the build of the project itself is kept from its users. */
function kindOf(item: Json): DependencyKind {
  return /^all$/i.test(textOf(item['PrivateAssets'])?.trim() ?? '') ? 'development' : 'run';
}

/** The lowest version of a range is the one that is restored ("Dependency resolution": lowest applicable version). */
function lowest(range: string | null): string | null {
  const [, plain] = /^\s*\[?\s*(\d[\w.+-]*)\s*(?:\]|,.*)?\s*$/.exec(range ?? '') ?? [];
  return plain === undefined || plain.includes('*') ? null : plain;
}

function centralVersions({ beside }: Pick<ReadingContext, 'beside'>): {
  readonly versions: ReadonlyMap<string, string>;
  readonly global: readonly Json[];
} {
  for (let up = 0; up <= furthest; up++) {
    const name = `${'../'.repeat(up)}Directory.Packages.props`;
    const text = beside(name);
    if (text === null) continue;
    const project = objectOf(parseXml(text, name, attributes)['Project']);
    const versions = items(project, 'PackageVersion').flatMap((item) => {
      const [id, version] = [textOf(item['Include']), textOf(item['Version'])];
      return id === null || version === null ? [] : [[id.toLowerCase(), version] as const];
    });
    return {
      versions: new Map(versions),
      global: items(project, 'GlobalPackageReference').map((item) => ({ PrivateAssets: 'all', ...item })),
    };
  }
  return { versions: new Map(), global: [] };
}

/** Items of a name in every group; what stands in attributes and in elements counts alike. */
function items(project: Json, name: string): Json[] {
  return [project['ItemGroup'] ?? []].flat().flatMap((group) => {
    const condition = textOf(objectOf(group)['@Condition']);
    return objectsOf([objectOf(group)[name] ?? []].flat()).map((item) => ({
      ...(condition === null ? {} : { Condition: condition }),
      ...Object.fromEntries(Object.entries(item).map(([key, value]) => [key.replace(/^@/, ''), value])),
    }));
  });
}
