import { joinPath } from '../../contents/inner-path.ts';
import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { isOptionalPeer } from '../../manifest/package-json.ts';
import { parseYaml } from '../../manifest/yaml.ts';
import { checkedIntegrity } from '../digest.ts';
import { needFields } from './npm-lock.ts';
import {
  type DependencyReader,
  dependencyReading,
  lockedPackage,
  memberKey,
  type Need,
  repositoryQualifiers,
} from './reading.ts';

type Json = Readonly<Record<string, unknown>>;
type Find = (name: string, version: string) => string | null;

/** `pnpm-lock.yaml` of versions 5 to 9, by its published types: importers, packages, and snapshots since 9. */
export const readPnpmLock: DependencyReader = (text, { file, yamlBytes }) => {
  const lock = parseYaml(text, file, yamlBytes);
  const listed = objectOf(lock['packages']);
  const snapshots = objectOf(lock['snapshots']);
  // Before version 9 one map holds both what a package is and what it needs.
  const entries = Object.keys(snapshots).length > 0 ? snapshots : listed;
  const version = shownText(lock['lockfileVersion'] ?? '');
  if (!/^[5-9](?:\.\d+)?$/.test(version)) return null;
  const keys = new Map(Object.keys(entries).map((key) => [plainKey(key), key] as const));
  const find: Find = (name, wanted) =>
    keys.get(`${name}@${wanted}`) ?? keys.get(plainKey(wanted)) ?? keys.get(`${name}@${wanted.split('(')[0]}`) ?? null;
  const unknown: string[] = [];
  const needsIn = (entry: Json, facts: Json, folder: string | null): Need[] => {
    const { needs, absent } = needsOf({ entry, facts, folder, find });
    for (const other of absent) unknown.push(`${file} has no entry for ${other}`);
    return needs;
  };
  const packages = [...keys].map(([plain, key]) => {
    const [name, resolved] = splitKey(plain);
    const facts = { ...objectOf(listed[key.replace(/\(.*$/, '')]), ...objectOf(listed[key]) };
    const resolution = objectOf(facts['resolution']);
    const repository = textOf(resolution['repo']);
    return lockedPackage({
      key,
      type: 'npm',
      name: textOf(facts['name']) ?? name,
      version: textOf(facts['version']) ?? resolved,
      qualifiers: repository === null ? {} : repositoryQualifiers(repository, textOf(resolution['commit'])),
      ...checkedIntegrity(textOf(resolution['integrity'])),
      location: textOf(resolution['tarball']),
      needs: needsIn(objectOf(entries[key]), facts, null),
    });
  });
  const importers = Object.entries(objectOf(lock['importers'] ?? { '.': lock })).map(
    ([folder, value]) => [folder === '.' ? '' : folder, objectOf(value)] as const,
  );
  const roots = new Map(importers.map(([folder, value]) => [folder, needsIn(value, {}, folder)]));
  const overridden = objectOf(lock['overrides']);
  const asked = new Map(importers.map(([folder, value]) => [folder, rangesOf(value, overridden)]));
  return dependencyReading({ format: `pnpm lockfile ${version}`, packages, roots, unknown, asked });
};

/** What was asked for: beside each version since format 6, in a table of its own before; what overrides say instead is no range of a manifest. */
function rangesOf(importer: Json, overridden: Json): Map<string, string | null> {
  const before = objectOf(importer['specifiers']);
  return new Map(
    needFields.flatMap(([field]) =>
      Object.entries(objectOf(importer[field])).map(
        ([name, value]) =>
          [name, name in overridden ? null : (textOf(objectOf(value)['specifier']) ?? textOf(before[name]))] as const,
      ),
    ),
  );
}

/** @param folder of an importer, whose links lead to other folders; null for a package. */
function needsOf({
  entry,
  facts,
  folder,
  find,
}: {
  readonly entry: Json;
  readonly facts: Json;
  readonly folder: string | null;
  readonly find: Find;
}): { readonly needs: Need[]; readonly absent: string[] } {
  const absent: string[] = [];
  const peers = objectOf(facts['peerDependencies']);
  const needs = needFields.flatMap(([field, usual]) =>
    Object.entries(objectOf(entry[field])).flatMap(([name, value]): Need[] => {
      // What peers resolve to stands among the other needs.
      if (field === 'peerDependencies') return [];
      const version = textOf(value) ?? textOf(objectOf(value)['version']) ?? '';
      const isPeer = name in peers;
      const kind = !isPeer ? usual : usual === 'optional' || isOptionalPeer(facts, name) ? 'optional' : 'peer';
      const link = /^link:(.*)$/.exec(version)?.[1];
      if (link !== undefined) return folder === null ? [] : [{ key: memberKey(joinPath(folder, link)), kind }];
      const key = find(name, version);
      if (key !== null) return [{ key, kind }];
      absent.push(`${name} ${version}`);
      return [];
    }),
  );
  return { needs, absent };
}

/** `/name/1.0.0_peer`, `/name@1.0.0(peer)` and `name@1.0.0(peer)` as `name@1.0.0` with what tells copies apart. */
function plainKey(key: string): string {
  const plain = key.replace(/^\//, '');
  const old = /^(@[^/]+\/[^/]+|[^/@][^/]*)\/(\d.*)$/.exec(plain);
  return old === null ? plain : `${old[1]}@${old[2]}`;
}

function splitKey(plain: string): [string, string] {
  const at = plain.indexOf('@', 1);
  const version = plain.slice(at + 1).replace(/[(_].*$/, '');
  return [at === -1 ? plain : plain.slice(0, at), version];
}
