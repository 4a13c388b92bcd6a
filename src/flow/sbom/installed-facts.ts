import path from 'node:path';
import type { PurlType } from '../../core/ecosystem/definition.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { parseCoreMetadata } from '../../core/form/python/core-metadata.ts';
import { objectOf, textOf } from '../../core/manifest/fields.ts';
import { parsePackageJson } from '../../core/manifest/package-json.ts';
import { parsePom } from '../../core/manifest/pom-xml.ts';
import { coordinatesOf, filePath } from '../../core/protocol/maven-layout/maven-layout.ts';
import type { DependencyInput } from '../../core/sbom/dependency-graph.ts';
import type { LockedPackage } from '../../core/sbom/lockfile/reading.ts';
import { pythonMetadata, readTextNow } from '../../world/installed-licence.ts';

/** Where a client installed something for a trial. */
export type InstalledPlaces = {
  readonly folder: string;
  /** The client's own HOME, with its caches. */
  readonly home: string;
};

/** What copies that a trial installed say of licence and author: `node_modules`, an environment of Python, a repository of Maven. */
export function installedFacts({ folder: root, home }: InstalledPlaces): DependencyInput['installed'] {
  let python: Map<string, string> | null = null;
  const readers: Partial<Readonly<Record<PurlType, DependencyInput['installed']>>> = {
    npm: (locked, folder) => npmFacts(locked, root, folder),
    pypi: (locked) => {
      python ??= pythonMetadata(root);
      return pythonFacts(locked, python);
    },
    maven: (locked) => mavenFacts(locked, path.join(home, 'repository')),
  };
  return (locked, folder) => readers[locked.type]?.(locked, folder) ?? null;
}

function pythonFacts({ name, version }: LockedPackage, installed: ReadonlyMap<string, string>) {
  const text = readTextNow(installed.get(name) ?? '');
  if (text === null) return null;
  const { fields } = parseCoreMetadata(text);
  if (version !== null && fields['Version']?.[0] !== version) return null;
  return {
    licence: textOf(fields['License-Expression']?.[0] ?? fields['License']?.[0] ?? null),
    supplier: textOf(fields['Author']?.[0] ?? null),
  };
}

/** The POM that Maven keeps beside what it fetched; one that inherits its licence from a parent says nothing itself. */
function mavenFacts({ name, version }: LockedPackage, repository: string) {
  const found = coordinatesOf(name, version ?? '');
  if (found === null || version === null) return null;
  const file = filePath(found, { classifier: '', extension: 'pom' }, null);
  const text = readTextNow(path.join(repository, file));
  if (text === null) return null;
  try {
    const project = parsePom(text, file);
    const [licence] = [objectOf(project['licenses'])['license'] ?? []].flat().map(objectOf);
    return { licence: textOf(licence?.['name']), supplier: textOf(objectOf(project['organization'])['name']) };
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return null;
  }
}

function npmFacts(pkg: LockedPackage, root: string, folder: string) {
  const places = [
    ...(pkg.installedAt === null ? [] : [path.join(root, folder, pkg.installedAt)]),
    path.join(root, folder, 'node_modules', pkg.name),
    path.join(root, 'node_modules', pkg.name),
  ];
  for (const place of places) {
    const text = readTextNow(path.join(place, 'package.json'));
    if (text === null) continue;
    try {
      const json = parsePackageJson(text, place);
      // Another version may be under another licence.
      if (pkg.version !== null && json['version'] !== pkg.version) continue;
      const author = textOf(json['author']) ?? textOf(objectOf(json['author'])['name']);
      return {
        licence: textOf(json['license']) ?? textOf(objectOf(json['license'])['type']),
        supplier: author?.replace(/\s*[<(].*$/, '') ?? null,
      };
    } catch (error) {
      if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    }
  }
  return null;
}

/** Licence and author of one package, as the registry's own documents in a rehearsal said. */
export type LearntFact = {
  readonly type: PurlType;
  readonly name: string;
  readonly version: string;
  readonly licence: string | null;
  readonly supplier: string | null;
};

/** Facts of an install with all that was asked for, so that they can be used again without it. */
export function noteFacts(places: InstalledPlaces): {
  readonly installed: DependencyInput['installed'];
  readonly learnt: () => LearntFact[];
} {
  const ask = installedFacts(places);
  const learnt = new Map<string, LearntFact>();
  return {
    installed: (pkg, folder) => {
      const found = ask(pkg, folder);
      const { type, name, version } = pkg;
      if (found !== null && version !== null && (found.licence !== null || found.supplier !== null))
        learnt.set(`${type} ${name} ${version}`, { type, name, version, ...found });
      return found;
    },
    learnt: () => [...learnt.values()],
  };
}

/** Answers from facts that were noted before. */
export function fromFacts(facts: readonly LearntFact[]): DependencyInput['installed'] {
  const known = new Map(facts.map((fact) => [`${fact.type} ${fact.name} ${fact.version}`, fact]));
  return ({ type, name, version }) => known.get(`${type} ${name} ${version}`) ?? null;
}
