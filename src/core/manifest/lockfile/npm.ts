import { objectOf, textOf } from '../fields.ts';
import { dependencyFields, editPackageJson, type JsonEdit, parsePackageJson } from '../package-json.ts';
import type { LockfileUpdate, OwnPackage } from './own-entry.ts';
import { newerLockfile, pinnedEntry } from './problem.ts';

/**
 * `package-lock.json` and `npm-shrinkwrap.json`, lockfileVersion 1 to 3 (the npm client's documentation, "package-lock.json"):
 * versions and ranges of workspace folders. Entries from a registry stay as they are.
 * @throws LOCKFILE_UNKNOWN for a later lockfileVersion, LOCKFILE_PINS.
 */
export const updateNpmLock: LockfileUpdate = (text, own, file) => {
  const lock = parsePackageJson(text, file);
  const version = lock['lockfileVersion'];
  if (typeof version === 'number' && version > 3) throw newerLockfile(file, String(version), '3');
  const edits = own.flatMap((pkg) => [
    ...(pkg.folder === '' ? versionEdit(lock, ['version'], pkg.version) : []),
    ...entryEdits(lock, pkg, file),
    ...requireEdits(lock, pkg),
  ]);
  return editPackageJson(text, edits, file);
};

type Json = Readonly<Record<string, unknown>>;

function versionEdit(lock: Json, path: readonly string[], version: string | null): JsonEdit[] {
  const old = path.reduce<unknown>((value, key) => objectOf(value)[key], lock);
  return version === null || textOf(old) === null ? [] : [{ path, value: version }];
}

/** The entry of a workspace folder, with the ranges that its manifest declares. */
function entryEdits(lock: Json, { folder, version, ranges }: OwnPackage, file: string): JsonEdit[] {
  const packages = objectOf(lock['packages']);
  const entry = objectOf(packages[folder]);
  const edits = versionEdit(lock, ['packages', folder, 'version'], version);
  for (const { name, from, to } of ranges) {
    const pinned = [`${folder === '' ? '' : `${folder}/`}node_modules/${name}`, `node_modules/${name}`]
      .map((path) => objectOf(packages[path]))
      .find((found) => Object.keys(found).length > 0);
    if (pinned !== undefined && textOf(pinned['integrity']) !== null) throw pinnedEntry(file, name, to);
    for (const [field] of dependencyFields)
      if (objectOf(entry[field])[name] === from) edits.push({ path: ['packages', folder, field, name], value: to });
  }
  return edits;
}

/** The older section that lockfileVersion 1 and 2 have: needs of folders by name. */
function requireEdits(lock: Json, { name: own, ranges }: OwnPackage): JsonEdit[] {
  const requires = objectOf(objectOf(objectOf(lock['dependencies'])[own])['requires']);
  return ranges.flatMap(({ name, from, to }) =>
    requires[name] === from ? [{ path: ['dependencies', own, 'requires', name], value: to }] : [],
  );
}
