import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, dependencyReading, lockedPackage } from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/** `vcpkg.json`: names of ports, with versions where the manifest overrides those of its baseline. */
export const readVcpkgManifest: DependencyReader = (text, { file }) => {
  const manifest = parsePackageJson(text, file);
  const overrides = new Map(
    objectsOf(manifest['overrides']).map((item) => [textOf(item['name']), versionOf(item)] as const),
  );
  const features = Object.values(objectOf(manifest['features'])).map(objectOf);
  const wanted = [
    ...itemsOf(manifest['dependencies'], 'run'),
    ...features.flatMap((feature) => itemsOf(feature['dependencies'], 'optional')),
  ];
  const baseline = textOf(manifest['builtin-baseline']);
  const unknown: string[] = [];
  const packages = wanted.map(({ name, item }) => {
    const version = overrides.get(name) ?? null;
    const least = textOf(item['version>=']);
    if (version === null)
      unknown.push(
        `${file} leaves open which version of ${name} is used${baseline === null ? '' : `: the one of baseline ${baseline.slice(0, 12)}`}`,
      );
    const parts = [
      least === null ? null : `at least ${least}`,
      textOf(item['platform']) === null ? null : `only where ${textOf(item['platform'])}`,
    ].filter((part) => part !== null);
    return lockedPackage({
      key: name,
      type: 'generic',
      name,
      version,
      comment: ['a port of vcpkg', ...parts].join('; '),
    });
  });
  if (wanted.length > 0) unknown.push(`${file} names what it needs itself; what that needs in turn only the ports say`);
  const needs = wanted.map(({ name, kind }) => ({ key: name, kind }));
  return dependencyReading({ format: 'vcpkg manifest', packages, roots: new Map([['', needs]]), unknown });
};

/** A dependency is a name or a table; one for the host is a tool of the build. */
function itemsOf(
  list: unknown,
  kind: DependencyKind,
): { readonly name: string; readonly item: Json; readonly kind: DependencyKind }[] {
  return (Array.isArray(list) ? list : []).flatMap((value) => {
    const item = objectOf(value);
    const name = textOf(value) ?? textOf(item['name']);
    return name === null ? [] : [{ name, item, kind: item['host'] === true ? 'build' : kind }];
  });
}

function versionOf(item: Json): string | null {
  const fields = ['version', 'version-semver', 'version-date', 'version-string'];
  return fields.map((field) => textOf(item[field])).find((value) => value !== null) ?? null;
}
