import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import type { DependencyKind } from '../sbom.ts';
import {
  type DependencyReader,
  type DependencyReading,
  dependencyReading,
  type LockedPackage,
  lockedPackage,
  type Need,
} from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

const lists: readonly (readonly [string, DependencyKind])[] = [
  ['requires', 'run'],
  ['build_requires', 'build'],
  ['python_requires', 'build'],
];

/** `conan.lock` of versions 0.4, a graph, and 0.5, lists of references without edges. */
export const readConanLock: DependencyReader = (text, { file, beside }) => {
  const lock = parsePackageJson(text, file);
  const version = shownText(lock['version'] ?? '');
  if (version === '0.4') return readGraph(lock, file);
  if (version !== '0.5') return null;
  const unknown: string[] = [];
  const packages: LockedPackage[] = [];
  const needs: Need[] = [];
  const direct = directNames(beside('conanfile.txt') ?? '');
  for (const [field, kind] of lists)
    for (const item of [lock[field] ?? []].flat()) {
      // A reference may stand in a list with its packages.
      const pkg = toPackage(shownText(Array.isArray(item) ? item[0] : item));
      if (pkg === null) unknown.push(`${file}: "${shownText(item).slice(0, 80)}" is no reference to a package`);
      else {
        packages.push(pkg);
        needs.push({ key: pkg.key, kind, ...(direct.size > 0 && !direct.has(pkg.name) ? { isIndirect: true } : {}) });
      }
    }
  const names = new Set(packages.map(({ name }) => name));
  const absent = [...direct].filter((name) => !names.has(name));
  if (absent.length > 0) unknown.push(`${file} has nothing for ${absent.join(', ')}, which conanfile.txt asks for`);
  return dependencyReading({ format: `conan lockfile ${version}`, packages, roots: new Map([['', needs]]), unknown });
};

function readGraph(lock: Json, file: string): DependencyReading {
  const nodes = Object.entries(objectOf(objectOf(lock['graph_lock'])['nodes'])).map(
    ([id, node]) => [id, objectOf(node)] as const,
  );
  const unknown: string[] = [];
  const made = new Map<string, LockedPackage>();
  for (const [id, node] of nodes) {
    const pkg = toPackage(textOf(node['ref']) ?? '');
    // The node of the project itself may have a path only.
    if (pkg !== null && node['path'] === undefined) made.set(id, { ...pkg, key: id });
    else if (pkg === null && node['path'] === undefined) unknown.push(`${file}: node ${id} names no package`);
  }
  const needsOf = (node: Json): Need[] =>
    (['requires', 'build_requires'] as const).flatMap((field) =>
      [node[field] ?? []].flat().flatMap((id) => {
        const key = shownText(id);
        return made.has(key) ? [{ key, kind: field === 'requires' ? ('run' as const) : ('build' as const) }] : [];
      }),
    );
  const root = nodes.filter(([id]) => !made.has(id)).flatMap(([, node]) => needsOf(node));
  const packages = nodes.flatMap(([id, node]) => {
    const pkg = made.get(id);
    return pkg === undefined ? [] : [{ ...pkg, needs: needsOf(node) }];
  });
  return dependencyReading({ format: 'conan lockfile 0.4', packages, roots: new Map([['', root]]), unknown });
}

/** `name/version@user/channel#revision:package%time` (the client's documentation, "References"). */
function toPackage(reference: string): LockedPackage | null {
  const [, name, version, user, channel, revision] =
    /^([\w.+-]+)\/([^@#:%\s]+)(?:@([^/#:%\s]*)(?:\/([^#:%\s]*))?)?(?:#([^:%\s]*))?(?:[:%].*)?$/.exec(reference) ?? [];
  if (name === undefined || version === undefined) return null;
  const known = { user, channel, rrev: revision };
  const qualifiers = Object.fromEntries(
    Object.entries(known).filter(
      (pair): pair is [string, string] => pair[1] !== undefined && pair[1] !== '' && pair[1] !== '_',
    ),
  );
  return lockedPackage({ key: reference, type: 'conan', name, version, qualifiers });
}

/** Names below `[requires]` and the like. */
function directNames(text: string): Set<string> {
  const names = new Set<string>();
  let isNeeds = false;
  for (const line of text.split(/\r?\n/).map((line) => line.trim())) {
    if (line.startsWith('[')) isNeeds = /^\[(?:tool_|build_|test_)?requires\]$/.test(line);
    const name = /^([\w.+-]+)\//.exec(line)?.[1];
    if (isNeeds && name !== undefined) names.add(name);
  }
  return names;
}
