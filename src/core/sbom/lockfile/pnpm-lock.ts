import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parseYaml } from '../../manifest/yaml.ts';
import { integrityDigests } from '../digest.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, lockedPackage, type Need } from './reading.ts';

const fields: readonly (readonly [string, DependencyKind])[] = [
  ['dependencies', 'run'],
  ['optionalDependencies', 'optional'],
  ['devDependencies', 'development'],
];

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
  const find = (name: string, wanted: string) =>
    keys.get(`${name}@${wanted}`) ?? keys.get(plainKey(wanted)) ?? keys.get(`${name}@${wanted.split('(')[0]}`) ?? null;
  const packages = [...keys.keys()].map((plain) => {
    const key = keys.get(plain) ?? plain;
    const [name, resolved] = splitKey(plain);
    const entry = objectOf(entries[key]);
    const facts = { ...objectOf(listed[key.replace(/\(.*$/, '')]), ...objectOf(listed[key]) };
    const resolution = objectOf(facts['resolution']);
    return lockedPackage({
      key,
      type: 'npm',
      name: textOf(facts['name']) ?? name,
      version: textOf(facts['version']) ?? resolved,
      digests: integrityDigests(textOf(resolution['integrity'])),
      location: textOf(resolution['tarball']),
      needs: needsOf(entry, find),
    });
  });
  const importers = objectOf(lock['importers'] ?? { '.': lock });
  const roots = new Map(
    Object.entries(importers).map(([folder, value]) => [folder === '.' ? '' : folder, needsOf(objectOf(value), find)]),
  );
  return { format: `pnpm lockfile ${version}`, packages, roots, unknown: [] };
};

function needsOf(
  entry: Readonly<Record<string, unknown>>,
  find: (name: string, version: string) => string | null,
): Need[] {
  return fields.flatMap(([field, kind]) =>
    Object.entries(objectOf(entry[field])).flatMap(([name, value]): Need[] => {
      const version = textOf(value) ?? textOf(objectOf(value)['version']) ?? '';
      const key = /^(?:link|file|workspace):/.test(version) ? null : find(name, version);
      return key === null ? [] : [{ key, kind }];
    }),
  );
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
