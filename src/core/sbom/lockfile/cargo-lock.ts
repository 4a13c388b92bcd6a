import { objectOf, objectsOf, shownText, textOf } from '../../manifest/fields.ts';
import { parseToml } from '../../manifest/toml.ts';
import { checkedDigest } from '../digest.ts';
import { groupBy } from '../group-by.ts';
import type { DependencyKind } from '../sbom.ts';
import {
  type DependencyReader,
  dependencyReading,
  kindOf,
  lockedPackage,
  memberKey,
  type Need,
  needsIn,
  type ReadingContext,
  repositoryQualifiers,
} from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/** `Cargo.lock` (the Cargo Book, "Cargo.toml vs Cargo.lock"; versions 1 to 4 differ in where checksums stand). */
export const readCargoLock: DependencyReader = (text, context) => {
  const lock = parseToml(text, context.file);
  const version = shownText(lock['version'] ?? 1);
  if (!/^[1-4]$/.test(version)) return null;
  const entries = objectsOf(lock['package']);
  const metadata = objectOf(lock['metadata']);
  const folders = new Map([...context.manifests].map(([folder, { name }]) => [name, folder] as const));
  const byName = groupBy(entries, (entry) => shownText(entry['name']));
  const unknown: string[] = [];
  const find = (wanted: string): string | null => {
    const [name = '', version, source] = wanted.split(' ');
    const found = (byName.get(name) ?? []).find(
      (entry) =>
        (version === undefined || entry['version'] === version) &&
        (source === undefined || `(${shownText(entry['source'])})` === source),
    );
    if (found === undefined) return null;
    return found['source'] === undefined ? memberKey(folders.get(name) ?? '') : keyOf(found);
  };
  const needsOf = (entry: Json, kind: (name: string) => DependencyKind): Need[] =>
    [entry['dependencies'] ?? []].flat().flatMap((item) => {
      const key = find(shownText(item));
      if (key === null)
        unknown.push(`${context.file} has no entry for ${shownText(item)}, which ${shownText(entry['name'])} needs`);
      return key === null ? [] : [{ key, kind: kind(shownText(item).split(' ')[0] ?? '') }];
    });
  const packages = entries
    .filter((entry) => entry['source'] !== undefined)
    .map((entry) => {
      const source = shownText(entry['source']);
      const place = `checksum ${shownText(entry['name'])} ${shownText(entry['version'])} (${source})`;
      const [, repository, commit] = /^git\+([^#?]+)(?:\?[^#]*)?#([0-9a-f]+)$/.exec(source) ?? [];
      return lockedPackage({
        key: keyOf(entry),
        type: 'cargo',
        name: shownText(entry['name']),
        version: textOf(entry['version']),
        qualifiers: repository === undefined ? {} : repositoryQualifiers(repository, commit ?? null),
        ...checkedDigest('sha256', textOf(entry['checksum']) ?? textOf(metadata[place])),
        location: source,
        needs: needsOf(entry, () => 'run'),
      });
    });
  const own = entries.filter((entry) => entry['source'] === undefined);
  const roots = new Map(
    own.map((entry) => {
      const owner = shownText(entry['name']);
      return [folders.get(owner) ?? '', needsOf(entry, (name) => kindIn(owner, name, context))] as const;
    }),
  );
  const asked = new Map(
    own.map((entry) => {
      const names = [entry['dependencies'] ?? []].flat().map((item) => shownText(item).split(' ')[0] ?? '');
      return [
        folders.get(shownText(entry['name'])) ?? '',
        new Map(names.map((name) => [name, null] as const)),
      ] as const;
    }),
  );
  return dependencyReading({ format: `Cargo lockfile ${version}`, packages, roots, unknown, asked });
};

function keyOf(entry: Json): string {
  return `${shownText(entry['name'])} ${shownText(entry['version'])} ${shownText(entry['source'])}`;
}

/** The lockfile does not tell kinds apart: the manifest does. */
function kindIn(owner: string, name: string, { manifests }: ReadingContext): DependencyKind {
  const manifest = [...manifests.values()].find((manifest) => manifest.name === owner);
  const need = needsIn(manifest).find((dependency) => dependency.name === name);
  return need === undefined ? 'run' : kindOf(need);
}
