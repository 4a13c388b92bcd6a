import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import { parseToml } from '../../manifest/toml.ts';
import type { DependencyKind } from '../sbom.ts';
import { fileDigests } from './python-locks.ts';
import {
  type DependencyReader,
  dependencyReading,
  type LockedPackage,
  lockedPackage,
  type Need,
  repositoryQualifiers,
} from './reading.ts';
import { filesOf } from './requirements.ts';

type Json = Readonly<Record<string, unknown>>;

/** Tables of the lockfile, tables of the Pipfile, and what they are for. */
const tables: readonly (readonly [string, string, DependencyKind])[] = [
  ['default', 'packages', 'run'],
  ['develop', 'dev-packages', 'development'],
];

/** `Pipfile.lock` of format 6, with the `Pipfile` beside it, which alone says what is needed directly. No file has the edges. */
export const readPipfileLock: DependencyReader = (text, { file, beside }) => {
  const lock = parsePackageJson(text, file);
  const version = shownText(objectOf(lock['_meta'])['pipfile-spec'] ?? '');
  if (version !== '6') return null;
  const manifestText = beside('Pipfile');
  const manifest = manifestText === null ? {} : parseToml(manifestText, file.replace(/\.lock$/, ''));
  const packages = new Map<string, LockedPackage>();
  const needs: Need[] = [];
  const unknown: string[] = [];
  const absent: string[] = [];
  for (const [table, wanted, kind] of tables) {
    const locked = Object.entries(objectOf(lock[table])).map(([name, value]) => toPackage(name, objectOf(value)));
    const direct = new Set(Object.keys(objectOf(manifest[wanted])).map(normaliseName));
    for (const pkg of locked) {
      packages.set(pkg.key, pkg);
      if (pkg.version === null && pkg.location === null && pkg.qualifiers['vcs_url'] === undefined)
        unknown.push(`${file} gives no version for ${pkg.name}`);
      needs.push({ key: pkg.key, kind, ...(direct.size > 0 && !direct.has(pkg.name) ? { isIndirect: true } : {}) });
    }
    const names = new Set(locked.map(({ name }) => name));
    absent.push(...[...direct].filter((name) => !names.has(name)));
  }
  if (absent.length > 0) unknown.push(`${file} has nothing for ${absent.join(', ')}, which the Pipfile asks for`);
  return dependencyReading({
    format: `Pipfile lockfile ${version}`,
    packages: [...packages.values()],
    roots: new Map([['', needs]]),
    unknown,
  });
};

function toPackage(raw: string, entry: Json): LockedPackage {
  const name = normaliseName(raw);
  const version = textOf(entry['version'])?.replace(/^={2,3}/, '') ?? null;
  const hashes: unknown[] = Array.isArray(entry['hashes']) ? entry['hashes'] : [];
  const { found, badDigest } = fileDigests(hashes.map(textOf));
  const repository = textOf(entry['git']);
  const marker = textOf(entry['markers']);
  return lockedPackage({
    key: `${name} ${version}`,
    type: 'pypi',
    name,
    version,
    ...filesOf(found, marker === null ? null : `only where ${marker}`),
    badDigest,
    qualifiers: repository === null ? {} : repositoryQualifiers(repository, textOf(entry['ref'])),
    location: textOf(entry['file']),
  });
}
