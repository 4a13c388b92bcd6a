import { objectOf, objectsOf, shownText, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { parseToml } from '../../manifest/toml.ts';
import { fileDigests, type PythonEntry, type PythonNeed, pythonPackages, pythonRoots } from './python-locks.ts';
import type { LockedPackage } from './reading.ts';
import { type DependencyReader, dependencyReading, repositoryQualifiers } from './reading.ts';
import { filesOf } from './requirements.ts';

type Json = Readonly<Record<string, unknown>>;

/**
 * `poetry.lock` of versions 1 and 2: every project with its files and needs. What is needed directly stands in the
 * pyproject.toml beside it; before 1.5 and since 2.1 each entry says for which group it is locked.
 */
export const readPoetryLock: DependencyReader = (text, context) => {
  const lock = parseToml(text, context.file);
  const metadata = objectOf(lock['metadata']);
  const version = shownText(metadata['lock-version'] ?? '');
  if (!/^[12]\.\d+$/.test(version)) return null;
  const before = objectOf(metadata['files']);
  const entries = objectsOf(lock['package']).map((entry) => toEntry(entry, before));
  const development = new Set(entries.filter(({ kind }) => kind === 'development').map(({ name }) => name));
  const found = pythonPackages(entries, context.file);
  const kindOfRest = ({ name }: LockedPackage) => (development.has(name) ? 'development' : 'run');
  return dependencyReading({
    format: `poetry lockfile ${version}`,
    packages: found.packages,
    unknown: found.unknown,
    ...pythonRoots(found, context, kindOfRest),
  });
};

function toEntry(entry: Json, before: Json): PythonEntry {
  const name = normaliseName(textOf(entry['name']) ?? '');
  const files = objectsOf(entry['files'] ?? before[textOf(entry['name']) ?? '']);
  const { found, badDigest } = fileDigests(files.map(({ hash }) => textOf(hash)));
  const source = objectOf(entry['source']);
  const type = textOf(source['type']);
  const url = textOf(source['url']);
  const groups = [entry['groups'] ?? entry['category'] ?? 'main'].flat().map(shownText);
  return {
    name,
    version: textOf(entry['version']),
    needs: needsOf(objectOf(entry['dependencies'])),
    facts: {
      ...filesOf(found, null),
      badDigest,
      qualifiers: type === 'git' && url !== null ? repositoryQualifiers(url, textOf(source['resolved_reference'])) : {},
      location: type === 'url' ? url : null,
    },
    folder: type === 'directory' ? (url ?? '') : null,
    kind: groups.includes('main') ? null : 'development',
  };
}

/** A need is a range, a table with one, or a list of tables for several places. */
function needsOf(table: Json): PythonNeed[] {
  return Object.entries(table).map(([name, value]) => {
    const tables = [value].flat().map(objectOf);
    const markers = tables.map((item) => textOf(item['markers']) ?? '');
    const isOptional = tables.every(
      (item, index) => item['optional'] === true || /\bextra\s*==/.test(markers[index] ?? ''),
    );
    return {
      name: normaliseName(name),
      version: null,
      kind: isOptional ? 'optional' : 'run',
      isConditional: markers.every((marker) => marker !== ''),
    };
  });
}
