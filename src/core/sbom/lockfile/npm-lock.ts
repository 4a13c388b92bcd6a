import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { isOptionalPeer, parsePackageJson } from '../../manifest/package-json.ts';
import { checkedIntegrity } from '../digest.ts';
import type { DependencyKind } from '../sbom.ts';
import {
  type DependencyReader,
  dependencyReading,
  type LockedPackage,
  lockedPackage,
  memberKey,
  type Need,
  repositoryQualifiers,
} from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/** `package-lock.json` and `npm-shrinkwrap.json` of lockfileVersion 2 and 3 (the npm client's documentation, "package-lock.json"). */
export const readNpmLock: DependencyReader = (text, { file }) => {
  const lock = parsePackageJson(text, file);
  const entries = objectOf(lock['packages']);
  const version = shownText(lock['lockfileVersion']);
  if (lock['packages'] === undefined || !/^[23]$/.test(version)) return null;
  const find = (path: string) => (Object.hasOwn(entries, path) ? objectOf(entries[path]) : null);
  const packages: LockedPackage[] = [];
  const roots = new Map<string, Need[]>();
  const asked = new Map<string, Map<string, string>>();
  const unknown: string[] = [];
  for (const [path, value] of Object.entries(entries)) {
    const entry = objectOf(value);
    const isOwn = !/(?:^|\/)node_modules\//.test(path);
    if (!isOwn && entry['link'] === true) continue;
    const { needs, absent } = needsOf({ entry, from: path, find, isRoot: isOwn });
    const name = textOf(entry['name']) ?? path.slice(path.lastIndexOf('node_modules/') + 13);
    for (const other of absent)
      unknown.push(`${file} has no entry for ${other}, which ${isOwn ? path || 'the package' : name} needs`);
    if (isOwn) {
      roots.set(path, needs);
      asked.set(path, rangesOf(entry));
      continue;
    }
    const locked = toPackage(path, entry, name);
    if (locked.version === null) unknown.push(`${file} gives no version for ${path}`);
    packages.push({ ...locked, needs });
  }
  return dependencyReading({ format: `npm lockfile ${version}`, packages, roots, unknown, asked });
};

/** The address of a repository with the commit behind it, as npm's clients write one. */
export function npmRepository(resolved: string | null): Readonly<Record<string, string>> {
  const [, address, commit] = /^(git(?:\+\w+)?:[^#]+)#([0-9a-f]{7,64})$/.exec(resolved ?? '') ?? [];
  return address === undefined ? {} : repositoryQualifiers(address, commit ?? null);
}

function toPackage(path: string, entry: Json, name: string): LockedPackage {
  const resolved = textOf(entry['resolved']);
  return lockedPackage({
    key: path,
    type: 'npm',
    name,
    version: textOf(entry['version']),
    qualifiers: npmRepository(resolved),
    ...checkedIntegrity(textOf(entry['integrity'])),
    location: resolved,
    licence: textOf(entry['license']),
    installedAt: path,
    comment: resolved?.startsWith('file:') === true ? `from the archive ${resolved.slice('file:'.length)}` : null,
  });
}

type Find = (path: string) => Json | null;

/** The fields in which npm's clients keep needs, and the kind of each. */
export const needFields: readonly (readonly [string, DependencyKind])[] = [
  ['dependencies', 'run'],
  ['optionalDependencies', 'optional'],
  ['peerDependencies', 'peer'],
  ['devDependencies', 'development'],
];

function rangesOf(entry: Json): Map<string, string> {
  return new Map(
    needFields.flatMap(([field]) =>
      Object.entries(objectOf(entry[field])).map(([name, range]) => [name, shownText(range)] as const),
    ),
  );
}

function needsOf({
  entry,
  from,
  find,
  isRoot,
}: {
  readonly entry: Json;
  readonly from: string;
  readonly find: Find;
  readonly isRoot: boolean;
}): { readonly needs: Need[]; readonly absent: string[] } {
  const optional = objectOf(entry['optionalDependencies']);
  const needs: Need[] = [];
  const absent: string[] = [];
  for (const [field, usual] of needFields) {
    if (usual === 'development' && !isRoot) continue;
    for (const name of Object.keys(objectOf(entry[field]))) {
      if (field === 'dependencies' && name in optional) continue;
      const kind = usual === 'peer' && isOptionalPeer(entry, name) ? 'optional' : usual;
      const key = locate(name, from, find);
      if (key !== null) needs.push({ key, kind });
      // Users bring peers, and what is optional may be left out on purpose.
      else if (kind === 'run' || kind === 'development') absent.push(name);
    }
  }
  return { needs, absent };
}

/** The nearest `node_modules/NAME` on the way up from a path; the folder behind a link; null for none. */
function locate(name: string, from: string, find: Find): string | null {
  for (let folder = from; ; folder = folder.includes('/') ? folder.slice(0, folder.lastIndexOf('/')) : '') {
    const path = folder === '' ? `node_modules/${name}` : `${folder}/node_modules/${name}`;
    const found = find(path);
    if (found !== null) return found['link'] === true ? memberKey(shownText(found['resolved'] ?? '')) : path;
    if (folder === '') return null;
  }
}
