import { objectOf, objectsOf, shownText, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { parseToml } from '../../manifest/toml.ts';
import type { DependencyKind } from '../sbom.ts';
import { fileDigests, listedIn, namedNeeds, type PythonEntry, pythonPackages } from './python-locks.ts';
import { type DependencyReader, dependencyReading, type Need, repositoryQualifiers } from './reading.ts';
import { filesOf } from './requirements.ts';

type Json = Readonly<Record<string, unknown>>;

/** `uv.lock` of version 1: members of the workspace are entries of their own, with needs by extra and by group. */
export const readUvLock: DependencyReader = (text, context) => {
  const lock = parseToml(text, context.file);
  const version = shownText(lock['version'] ?? '');
  if (version !== '1') return null;
  const tables = objectsOf(lock['package']);
  const found = pythonPackages(tables.map(toEntry), context.file);
  const roots = new Map<string, Need[]>();
  const asked = new Map<string, Map<string, string | null>>();
  const unknown = [...found.unknown];
  for (const table of tables) {
    const folder = memberOf(objectOf(table['source']));
    if (folder === null) continue;
    const needs = groupsOf(table).flatMap(({ items, kind }) => namedNeeds(items, kind));
    for (const need of needs.filter((need) => found.find(need).length === 0))
      unknown.push(`${context.file} has no entry for ${need.name}, which ${shownText(table['name'])} needs`);
    roots.set(
      folder,
      needs.flatMap((need) => found.find(need).map((key) => ({ key, kind: need.kind }))),
    );
    asked.set(folder, new Map(needs.map(({ name }) => [name, null] as const)));
  }
  const { packages } = found;
  return dependencyReading({ format: `uv lockfile ${version}`, packages, roots, unknown, asked });
};

/** What an entry needs itself, for its extras, and for its groups of developers. */
function groupsOf(table: Json): { readonly items: Json[]; readonly kind: DependencyKind }[] {
  return [
    { items: objectsOf(table['dependencies']), kind: 'run' },
    { items: listedIn(table['optional-dependencies']), kind: 'optional' },
    { items: listedIn(table['dev-dependencies']), kind: 'development' },
  ];
}

/** Folder of a member of the workspace. */
function memberOf(source: Json): string | null {
  const path = textOf(source['virtual']) ?? textOf(source['editable']) ?? textOf(source['directory']);
  return path === null ? null : path === '.' ? '' : path;
}

function toEntry(table: Json): PythonEntry {
  const source = objectOf(table['source']);
  const files = [...objectsOf(table['wheels']), objectOf(table['sdist'])];
  const { found, badDigest } = fileDigests(files.map(({ hash }) => textOf(hash)));
  const [, repository, commit] = /^([^?#]+)(?:\?[^#]*)?#([0-9a-f]+)$/.exec(textOf(source['git']) ?? '') ?? [];
  return {
    name: normaliseName(textOf(table['name']) ?? ''),
    version: textOf(table['version']),
    needs: groupsOf(table)
      .filter(({ kind }) => kind !== 'development')
      .flatMap(({ items, kind }) => namedNeeds(items, kind)),
    facts: {
      ...filesOf(found, null),
      badDigest,
      qualifiers: repository === undefined ? {} : repositoryQualifiers(repository, commit ?? null),
      location: textOf(source['url']),
    },
    folder: memberOf(source),
    kind: null,
  };
}
