import { objectOf, objectsOf, shownText, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { hexDigest } from '../digest.ts';
import { groupBy } from '../group-by.ts';
import type { DependencyKind, Digest } from '../sbom.ts';
import {
  type DependencyReading,
  kindOf,
  type LockedPackage,
  lockedPackage,
  memberKey,
  type Need,
  needsIn,
  type ReadingContext,
} from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/** Needs of one entry for another: by name, and by version where several versions of one project are locked. */
export type PythonNeed = {
  readonly name: string;
  readonly version: string | null;
  readonly kind: DependencyKind;
  /** Under a condition: what is never needed on any platform of the project is not locked. */
  readonly isConditional?: boolean;
};

/** One entry of a lockfile of Python. */
export type PythonEntry = {
  readonly name: string;
  readonly version: string | null;
  readonly needs: readonly PythonNeed[];
  readonly facts: Partial<LockedPackage>;
  /** Folder of a package of the workspace, from the lockfile; null for one from elsewhere. */
  readonly folder: string | null;
  /** Why it is there, where the lockfile says so and not through which need. */
  readonly kind: DependencyKind | null;
};

/** Packages of a lockfile, and a function that finds what a need means. */
export function pythonPackages(
  entries: readonly PythonEntry[],
  file: string,
): {
  readonly packages: LockedPackage[];
  readonly find: (need: Pick<PythonNeed, 'name' | 'version'>) => string[];
  readonly unknown: string[];
} {
  const byName = groupBy(entries, ({ name }) => name);
  const unknown: string[] = [];
  const find = ({ name, version }: Pick<PythonNeed, 'name' | 'version'>) =>
    (byName.get(name) ?? [])
      .filter((entry) => version === null || entry.version === version)
      .map((entry) => (entry.folder === null ? keyOf(entry) : memberKey(entry.folder)));
  const packages = entries
    .filter(({ folder }) => folder === null)
    .map((entry) => {
      if (
        entry.version === null &&
        Object.keys(entry.facts.qualifiers ?? {}).length === 0 &&
        entry.facts.location == null
      )
        unknown.push(`${file} gives no version for ${entry.name}`);
      const needs = entry.needs.flatMap((need) => {
        const keys = find(need);
        if (keys.length === 0 && need.kind === 'run' && need.isConditional !== true)
          unknown.push(`${file} has no entry for ${need.name}, which ${entry.name} needs`);
        return keys.map((key) => ({ key, kind: need.kind }));
      });
      return lockedPackage({
        key: keyOf(entry),
        type: 'pypi',
        name: entry.name,
        version: entry.version,
        ...entry.facts,
        needs: [...new Map(needs.map((need) => [need.key, need])).values()],
      });
    });
  return { packages, find, unknown };
}

/**
 * Direct needs of the folder of the lockfile, which the manifest names; entries that nothing in the file needs are installed all
 * the same, and are needed indirectly.
 * @param indirect the kind of an entry that no need leads to.
 */
export function pythonRoots(
  { packages, find }: Pick<ReturnType<typeof pythonPackages>, 'packages' | 'find'>,
  { manifests }: Pick<ReadingContext, 'manifests'>,
  indirect: (pkg: LockedPackage) => DependencyKind,
): Pick<DependencyReading, 'roots' | 'asked'> {
  const asked = needsIn(manifests.get('')).filter(({ kind }) => kind !== 'build');
  const direct = asked.flatMap((need): Need[] =>
    find({ name: need.name, version: null }).map((key) => ({ key, kind: kindOf(need) })),
  );
  const byKey = new Map(packages.map((pkg) => [pkg.key, pkg]));
  const reached = new Set(direct.map(({ key }) => key));
  for (const key of reached) for (const need of byKey.get(key)?.needs ?? []) reached.add(need.key);
  const needed = new Set(packages.flatMap(({ needs }) => needs.map(({ key }) => key)));
  const rest = packages
    .filter(({ key }) => !reached.has(key) && (asked.length > 0 || !needed.has(key)))
    .map((pkg): Need => ({ key: pkg.key, kind: indirect(pkg), ...(asked.length > 0 ? { isIndirect: true } : {}) }));
  const found = asked.filter(({ name }) => find({ name, version: null }).length > 0);
  return {
    roots: new Map([['', [...direct, ...rest]]]),
    asked: new Map([['', new Map(found.map(({ name }) => [name, null] as const))]]),
  };
}

function keyOf({ name, version, facts }: PythonEntry): string {
  return `${name}@${version ?? ''}${facts.qualifiers?.['vcs_url'] ?? ''}`;
}

/** `sha256:…` of the files of an entry, and the first text that is none. */
export function fileDigests(hashes: readonly (string | null)[]): {
  readonly found: Digest[];
  readonly badDigest: string | null;
} {
  const parts = hashes.filter((hash) => hash !== null);
  const digestOf = (text: string) => hexDigest(text.slice(0, text.indexOf(':')), text.slice(text.indexOf(':') + 1));
  return {
    found: parts.flatMap((text) => digestOf(text) ?? []),
    badDigest: parts.find((text) => digestOf(text) === null) ?? null,
  };
}

/** Names with versions in a table such as `dependencies`, in the spelling of several lockfiles. */
export function namedNeeds(items: readonly Json[], kind: DependencyKind): PythonNeed[] {
  return items.map((item) => ({
    name: normaliseName(shownText(item['name'] ?? '')),
    version: textOf(item['version']),
    kind,
  }));
}

/** Every object in the lists of a table. */
export function listedIn(table: unknown): Json[] {
  return Object.values(objectOf(table)).flatMap(objectsOf);
}
